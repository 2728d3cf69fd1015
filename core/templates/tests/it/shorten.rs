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

fn agrees(top: &[&str], nested: &[&str]) -> Result<(), TestCaseError> {
    let ground = Ground::new(FILES);
    ground.write(".gitignore", &(top.join("\n") + "\n"));
    ground.write("data/.gitignore", &nested.join("\n"));
    let before = ignored(&ground);
    let collection = Collection::of_templates(Vec::new());
    let shorter = {
        let snapshot = Snapshot::open(&ground.top).unwrap();
        let survey = recognise(&snapshot, snapshot.tree().unwrap(), &collection);
        shorten(&snapshot, &collection, &survey, &[], false).unwrap()
    };
    for file in &shorter.files {
        prop_assert!(!file.removed.is_empty());
        let path = file.folder.join(IGNORE_FILE);
        ground.write(&path.to_str_lossy(), &file.after.to_str_lossy());
    }
    prop_assert_eq!(&ignored(&ground), &before, "{:?} {:?}", top, nested);
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
        agrees(&top, &nested)?;
    }
}
