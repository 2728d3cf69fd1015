//! A draft of attributes never changes what somebody declared: git is asked before and after, on
//! random files of a person's own.

use crate::ground::Ground;
use proptest::prelude::*;
use redshank_git::Git;
use redshank_rules::RepoPath;
use redshank_templates::{AttributeDraft, Collection, recognise};
use redshank_worktree::Snapshot;
use std::collections::BTreeMap;

const FILES: &[(&str, &str)] = &[
    (
        "game/ProjectSettings/ProjectVersion.txt",
        "m_EditorVersion: 1\n",
    ),
    ("game/Assets/boat.cs", "class Boat {}\n"),
    ("game/Assets/boat.unity", "%YAML\n"),
    ("Cargo.toml", "[package]\n"),
    ("src/main.rs", "fn main() {}\n"),
    ("gradlew", "#!/bin/sh\n"),
    ("build.gradle", "\n"),
    ("run.bat", "\r\n"),
    ("run.sh", "\n"),
    ("tide.pdf", "x"),
];

fn line() -> impl Strategy<Value = String> {
    let pattern = prop::sample::select(vec![
        "*", "*.sh", "*.rs", "*.pdf", "*.cs", "game/**", "/gradlew", "*.unity", "run.*",
    ]);
    let settings = prop::sample::select(vec![
        "text=auto",
        "-text",
        "!text",
        "eol=lf",
        "diff=cpp",
        "-diff",
        "binary",
        "-binary",
        "!diff",
        "merge=union",
        "mine",
        "text",
    ]);
    (pattern, prop::collection::vec(settings, 1..3))
        .prop_map(|(pattern, settings)| format!("{pattern} {}\n", settings.join(" ")))
}

fn file() -> impl Strategy<Value = String> {
    let macros = prop_oneof![
        Just(String::new()),
        Just("[attr]mine -diff merge=text\n".to_owned())
    ];
    (macros, prop::collection::vec(line(), 0..5)).prop_map(|(first, lines)| first + &lines.concat())
}

/// What git says of all attributes of all files.
fn given(ground: &Ground) -> BTreeMap<(String, String), String> {
    let paths = FILES.iter().map(|(path, _)| *path);
    let said = Git::at(&ground.top)
        .args(["check-attr", "-z", "--all", "--"])
        .args(paths)
        .output()
        .unwrap();
    let said = String::from_utf8(said).unwrap();
    let fields: Vec<&str> = said.split('\0').collect();
    let rows = fields.chunks_exact(3);
    rows.map(|row| ((row[0].to_owned(), row[1].to_owned()), row[2].to_owned()))
        .collect()
}

fn keeps_what_is_declared(top: &str, nested: &str, clone: &str) -> Result<(), TestCaseError> {
    let ground = Ground::new(FILES);
    let texts = [
        (".gitattributes", top),
        ("game/.gitattributes", nested),
        (".git/info/attributes", clone),
    ];
    for (path, text) in texts {
        ground.write(path, text);
    }
    let before = given(&ground);
    let collection = Collection::built_in().unwrap();
    let compose = || {
        let snapshot = Snapshot::open(&ground.top).unwrap();
        let survey = recognise(&snapshot, snapshot.tree().unwrap(), &collection);
        AttributeDraft::compose(&snapshot, &collection, &survey, &[], &[]).unwrap()
    };
    let draft = compose();
    let after = String::from_utf8(draft.after).unwrap();
    prop_assert!(after.ends_with(top), "what a person wrote stays: {after}");
    ground.write(".gitattributes", &after);
    let now = given(&ground);
    for (key, value) in &before {
        prop_assert_eq!(now.get(key), Some(value), "{:?} with\n{}", key, after);
    }
    // At rest.
    prop_assert_eq!(String::from_utf8(compose().after).unwrap(), after);
    let is_general = now.get(&("gradlew".to_owned(), "text".to_owned()));
    prop_assert!(is_general.is_some() || !top.is_empty() || !clone.is_empty());
    prop_assert!(
        !draft
            .lines
            .iter()
            .any(|line| RepoPath::new(line).is_folder())
    );
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig {
        cases: ProptestConfig::default().cases / 8,
        failure_persistence: None,
        ..ProptestConfig::default()
    })]

    #[test]
    fn nothing_that_is_declared_becomes_another_value(
        top in file(),
        nested in file(),
        clone in file(),
    ) {
        keeps_what_is_declared(&top, &nested, &clone)?;
    }
}
