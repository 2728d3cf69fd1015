//! Drafting and tidying come to rest, and both judge a file alike whether it is untracked, staged
//! or committed.

use crate::changes::Ground;
use proptest::prelude::*;
use redshank_changes::plan::{Plan, PlanOptions};
use redshank_changes::{Edit, RuleTarget, write};
use redshank_findings::{Finding, ScanOptions, scan};
use redshank_rules::RepoPathBuf;
use redshank_rules::RuleScope;
use redshank_templates::{Collection, Draft, DraftOptions, MEMORY_FILE, Template, recognise};
use redshank_worktree::Snapshot;
use std::sync::OnceLock;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Before {
    Untracked,
    Staged,
    Committed,
}

const STATES: [Before; 3] = [Before::Untracked, Before::Staged, Before::Committed];

/// A repository: projects in folders (`a/`, or nothing for the top), rules of a person, and a
/// variant.
#[derive(Clone, Copy)]
struct Repository<'a> {
    projects: &'a [(&'a Template, &'a str)],
    own_rules: &'a [&'a str],
    variant: Option<&'a String>,
}

impl Repository<'_> {
    /// Writes for each project a file by which it is recognised, and all that its rules' examples
    /// name.
    fn lay_out(&self, before: Before) -> Ground {
        let ground = Ground::new();
        ground.write("README.md", "tide gauges\n");
        for (template, folder) in self.projects {
            if let Some(marker) = template.recognise.first() {
                let name = marker.file.trim_start_matches('/').replace("**/", "");
                let name = name.replace(['*', '?'], "gauge").replace("[Aa]", "A");
                let contents = marker.contains.as_deref().unwrap_or_default();
                write_if_free(&ground, &format!("{folder}{name}"), contents);
            }
        }
        for (template, folder) in self.projects {
            for example in template.rule.iter().flat_map(|rule| &rule.ignored) {
                let inside = if example.ends_with('/') { "made" } else { "" };
                write_if_free(&ground, &format!("{folder}{example}{inside}"), "\0made");
            }
        }
        if !self.own_rules.is_empty() {
            ground.write(".gitignore", &(self.own_rules.join("\n") + "\n"));
        }
        if let Some(variant) = self.variant {
            ground.write(
                "redshank.toml",
                &format!("[draft]\nvariants = [\"{variant}\"]\n"),
            );
        }
        if before != Before::Untracked {
            ground.git(&["add", "--all", "--force"]);
        }
        if before == Before::Committed {
            ground.git(&["commit", "-q", "-m", "first"]);
        }
        ground
    }
}

/// Writes a file, unless something else is at its path or at a folder above it.
fn write_if_free(ground: &Ground, path: &str, contents: &str) {
    let whole = ground.top.join(path);
    let mut above = whole.ancestors().skip(1);
    if !whole.exists() && above.all(|above| !above.is_file()) {
        ground.write(path, contents);
    }
}

/// The built-in templates, as a repository chose them; they are read once.
fn collection(snapshot: &Snapshot) -> Collection {
    static BUILT_IN: OnceLock<Vec<Template>> = OnceLock::new();
    let built_in = BUILT_IN.get_or_init(|| Collection::built_in().unwrap().to_vec());
    let choices = &snapshot.settings().unwrap().draft;
    Collection::of_templates(built_in.clone())
        .chosen(choices)
        .unwrap()
}

/// Drafts and writes it; returns whether anything changed.
fn draft(ground: &Ground) -> bool {
    let snapshot = ground.snapshot();
    let templates = collection(&snapshot);
    let survey = recognise(&snapshot, snapshot.tree().unwrap(), &templates);
    let draft = Draft::compose(&snapshot, &survey, &[], DraftOptions::default()).unwrap();
    let mut edits = Vec::new();
    for (folder, file) in draft.files {
        let target = RuleTarget::find(&snapshot, RuleScope::Folder, &folder).unwrap();
        edits.push(Edit::of_rules(target, file.after));
    }
    if let Some((before, after)) = draft.memory {
        edits.push(Edit::of_memory(MEMORY_FILE, before, after));
    }
    write(&snapshot, "draft", &edits).unwrap();
    !edits.is_empty()
}

