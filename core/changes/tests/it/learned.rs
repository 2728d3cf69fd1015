//! Rules learned from random runs on random trees: the real git says what they ignore.

use bstr::{BString, ByteSlice};
use proptest::prelude::*;
use redshank_changes::rehearse::{
    Learned, LearnedStatus, PastRuns, Run, RunDifference, RunSnapshot, WriteEvents,
};
use redshank_git::Git;
use redshank_rules::RepoPath;
use redshank_worktree::Snapshot;
use std::collections::BTreeSet;
use std::io::Write;
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::Duration;

/// A tree, which of its files git tracks, and what three runs of a command leave behind.
#[derive(Debug, Clone)]
struct Case {
    there: Vec<BString>,
    tracked: Vec<prop::sample::Index>,
    runs: Vec<Vec<BString>>,
}

fn path() -> impl Strategy<Value = BString> {
    let folder = prop::sample::select(vec!["out", "data", "a b", "deep", "run-1", "run-2", "[x]"]);
    let name = prop::sample::select(vec![
        "a.csv",
        "b.csv",
        "c.csv",
        "run-1.lst",
        "run-22.lst",
        "app.3f2a9c1d.js",
        "app.77aa01bc.js",
        "stamp",
        "x[1].bin",
        "!odd",
        "#odd",
        "tail ",
        "é.dat",
        "back\\slash",
        "main.rs",
        "x.log",
        "y.log",
        "notes.md",
    ]);
    (prop::collection::vec(folder, 0..3), name)
        .prop_map(|(folders, name)| [folders, vec![name]].concat().join("/").into())
}

fn case() -> impl Strategy<Value = Case> {
    let index = any::<prop::sample::Index>();
    (
        prop::collection::vec(path(), 0..12),
        prop::collection::vec(index, 0..3),
        prop::collection::vec(prop::collection::vec(path(), 0..10), 3),
    )
        .prop_map(|(there, tracked, runs)| Case {
            there,
            tracked,
            runs,
        })
}

/// Writes a file, where the system can have its name, and that isn't taken by a folder, nor a
/// folder's by a file.
fn write(top: &Path, path: &BString, contents: &str) -> bool {
    if cfg!(windows) && path.find_byteset(b"\\:*?\"<>|").is_some() {
        return false;
    }
    let path = top.join(path.to_path().unwrap());
    std::fs::create_dir_all(path.parent().unwrap()).is_ok()
        && std::fs::write(path, contents).is_ok()
}

/// Those of the paths that git leaves out with these rules.
fn kept_out(top: &Path, rules: &[BString], paths: &BTreeSet<BString>) -> BTreeSet<BString> {
    std::fs::write(top.join(".git/info/exclude"), bstr::join("\n", rules)).unwrap();
    let asked: Vec<u8> = paths
        .iter()
        .flat_map(|path| [path, &b"\0"[..]].concat())
        .collect();
    let words = ["check-ignore", "--no-index", "--stdin", "-z"];
    let mut git = Command::new("git");
    let git = git
        .args(words)
        .current_dir(top)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped());
    let mut git = git.spawn().unwrap();
    git.stdin.take().unwrap().write_all(&asked).unwrap();
    let said = git.wait_with_output().unwrap();
    assert!(matches!(said.status.code(), Some(0 | 1)), "git refused");
    std::fs::write(top.join(".git/info/exclude"), "").unwrap();
    let parts = said
        .stdout
        .split(|byte| *byte == 0)
        .filter(|path| !path.is_empty());
    parts.map(BString::from).collect()
}

fn run(top: &Path, files: &[BString], nth: usize) -> (RunDifference, BTreeSet<BString>) {
    let worktree = Snapshot::open(top).unwrap().worktree().clone();
    let past = PastRuns::read(&worktree).unwrap();
    let before = RunSnapshot::take(&worktree).unwrap();
    // No two runs write the same, so that sizes differ where times are too coarse to.
    let text = "x".repeat(nth + 2);
    let made = files.iter().filter(|path| write(top, path, &text));
    let made = made.cloned().collect();
    let run = Run {
        command: "make".to_owned(),
        ..Run::default()
    };
    let left = before.difference(&run, &past).unwrap();
    past.remember(&worktree, &run, &left).unwrap();
    (left, made)
}

