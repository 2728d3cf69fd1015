//! Recognising projects and drafting rules for them, on random trees.

use crate::ground::Ground;
use bstr::BString;
use proptest::prelude::*;
use redshank_templates::{Collection, DraftOptions, Template, TemplateRequest, TemplateRule};
use redshank_worktree::ignore_file::labels;
use redshank_worktree::settings::Layout;
use redshank_worktree::{RepoPath, Snapshot};
use std::collections::BTreeSet;
use std::path::Path;

#[test]
fn projects_are_found_where_they_lie() {
    let ground = Ground::new(&[
        ("Cargo.toml", "[workspace]\nmembers = [\"a\"]\n"),
        ("a/Cargo.toml", "[package]\n"),
        ("web/package.json", "{}"),
        ("web/node_modules/dep/package.json", "{}"),
        ("web/node_modules/dep/Cargo.toml", "[package]\n"),
        ("web/inner/package.json", "{}"),
        ("x/y/z/pyproject.toml", ""),
        ("x/y/z/odd/pyvenv.cfg", ""),
        ("x/y/z/odd/lib/setup.py", ""),
        (
            "cache/CACHEDIR.TAG",
            "Signature: 8a477f597d28d172789f06886806bc55\n",
        ),
        ("cache/x/package.json", "{}"),
        ("not/CACHEDIR.TAG", "Signature: something else\n"),
        ("native/CMakeLists.txt", "add_subdirectory(x)\n"),
        ("target/debug/Cargo.toml", ""),
    ]);
    let (projects, folders) = ground.found();
    assert_eq!(
        projects,
        ["rust@", "node@web/", "node@web/inner/", "python@x/y/z/"]
    );
    assert_eq!(folders, ["cache/", "x/y/z/odd/"]);
}

#[test]
fn files_that_lie_anywhere_are_gathered_into_one_project() {
    let ground = Ground::new(&[
        ("north/src/a/x.c", ""),
        ("north/src/b/y.c", ""),
        ("docs/guide/one/a.tex", ""),
        ("docs/guide/two/b.tex", ""),
        ("server/pom.xml", "<project/>"),
        ("server/src/main/java/Main.java", ""),
        ("server/papers/deep/c.tex", ""),
        ("firmware/CMakeLists.txt", "project(x C)"),
        ("firmware/src/main.c", ""),
    ]);
    // LaTeX lies in two places that have nothing above them but the top; C and Java of a real
    // project are its own.
    assert_eq!(
        ground.found().0,
        [
            "cmake@firmware/",
            "c@firmware/",
            "maven@server/",
            "latex@",
            "c@north/"
        ]
    );
}

/// What the person has already is not said again, and what a clone needs is let in.
#[test]
fn a_draft_leaves_out_what_stands_and_lets_in_what_is_needed() {
    let ground = Ground::new(&[
        ("Cargo.toml", "[package]"),
        (".gitignore", "/target/\n*.lock\n"),
        ("Cargo.lock", ""),
        ("deep/x", ""),
    ]);
    let draft = ground.draft();
    assert!(
        !draft.added.contains(&"/target/".into()),
        "{:?}",
        draft.added
    );
    assert!(draft.covered + draft.repeated > 0);
    let text = ground.takes(&draft);
    assert!(text.starts_with("/target/\n*.lock\n"), "{text}");
    assert_eq!(text.matches("/target/").count(), 1, "{text}");
    assert!(text.contains("!/Cargo.lock"), "{text}");
    let again = ground.draft();
    assert!(again.added.is_empty() && again.retired.is_empty() && again.conflicts.is_empty());
}

