//! Drafting and tidying come to rest, and both judge a file alike whether it is untracked, staged or
//! committed.

use crate::changes::Ground;
use proptest::prelude::*;
use redshank_changes::plan::{Plan, PlanOptions};
use redshank_changes::{Edit, RuleTarget, write};
use redshank_findings::{ScanOptions, scan};
use redshank_templates::{Collection, Draft, DraftOptions, MEMORY_FILE, Template, recognise};
use redshank_worktree::rules::RuleScope;
use redshank_worktree::{RepoPathBuf, Snapshot};
use std::collections::BTreeMap;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Before {
    Untracked,
    Staged,
    Committed,
}

const STATES: [Before; 3] = [Before::Untracked, Before::Staged, Before::Committed];

/// Lays out a project of a type: a file by which it is recognised, and all that its rules' examples
/// name.
fn lay_out(template: &Template, variant: Option<&String>, before: Before) -> Ground {
    let ground = Ground::new();
    if let Some(marker) = template.recognise.first() {
        let name = marker.file.trim_start_matches('/').replace("**/", "");
        let name = name.replace(['*', '?'], "gauge").replace("[Aa]", "A");
        ground.write(&name, marker.contains.as_deref().unwrap_or_default());
    }
    ground.write("README.md", "tide gauges\n");
    for rule in &template.rule {
        for example in &rule.ignored {
            let path = ground.top.join(example);
            let is_free = path
                .ancestors()
                .skip(1)
                .take_while(|above| *above != ground.top);
            if !path.exists() && is_free.into_iter().all(|above| !above.is_file()) {
                match example.strip_suffix('/') {
                    Some(folder) => ground.write(&format!("{folder}/made"), "\0made"),
                    None => ground.write(example, "\0made"),
                }
            }
        }
    }
    if let Some(variant) = variant {
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

fn collection(snapshot: &Snapshot) -> Collection {
    let choices = &snapshot.settings().unwrap().draft;
    Collection::built_in().unwrap().chosen(choices).unwrap()
}

/// Drafts and writes it; gives whether anything changed.
fn draft(ground: &Ground) -> bool {
    let snapshot = ground.snapshot();
    let templates = collection(&snapshot);
    let survey = recognise(&snapshot, snapshot.tree().unwrap(), &templates);
    let draft = Draft::compose(&snapshot, &survey, &[], DraftOptions::default()).unwrap();
    let mut edits = Vec::new();
    for (folder, file) in draft.files {
        let target = RuleTarget::of(&snapshot, RuleScope::Folder, &folder).unwrap();
        edits.push(Edit::of_rules(target, file.after));
    }
    if let Some((before, after)) = draft.memory {
        edits.push(Edit::of_memory(MEMORY_FILE, before, after));
    }
    write(&snapshot, "draft", &edits).unwrap();
    !edits.is_empty()
}

/// Tidies; gives whether anything changed.
fn tidy(ground: &Ground) -> bool {
    let snapshot = ground.snapshot();
    let templates = collection(&snapshot);
    let survey = recognise(&snapshot, snapshot.tree().unwrap(), &templates);
    let found = scan(&snapshot, &survey, &ScanOptions::default()).unwrap();
    let plan = Plan::of(&snapshot, found.findings, PlanOptions::default()).unwrap();
    let journal = redshank_changes::journal::Journal::of(&snapshot).unwrap();
    if !plan.changes.is_empty() {
        journal.apply("tidy", &plan.changes).unwrap();
    }
    !plan.changes.is_empty()
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

/// What is not at rest for a template, in words.
fn restless(template: &Template, variant: Option<&String>) -> Vec<String> {
    let mut wrong = Vec::new();
    let mut ends = BTreeMap::new();
    for before in STATES {
        let mut note =
            |what: &str| wrong.push(format!("{} {variant:?} {before:?}: {what}", template.name));
        let first = lay_out(template, variant, before);
        draft(&first);
        if draft(&first) {
            note("a second draft writes");
        }
        tidy(&first);
        if tidy(&first) {
            note("tidy after draft is not at rest");
        }
        if draft(&first) {
            note("draft after tidy writes");
        }
        let second = lay_out(template, variant, before);
        tidy(&second);
        if tidy(&second) {
            note("a second tidy changes");
        }
        draft(&second);
        if tidy(&second) {
            note("tidy after tidy and draft changes");
        }
        let (a, b) = (to_commit(&first), to_commit(&second));
        if a != b {
            let only = |a: &[RepoPathBuf], b: &[RepoPathBuf]| {
                let only = a.iter().filter(|path| !b.contains(path));
                only.map(ToString::to_string).collect::<Vec<_>>().join(" ")
            };
            note(&format!(
                "the order counts: {} | {}",
                only(&a, &b),
                only(&b, &a)
            ));
        }
        ends.insert(format!("{before:?}"), a);
    }
    let untracked = &ends["Untracked"];
    for (state, end) in &ends {
        if end != untracked {
            let only = |a: &[RepoPathBuf], b: &[RepoPathBuf]| {
                let only = a.iter().filter(|path| !b.contains(path));
                only.map(ToString::to_string).collect::<Vec<_>>().join(" ")
            };
            wrong.push(format!(
                "{} {variant:?}: {state} ends otherwise than untracked: +{} -{}",
                template.name,
                only(end, untracked),
                only(untracked, end)
            ));
        }
    }
    wrong
}

/// What tests are given stays as it is, whatever rules say of its name.
const GIVEN: [&str; 3] = ["playwright/.auth/", "fuzz/corpus/", ".env.test.local"];

proptest! {
    #![proptest_config(ProptestConfig {
        cases: ProptestConfig::default().cases / 16,
        failure_persistence: None,
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
        let wrong = restless(template, variant.as_ref());
        prop_assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    }
}