proptest! {
    #![proptest_config(ProptestConfig {
        cases: ProptestConfig::default().cases / 6,
        failure_persistence: None,
        ..ProptestConfig::default()
    })]
    #[test]
    fn a_learned_rule_keeps_out_what_came_and_nothing_that_was_there(case in case()) {
        let folder = tempfile::tempdir().unwrap();
        let top = folder.path().canonicalize().unwrap();
        Git::at(&top).args(["init", "--quiet"]).output().unwrap();
        let there = case.there.iter().filter(|path| write(&top, path, "t"));
        let there: BTreeSet<BString> = there.cloned().collect();
        let names: Vec<&BString> = there.iter().collect();
        for at in case.tracked.iter().filter(|_| !names.is_empty()) {
            let path = at.get(&names).to_os_str().unwrap();
            let words = ["--literal-pathspecs", "add", "-f", "--"];
            Git::at(&top).args(words).args([path]).output().unwrap();
        }
        let mut made_ever = BTreeSet::new();
        for (nth, files) in case.runs.iter().enumerate() {
            let (left, made) = run(&top, files, nth);
            let came: BTreeSet<BString> = made.difference(&there).cloned().collect();
            made_ever.extend(came.iter().cloned());
            let rules: Vec<BString> = left.unruled.iter().map(|new| new.rule.clone()).collect();
            // All that came, by one of the rules; and nothing that was there before the first run.
            prop_assert_eq!(kept_out(&top, &rules, &came), came.clone());
            prop_assert_eq!(kept_out(&top, &rules, &there), BTreeSet::new());
            // What was there is never new; what was written again is reported, unless a template
            // knows it.
            let told = left.changed.iter().chain(&left.rewritten);
            let told: BTreeSet<BString> = told.map(|path| path.as_bstr().to_owned()).collect();
            let again: BTreeSet<BString> = made.intersection(&there).cloned().collect();
            prop_assert!(told.is_subset(&again), "{:?} {:?}", told, again);
            prop_assert!(again.difference(&told).all(|path| path.ends_with(b".log")), "{:?}", told);
            for new in &left.unruled {
                prop_assert!(new.runs >= 1 && new.runs <= new.of_runs);
                prop_assert_eq!(new.of_runs as usize, nth + 1);
                let is_in_all = new.runs == new.of_runs;
                prop_assert!(!is_in_all || new.status != LearnedStatus::NotEveryTime);
            }
        }
    }
}

#[test]
fn what_several_runs_put_into_one_folder_is_known_again_until_somebody_adds_to_it() {
    for [first, second] in [["out/a.csv", "out/b.csv"], ["out/stamp", "out/x.log"]] {
        let folder = tempfile::tempdir().unwrap();
        let top = folder.path().canonicalize().unwrap();
        Git::at(&top).args(["init", "--quiet"]).output().unwrap();
        run(&top, &[first.into()], 0);
        run(&top, &[second.into()], 1);
        let (left, _) = run(&top, &[first.into()], 2);
        assert!(left.rewritten.is_empty(), "{first}");
        assert!(left.unruled.iter().any(|new| new.runs >= 2), "{first}");
        write(&top, &"out/mine.txt".into(), "by hand");
        let (left, _) = run(&top, &[first.into(), "out/mine.txt".into()], 3);
        let rules: Vec<BString> = left.unruled.iter().map(|new| new.rule.clone()).collect();
        let mine = BTreeSet::from(["out/mine.txt".into()]);
        assert_eq!(kept_out(&top, &rules, &mine), BTreeSet::new(), "{first}");
        let mine = RepoPath::new("out/mine.txt").to_owned();
        assert!(left.rewritten.contains(&mine), "{first}");
    }
}