#[test]
fn a_request_counts_where_it_is_made() {
    let ground = Ground::new(&[
        ("one/Cargo.toml", ""),
        ("two/Cargo.toml", ""),
        ("three/x", ""),
    ]);
    let snapshot = Snapshot::of(&ground.top).unwrap();
    let all = Collection::built_in().unwrap();
    let labels_of = |name: &str, folder: Option<&str>| {
        let requests =
            TemplateRequest::of(&snapshot, &all, name, folder.map(RepoPath::new)).unwrap();
        let draft = ground.draft_with(&all, &requests, DraftOptions::default());
        labels(&draft.files[RepoPath::top()].after)
            .iter()
            .map(BString::to_string)
            .collect::<Vec<_>>()
    };
    assert_eq!(labels_of("rust", None), ["rust in /one/ and /two/"]);
    assert_eq!(labels_of("rust", Some("three/")), ["rust in /three/"]);
    assert_eq!(labels_of("node", None), ["node"]);
    assert_eq!(
        labels_of("macos", Some("three")),
        ["macos"],
        "litter lies anywhere"
    );
    assert!(TemplateRequest::of(&snapshot, &all, "rust", Some("four".into())).is_err());
}

/// The marker of a project type, and what the type must ignore and keep, relative to the project.
const TYPES: &[(&str, &str, &str, &str)] = &[
    ("Cargo.toml", "[package]", "target/debug/x", "src/target.rs"),
    ("package.json", "{}", "node_modules/a/b.js", "src/node.js"),
    ("pyproject.toml", "", "pkg/__pycache__/m.pyc", "pkg/m.py"),
    (
        "settings.gradle",
        "",
        ".gradle/x",
        "src/main/java/build/Step.java",
    ),
    (
        "ProjectSettings/ProjectVersion.txt",
        "",
        "Library/x",
        "Assets/Library/y.cs",
    ),
];

fn folder() -> impl Strategy<Value = String> {
    let part = prop::sample::select(vec!["a", "b c", "[d]", "e!", "#f", "ü"]);
    prop::collection::vec(part, 0..4)
        .prop_map(|parts| parts.iter().map(|part| format!("{part}/")).collect())
}

fn own_line() -> impl Strategy<Value = String> {
    prop::sample::select(vec![
        "# ours",
        "*.own",
        "/mine/",
        "",
        "!keep.own",
        "node_modules/",
        "*.pyc",
    ])
    .prop_map(str::to_owned)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 40, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn drafted_rules_hold_in_every_folder_and_a_second_draft_adds_nothing(
        projects in prop::collection::vec((folder(), 0..TYPES.len()), 1..4),
        own in prop::collection::vec(own_line(), 0..5),
    ) {
        let ground = Ground::new(&[]);
        for (folder, nth) in &projects {
            let (marker, contents, ignored, kept) = TYPES[*nth];
            for (path, contents) in [(marker, contents), (ignored, ""), (kept, "")] {
                ground.write(&format!("{folder}{path}"), contents);
            }
        }
        let own = own.iter().map(|line| format!("{line}\n")).collect::<String>();
        ground.write(".gitignore", &own);
        let first = ground.takes(&ground.draft());
        prop_assert!(first.starts_with(&own), "every line that stood still stands");
        for (folder, nth) in &projects {
            let (_, _, ignored, kept) = TYPES[*nth];
            let ignored = format!("{folder}{ignored}");
            prop_assert!(ground.ignored_by_git(&ignored), "{ignored} in {first}");
            // A project may lie in a folder that another one's rules keep out; none here is named
            // so.
            let kept = format!("{folder}{kept}");
            prop_assert!(!ground.ignored_by_git(&kept), "{kept} in {first}");
        }
        prop_assert_eq!(&ground.takes(&ground.draft()), &first);
        let lines: Vec<&str> = first[own.len()..].lines().filter(|line| !line.starts_with('#') && !line.is_empty()).collect();
        let mut once = lines.clone();
        once.sort_unstable();
        once.dedup();
        prop_assert_eq!(once.len(), lines.len(), "no rule stands twice");
    }
}

#[test]
fn a_place_without_a_file_is_drafted_from_nothing() {
    let ground = Ground::new(&[("Cargo.toml", "")]);
    assert!(!Path::new(&ground.top).join(".gitignore").exists());
    let text = ground.takes(&ground.draft());
    assert!(
        text.starts_with("# redshank: begin rust\n/target/\n"),
        "{text}"
    );
}

