//! A file that was made shorter gives the same verdicts: git is asked before and after, also about
//! names that nobody proved it on.

use crate::ground::Ground;
use bstr::ByteSlice;
use proptest::prelude::*;
use redshank_git::Git;
use redshank_rules::{IGNORE_FILE, RepoPath};
use redshank_templates::{Collection, recognise, shorten};
use redshank_worktree::Snapshot;

const FILES: &[(&str, &str)] = &[
    ("Cargo.toml", "[package]\n"),
    ("src/main.rs", ""),
    ("src/out/a.log", ""),
    ("out/a.log", ""),
    ("out/keep.txt", ""),
    ("logs/b.log", ""),
    ("tide.raw", ""),
    ("data/tide.raw", ""),
    ("data/deep/x.tmp", ""),
];

/// Names that are not there.
const OTHERS: &[&str] = &[
    "new.log",
    "out/new/x",
    "src/out/new.log",
    "data/out/x",
    "data/new.raw",
    "a.tmp",
    "logs/x.tmp",
    "deep/out/logs/y",
    "b.out",
    "out.log",
];

const LINES: &[&str] = &[
    "*.log",
    "*.log",
    "a.log",
    "/out/",
    "out/",
    "out",
    "/out/a.log",
    "!out/keep.txt",
    "!/out/",
    "!*.log",
    "logs/",
    "/logs/*",
    "!/logs/b.log",
    "*.raw",
    "tide.raw",
    "/data/*.raw",
    "data/**",
    "**/out/",
    "src/out/*",
    "*.tmp",
    "**/*.tmp",
    "# tides",
    "",
    "# built",
    "\\#x",
    "*.[lt]og",
    "out/**",
    "/*.raw",
    "__pycache__/",
];

/// Lines that one rule may replace.
const ALIKE: &[&str] = &[
    "tide.raw",
    "spring.raw",
    "/autumn.raw",
    "/data/tide.raw",
    "/data/spring.raw",
    "/data/winter.raw",
    "/data/out/",
    "/src/out/",
    "/logs/out/",
    "/data/deep/x.tmp",
    "/data/flat/x.tmp",
    "/data/high/x.tmp",
    "!/data/tide.raw",
    "!/src/out/",
    "out/",
    "*.log",
];

fn lines() -> impl Strategy<Value = Vec<&'static str>> {
    prop::collection::vec(prop::sample::select(LINES), 0..14)
}

/// Which of the paths git takes for ignored.
fn ignored(ground: &Ground) -> Vec<String> {
    // One always is, so that git never ends with "none".
    ground.write(".git/info/exclude", "always\n");
    let paths = FILES.iter().map(|(path, _)| *path);
    let ask = ["check-ignore", "--no-index", "--", "always"];
    let git = Git::at(&ground.top).args(ask).args(paths);
    let said = git.args(OTHERS.iter().copied()).output().unwrap();
    said.lines()
        .map(|path| path.to_str_lossy().into_owned())
        .collect()
}

fn agrees(top: &[&str], nested: &[&str], merging: bool) -> Result<(), TestCaseError> {
    let ground = Ground::new(FILES);
    ground.write(".gitignore", &(top.join("\n") + "\n"));
    ground.write("data/.gitignore", &nested.join("\n"));
    let before = ignored(&ground);
    let collection = Collection::of_templates(Vec::new());
    let shorter = {
        let snapshot = Snapshot::open(&ground.top).unwrap();
        let survey = recognise(&snapshot, snapshot.tree().unwrap(), &collection);
        shorten(&snapshot, &collection, &survey, &[], merging).unwrap()
    };
    for file in &shorter.files {
        prop_assert!(!file.removed.is_empty());
        let path = file.folder.join(IGNORE_FILE);
        ground.write(&path.to_str_lossy(), &file.after.to_str_lossy());
    }
    let mut after = ignored(&ground);
    if merging {
        // A wider rule is for what isn't there yet, too.
        after.retain(|path| !OTHERS.contains(&path.as_str()) || before.contains(path));
    }
    prop_assert_eq!(&after, &before, "{:?} {:?}", top, nested);
    // No identical rule is left twice.
    let after = std::fs::read_to_string(ground.top.join(".gitignore")).unwrap();
    let rules: Vec<&str> = after
        .lines()
        .filter(|line| !line.is_empty() && !line.starts_with('#'))
        .collect();
    let mut once = rules.clone();
    once.sort_unstable();
    once.dedup();
    prop_assert!(shorter.unproven > 0 || once.len() == rules.len(), "{after}");
    prop_assert!(RepoPath::new("x").is_top() || shorter.paths >= FILES.len());
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig {
        cases: ProptestConfig::default().cases / 4,
        failure_persistence: None,
        ..ProptestConfig::default()
    })]

    #[test]
    fn a_shorter_file_gives_the_same_verdicts(top in lines(), nested in lines()) {
        agrees(&top, &nested, false)?;
    }

    #[test]
    fn one_rule_for_many_gives_the_same_verdicts(
        top in prop::collection::vec(prop::sample::select(ALIKE), 0..12),
        nested in lines(),
    ) {
        agrees(&top, &nested, true)?;
    }
}