#[test]
fn only_the_last_runs_of_a_command_are_kept() {
    let folder = tempfile::tempdir().unwrap();
    let top = folder.path().canonicalize().unwrap();
    Git::at(&top).args(["init", "--quiet"]).output().unwrap();
    for nth in 0..12 {
        let name = format!("part-{}", ["a", "b"][nth % 2]);
        run(&top, &[name.into()], nth);
    }
    let worktree = Snapshot::open(&top).unwrap().worktree().clone();
    let past = PastRuns::read(&worktree).unwrap();
    assert_eq!(past.of_command("make").count(), 10);
    assert_eq!(past.of_command("other").count(), 0);
    assert_eq!(past.last().unwrap().rules(), b"/part-b");
}

/// What a watch would propose for these files, each with the program that was seen to write it.
fn watched(files: &[(&str, &str)]) -> Vec<(String, LearnedStatus)> {
    let folder = tempfile::tempdir().unwrap();
    let top = folder.path().canonicalize().unwrap();
    Git::at(&top).args(["init", "--quiet"]).output().unwrap();
    for folder in ["a", "b", "data"] {
        assert!(write(&top, &format!("{folder}/there.csv").into(), "1"));
    }
    let worktree = Snapshot::open(&top).unwrap().worktree().clone();
    let before = RunSnapshot::take(&worktree).unwrap();
    let mut seen = WriteEvents::default();
    for (path, program) in files {
        assert!(write(&top, &(*path).into(), "x = 1\n"));
        let at = Duration::from_millis(10);
        match *program {
            "" => seen.written(RepoPath::new(path), at),
            program => seen.held(RepoPath::new(path), at, program),
        }
    }
    let run = Run {
        seen,
        ..Run::default()
    };
    let left = before.difference(&run, &PastRuns::default()).unwrap();
    let row = |new: Learned| (new.rule.to_string(), new.status);
    left.unruled.into_iter().map(row).collect()
}

#[test]
fn a_watch_proposes_what_tools_write_and_not_what_hands_do() {
    use LearnedStatus::{ByHand, Proposed, WithWork, Work};
    let proposed = |files: &[(&str, &str)], wanted: &[(&str, LearnedStatus)]| {
        let wanted: Vec<_> = wanted
            .iter()
            .map(|(rule, status)| ((*rule).to_owned(), *status))
            .collect();
        assert_eq!(watched(files), wanted, "{files:?}");
    };
    proposed(&[("level.out", "sh build.sh")], &[("/level.out", Proposed)]);
    proposed(&[("level.out", "nvim")], &[("/level.out", ByHand)]);
    proposed(&[("level.out", "")], &[("/level.out", ByHand)]);
    let numbered = [("t1.out", "tool"), ("t2.out", "tool"), ("t3.out", "tool")];
    proposed(&numbered, &[("/t*.out", Proposed)]);
    // Beside something else of that type, each is for itself; in a folder of their own they are
    // one.
    let beside = [
        ("data/a.csv", "tool"),
        ("data/b.csv", "tool"),
        ("data/c.csv", "tool"),
    ];
    proposed(
        &beside,
        &[
            ("/data/a.csv", Proposed),
            ("/data/b.csv", Proposed),
            ("/data/c.csv", Proposed),
        ],
    );
    proposed(
        &[("made/a.csv", "tool"), ("made/b.txt", "tool")],
        &[("/made/", Proposed)],
    );
    // One name in many places is one rule.
    let places = [
        ("a/.made", "tool"),
        ("b/.made", "tool"),
        ("data/.made", "tool"),
    ];
    proposed(&places, &[(".made", Proposed)]);
    proposed(
        &places[1..],
        &[("/b/.made", Proposed), ("/data/.made", Proposed)],
    );
    // What a program wrote together with work isn't distinguished from it; another's is.
    proposed(
        &[
            ("app.out", "starter"),
            ("other.out", "tool"),
            ("src/app.py", "starter"),
        ],
        &[
            ("/app.out", WithWork),
            ("/other.out", Proposed),
            ("/src/", Work),
        ],
    );
}