/// Tidies; returns whether anything changed. Whatever the next commit loses or gains by it is about
/// one of the findings.
fn tidy(ground: &Ground) -> bool {
    let snapshot = ground.snapshot();
    let templates = collection(&snapshot);
    let survey = recognise(&snapshot, snapshot.tree().unwrap(), &templates);
    let found = scan(&snapshot, &survey, &ScanOptions::default()).unwrap();
    let places: Vec<RepoPathBuf> = found
        .findings
        .iter()
        .flat_map(Finding::places)
        .map(|place| place.path.clone())
        .collect();
    let plan = Plan::build(&snapshot, found.findings, PlanOptions::default()).unwrap();
    let journal = redshank_changes::journal::Journal::open(&snapshot).unwrap();
    if plan.changes.is_empty() {
        return false;
    }
    let before = to_commit(ground);
    journal.apply("tidy", &plan.changes).unwrap();
    let after = to_commit(ground);
    let lost = before.iter().filter(|path| !after.contains(path));
    let gained = after.iter().filter(|path| !before.contains(path));
    for path in lost.chain(gained) {
        let mut about = places.iter();
        let is_about =
            about.any(|place| path == place || path.is_within(place) || place.is_within(path));
        assert!(is_about, "no finding is about {path}");
    }
    true
}

/// What the next commit would hold, without what Redshank writes.
fn to_commit(ground: &Ground) -> Vec<RepoPathBuf> {
    let snapshot = ground.snapshot();
    let tree = snapshot.tree().unwrap();
    let all = tree.to_commit().map(|entry| entry.path.clone());
    let is_given =
        |path: &RepoPathBuf| GIVEN.iter().any(|given| path.starts_with(given.as_bytes()));
    let is_ours =
        |path: &RepoPathBuf| path.name() == ".gitignore" || path.starts_with(b".redshank/");
    all.filter(|path| !is_ours(path) && !is_given(path))
        .collect()
}

/// What is not at rest in a repository, in words, and what the next commit would hold at the end.
fn restless(repository: Repository, before: Before) -> (Vec<String>, Vec<RepoPathBuf>) {
    let mut wrong = Vec::new();
    let first = repository.lay_out(before);
    draft(&first);
    if draft(&first) {
        wrong.push("a second draft writes".to_owned());
    }
    tidy(&first);
    if tidy(&first) {
        wrong.push("tidy after draft is not at rest".to_owned());
    }
    if draft(&first) {
        wrong.push("draft after tidy writes".to_owned());
    }
    let second = repository.lay_out(before);
    tidy(&second);
    if tidy(&second) {
        wrong.push("a second tidy changes".to_owned());
    }
    draft(&second);
    if tidy(&second) {
        wrong.push("tidy after tidy and draft changes".to_owned());
    }
    let (a, b) = (to_commit(&first), to_commit(&second));
    if a != b {
        wrong.push(format!("the order counts: {}", difference(&a, &b)));
    }
    (wrong, a)
}

fn difference(a: &[RepoPathBuf], b: &[RepoPathBuf]) -> String {
    let only = |a: &[RepoPathBuf], b: &[RepoPathBuf]| {
        let only = a.iter().filter(|path| !b.contains(path));
        only.map(ToString::to_string).collect::<Vec<_>>().join(" ")
    };
    format!("{} | {}", only(a, b), only(b, a))
}

/// What is not at rest for a template, and what ends otherwise than untracked.
fn restless_in_any_state(template: &Template, variant: Option<&String>) -> Vec<String> {
    let repository = Repository {
        projects: &[(template, "")],
        own_rules: &[],
        variant,
    };
    let mut wrong = Vec::new();
    let mut ends = Vec::new();
    for before in STATES {
        let (found, end) = restless(repository, before);
        wrong.extend(found.iter().map(|what| format!("{before:?}: {what}")));
        ends.push((before, end));
    }
    for (before, end) in &ends {
        if *end != ends[0].1 {
            let differs = difference(end, &ends[0].1);
            wrong.push(format!(
                "{before:?} ends otherwise than untracked: {differs}"
            ));
        }
    }
    wrong
}

/// What tests are given stays as it is, whatever rules say of its name.
const GIVEN: [&str; 3] = ["playwright/.auth/", "fuzz/corpus/", ".env.test.local"];

const FOLDERS: &[&str] = &["", "gauge/", "tools/replay/", "a b/[c]/"];

const OWN_RULES: &[&str] = &[
    "*.log",
    "!special.log",
    "/build/",
    "out/",
    "*",
    "!*/",
    "!*.md",
    "*.json",
    "!/gauge/",
    "node_modules",
];