/// A template with these rules, at a revision.
fn template_with(rules: &BTreeSet<u8>, revision: u32) -> Template {
    let mut template = Collection::built_in()
        .unwrap()
        .find("rust")
        .unwrap()
        .clone();
    let one = template.rule[0].clone();
    template.needed.clear();
    template.rule = rules
        .iter()
        .map(|nth| TemplateRule {
            pattern: format!("/made-{nth}/"),
            // Neighbours share a reason, and reasons change from revision to revision.
            reason: format!("reason {} of revision {revision}", nth / 2),
            ignored: vec![format!("made-{nth}/x")],
            ..one.clone()
        })
        .collect();
    template.revision = revision;
    template
}

fn rules_of(text: &str) -> Vec<&str> {
    text.lines()
        .filter(|line| !line.is_empty() && !line.starts_with('#'))
        .collect()
}

/// What a person does to a line of the file: leaves it, takes it out, changes it, writes one behind
/// it.
fn edits() -> impl Strategy<Value = Vec<u8>> {
    prop::collection::vec(prop::sample::select(vec![0, 0, 0, 1, 2, 3]), 40)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn a_refresh_keeps_what_a_person_did_and_brings_in_what_is_new(
        old in prop::collection::btree_set(0..12u8, 1..8),
        new in prop::collection::btree_set(0..12u8, 1..8),
        edits in edits(),
        folders in any::<bool>(),
    ) {
        let ground = Ground::new(&[("gateway/Cargo.toml", "")]);
        let layout = if folders { Layout::Folders } else { Layout::Top };
        let file = if folders { "gateway/.gitignore" } else { ".gitignore" };
        let place = if folders { "/" } else { "/gateway/" };
        let fitted = |nth: &u8| format!("{place}made-{nth}/");
        let draft = |rules: &BTreeSet<u8>, revision| {
            let collection = Collection::of_templates(vec![template_with(rules, revision)]);
            let options = DraftOptions { layout, refresh: true, ..DraftOptions::default() };
            let draft = ground.draft_with(&collection, &[], options);
            ground.takes(&draft);
            std::fs::read_to_string(ground.top.join(file)).unwrap()
        };
        let first = draft(&old, 1);
        let mut edited = String::new();
        let mut own = Vec::new();
        let mut nth = 0;
        for (line, edit) in first.lines().zip(&edits) {
            let mark = line.starts_with("# redshank: ");
            nth += 1;
            if mark || *edit != 1 && *edit != 2 {
                edited += &format!("{line}\n");
            }
            if *edit == 2 && !mark || *edit == 3 {
                own.push(format!("own-{nth}"));
                edited += &format!("own-{nth}\n");
            }
        }
        ground.write(file, &edited);
        let gone: Vec<String> = old.iter().map(fitted).filter(|rule| !edited.lines().any(|line| line == rule)).collect();

        let after = draft(&new, 2);
        let rules = rules_of(&after);
        for own in &own {
            prop_assert_eq!(rules.iter().filter(|line| *line == own).count(), 1, "{} in {}", own, after);
        }
        for rule in &gone {
            prop_assert!(!rules.contains(&rule.as_str()), "{} was taken out and is back in {}", rule, after);
        }
        for rule in new.iter().map(fitted) {
            let times = rules.iter().filter(|line| **line == rule).count();
            prop_assert_eq!(times, usize::from(!gone.contains(&rule)), "{} in {}", rule, after);
        }
        for rule in old.difference(&new).map(fitted) {
            prop_assert!(!rules.contains(&rule.as_str()), "{} is retired and still in {}", rule, after);
        }
        prop_assert_eq!(&draft(&new, 2), &after, "a second refresh changes nothing");
        prop_assert!(draft(&old, 3).lines().all(|line| !gone.iter().any(|rule| rule == line)), "never revived");
    }
}