proptest! {
    #![proptest_config(ProptestConfig {
        cases: ProptestConfig::default().cases / 16,
        failure_persistence: None,
        // Each case is a dozen runs of git.
        max_shrink_iters: 32,
        ..ProptestConfig::default()
    })]

    #[test]
    fn every_template_comes_to_rest_and_judges_all_states_alike(nth in any::<prop::sample::Index>()) {
        let templates = Collection::built_in().unwrap();
        let cases = templates.iter().flat_map(|template| {
            let variants = template.variant_names().map(Some);
            std::iter::once(None).chain(variants).map(move |variant| (template, variant))
        });
        let cases: Vec<_> = cases.collect();
        let (template, variant) = nth.get(&cases);
        let wrong = restless_in_any_state(template, variant.as_ref());
        prop_assert!(wrong.is_empty(), "{} {variant:?}: {}", template.name, wrong.join("\n"));
    }

    #[test]
    fn a_random_repository_comes_to_rest(
        projects in prop::collection::vec((any::<prop::sample::Index>(), prop::sample::select(FOLDERS)), 1..4),
        own_rules in prop::collection::vec(prop::sample::select(OWN_RULES), 0..4),
        before in prop::sample::select(&STATES[..]),
    ) {
        let templates = Collection::built_in().unwrap();
        let projects: Vec<(&Template, &str)> =
            projects.iter().map(|(nth, folder)| (nth.get(&templates), *folder)).collect();
        let repository = Repository { projects: &projects, own_rules: &own_rules, variant: None };
        let (wrong, _) = restless(repository, before);
        let names: Vec<String> =
            projects.iter().map(|(template, folder)| format!("{}@{folder}", template.name)).collect();
        prop_assert!(
            wrong.is_empty(),
            "{} {before:?} {own_rules:?}: {}",
            names.join(" "),
            wrong.join("\n")
        );
    }
}

/// A rule of a project inside of a folder reaches beyond it, and what it ignores there still tells
/// what the rest of that folder is.
#[test]
fn a_rule_that_reaches_out_of_its_project_keeps_neighbours_known() {
    let templates = Collection::built_in().unwrap();
    let php = templates.iter().find(|template| template.name == "php");
    let repository = Repository {
        projects: &[(php.unwrap(), "gauge/")],
        own_rules: &["*.json"],
        variant: None,
    };
    let (wrong, end) = restless(repository, Before::Untracked);
    assert_eq!(wrong, Vec::<String>::new());
    assert!(
        !end.iter().any(|path| path.name() == "composer.phar"),
        "{end:?}"
    );
}

/// What a person's pattern re-includes stays in the next commit, and a second draft writes nothing.
#[test]
fn a_draft_around_a_persons_exception_is_at_rest() {
    let templates = Collection::built_in().unwrap();
    let buf = templates.iter().find(|template| template.name == "buf");
    for before in STATES {
        let repository = Repository {
            projects: &[(buf.unwrap(), "")],
            own_rules: &["!*.md"],
            variant: None,
        };
        assert_eq!(restless(repository, before).0, Vec::<String>::new());
    }
}

/// What a person's rule covers stays ignored where another template's exception in the same block
/// would re-include it.
#[test]
fn an_exception_of_one_template_undoes_no_rule_of_a_person() {
    let templates = Collection::built_in().unwrap();
    let platformio = templates
        .iter()
        .find(|template| template.name == "platformio");
    let repository = Repository {
        projects: &[(platformio.unwrap(), "")],
        own_rules: &["*.json"],
        variant: None,
    };
    let (wrong, end) = restless(repository, Before::Untracked);
    assert_eq!(wrong, Vec::<String>::new());
    assert!(
        !end.iter().any(|path| path.name() == "launch.json"),
        "{end:?}"
    );
}

/// Where a person's rule ignores everything, what is tracked is found once, and that's it.
#[test]
fn a_rule_that_ignores_everything_leaves_nothing_restless() {
    let templates = Collection::built_in().unwrap();
    let find = |name: &str| {
        templates
            .iter()
            .find(|template| template.name == name)
            .unwrap()
    };
    let repository = Repository {
        projects: &[(find("statistics"), ""), (find("julia"), "")],
        own_rules: &["out/", "*"],
        variant: None,
    };
    assert_eq!(
        restless(repository, Before::Committed).0,
        Vec::<String>::new()
    );
}

/// A project that is recognised by what its own rules ignore holds for what is below it afterwards.
#[test]
fn a_marker_that_is_ignored_by_now_still_holds_for_what_is_below() {
    let templates = Collection::built_in().unwrap();
    let find = |name: &str| {
        templates
            .iter()
            .find(|template| template.name == name)
            .unwrap()
    };
    let repository = Repository {
        projects: &[(find("experiments"), ""), (find("sphinx"), "tools/replay/")],
        own_rules: &[],
        variant: None,
    };
    assert_eq!(
        restless(repository, Before::Untracked).0,
        Vec::<String>::new()
    );
}
