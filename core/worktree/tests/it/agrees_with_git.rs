//! Random trees and rules: every verdict, deciding rule and listing is what the real git says in
//! the same run.

use bstr::{BStr, BString, ByteSlice};
use proptest::prelude::*;
use redshank_git::Git;
use redshank_worktree::rules::Ruling;
use redshank_worktree::tree::State;
use redshank_worktree::{Overlay, RepoPath, Snapshot, Verdicts};
use std::io::Write;
use std::path::Path;
use std::process::{Command, Stdio};

/// A tree: files, ignore files by folder, and which files are tracked against the rules.
#[derive(Debug, Clone)]
struct Case {
    files: Vec<String>,
    rules: Vec<(String, String)>,
    exclude: String,
    personal: String,
    odd: Vec<(String, Odd)>,
    tracked: Vec<prop::sample::Index>,
    ignore_case: bool,
}

fn name() -> impl Strategy<Value = String> {
    prop::sample::select(vec![
        "a", "b", "ab", "aB", "A", "build", "x.o", "x.O", "#n", "!n", "s ", "[a]", "é", ".h",
        "a\\b",
    ])
    .prop_map(str::to_owned)
}

fn path() -> impl Strategy<Value = String> {
    prop::collection::vec(name(), 1..5).prop_map(|parts| parts.join("/"))
}

fn rule_part() -> impl Strategy<Value = String> {
    let odd = prop::sample::select(vec![
        "*",
        "**",
        "***",
        "?",
        "[ab]",
        "[!a]",
        "[a-c]",
        "[[:alpha:]]",
        "[]a]",
        "[a",
        "*.o",
        "*.[oO]",
        "a*",
        "*b",
        "a**",
        "**b",
        "\\a",
        "\\#n",
        "\\!n",
        "a\\",
        "\\[a\\]",
        "x.?",
        "[^b]*",
        "b*d",
        "[[:upper:]]",
        "[a-]b",
        "s\\ ",
        "*[!o]",
        "a\\\\b",
        "\\*",
        "[\\]a]",
        "[[:x:]]",
        ".*",
    ]);
    prop_oneof![3 => name(), 4 => odd.prop_map(str::to_owned)]
}

fn rule() -> impl Strategy<Value = String> {
    let flag = || prop::bool::weighted(0.25);
    let parts = prop::collection::vec(rule_part(), 1..4);
    let tail = prop::sample::select(vec![
        "", "", "", "", "/", "/", "/**", " ", "\t", "\r", "/*", "\\ ", "//",
    ]);
    (flag(), flag(), parts, tail).prop_map(|(negated, rooted, parts, tail)| {
        format!(
            "{}{}{}{tail}",
            if negated { "!" } else { "" },
            if rooted { "/" } else { "" },
            parts.join("/")
        )
    })
}

fn rule_file() -> impl Strategy<Value = String> {
    let line = prop_oneof![8 => rule(), 1 => Just(String::new()), 1 => Just("# note".to_owned()), 1 => Just("/".to_owned())];
    let start = prop::sample::select(vec!["", "", "", "\u{feff}"]);
    (start, prop::collection::vec(line, 0..14), any::<bool>()).prop_map(|(start, lines, ends)| {
        format!(
            "{start}{}{}",
            lines.join("\n"),
            if ends { "\n" } else { "" }
        )
    })
}

fn case() -> impl Strategy<Value = Case> {
    let odd = prop::sample::select(vec![
        Odd::Repository,
        Odd::HalfARepository,
        Odd::IgnoreFileIsLink,
        Odd::IgnoreFileIsFolder,
        Odd::LinkToFolder,
    ]);
    (
        prop::collection::vec(path(), 1..24),
        prop::collection::vec(
            (prop_oneof![Just(String::new()), path()], rule_file()),
            0..5,
        ),
        rule_file(),
        rule_file(),
        prop::collection::vec((path(), odd), 0..2),
        prop::collection::vec(any::<prop::sample::Index>(), 0..4),
        prop::bool::weighted(0.2),
    )
        .prop_map(
            |(files, rules, exclude, personal, odd, tracked, ignore_case)| Case {
                files,
                rules,
                exclude,
                personal,
                odd,
                tracked,
                ignore_case,
            },
        )
}

/// Lays the case out; gives the files that could be made (a name may already be taken by a folder).
fn lay_out(case: &Case, top: &Path) -> Vec<String> {
    let write = |path: &str, contents: &str| {
        let path = top.join(path);
        std::fs::create_dir_all(path.parent().unwrap()).is_ok()
            && std::fs::write(path, contents).is_ok()
    };
    make_repository(top);
    let personal = top.join(".git/personal");
    let config = format!(
        "[core]\nrepositoryformatversion = 0\nbare = false\nignoreCase = {}\nexcludesFile = {}\n",
        case.ignore_case,
        personal.display()
    );
    write(".git/config", &config);
    write(".git/personal", &case.personal);
    write(".git/info/exclude", &case.exclude);
    let made: Vec<String> = case
        .files
        .iter()
        .filter(|file| write(file, "tide"))
        .cloned()
        .collect();
    for (folder, rules) in &case.rules {
        write(
            format!("{folder}/.gitignore").trim_start_matches('/'),
            rules,
        );
    }
    for (folder, odd) in &case.odd {
        let folder = top.join(folder);
        if std::fs::create_dir_all(&folder).is_ok() {
            odd.make(&folder);
        }
    }
    let tracked: Vec<&String> = case
        .tracked
        .iter()
        .filter(|_| !made.is_empty())
        .map(|at| at.get(&made))
        .collect();
    if !tracked.is_empty() {
        // git takes no file of a nested repository; such a case tracks nothing.
        let _ = Git::at(top)
            .args(["--literal-pathspecs", "add", "-f", "--"])
            .args(tracked)
            .output();
    }
    made
}

/// A git folder as gitrepository-layout(5) has it, without starting git.
fn make_repository(top: &Path) {
    for folder in ["objects", "refs", "info"] {
        std::fs::create_dir_all(top.join(".git").join(folder)).unwrap();
    }
    std::fs::write(top.join(".git/HEAD"), "ref: refs/heads/main\n").unwrap();
}

/// Something in a folder that a walk must not fall for.
#[derive(Debug, Clone, Copy)]
enum Odd {
    Repository,
    HalfARepository,
    IgnoreFileIsLink,
    IgnoreFileIsFolder,
    LinkToFolder,
}

impl Odd {
    fn make(self, folder: &Path) {
        let link = |target: &str, name: &str| {
            // The name may be taken already; then the case is an ordinary one.
            let _ = std::os::unix::fs::symlink(target, folder.join(name));
        };
        match self {
            Self::Repository => make_repository(folder),
            Self::HalfARepository => std::fs::create_dir_all(folder.join(".git")).unwrap(),
            Self::IgnoreFileIsLink => link("ab", ".gitignore"),
            Self::IgnoreFileIsFolder => drop(std::fs::create_dir(folder.join(".gitignore"))),
            Self::LinkToFolder => link(".", "ab"),
        }
    }
}

/// A line of `git check-ignore`: source, line, pattern, path.
type Row = (BString, u32, BString, BString);

fn asked_of_git(top: &Path, paths: &[BString]) -> Vec<Row> {
    let mut input = Vec::new();
    for path in paths {
        input.extend_from_slice(path);
        input.push(0);
    }
    let mut git = Command::new("git");
    git.args([
        "check-ignore",
        "--no-index",
        "--verbose",
        "--non-matching",
        "-z",
        "--stdin",
    ])
    .current_dir(top);
    let mut git = git
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let mut stdin = git.stdin.take().unwrap();
    let asking = std::thread::spawn(move || stdin.write_all(&input));
    let output = git.wait_with_output().unwrap();
    asking.join().unwrap().unwrap();
    assert!(matches!(output.status.code(), Some(0 | 1)), "git refused");
    let listed = output.stdout;
    let fields: Vec<&[u8]> = listed.split(|byte| *byte == 0).collect();
    let text = |bytes: &[u8]| BString::from(bytes);
    fields
        .chunks_exact(4)
        .map(|f| {
            (
                text(f[0]),
                f[1].to_str().unwrap().parse().unwrap_or(0),
                text(f[2]),
                text(f[3]),
            )
        })
        .collect()
}

fn row(path: &BString, ruling: Option<Ruling>) -> Row {
    match ruling {
        Some(ruling) => (
            ruling.source().shown.clone(),
            ruling.rule().line,
            ruling.rule().text.clone(),
            path.clone(),
        ),
        None => (BString::default(), 0, BString::default(), path.clone()),
    }
}

fn listed_by_git(top: &Path, words: &[&str]) -> Vec<BString> {
    let listed = Git::at(top)
        .args(["ls-files", "-z"])
        .args(words)
        .output()
        .unwrap();
    let mut names: Vec<BString> = listed
        .split(|b| *b == 0)
        .filter(|n| !n.is_empty())
        .map(BString::from)
        .collect();
    names.sort();
    names.dedup();
    names
}

fn leads_through_link(top: &Path, path: &BStr) -> bool {
    let mut folders = path
        .find_iter("/")
        .map(|slash| top.join(path[..slash].to_path().unwrap()));
    folders.any(|folder| folder.is_symlink())
}

fn agrees(case: &Case) -> Result<(), TestCaseError> {
    let folder = tempfile::tempdir().unwrap();
    let top = folder.path().canonicalize().unwrap();
    let made = lay_out(case, &top);
    let snapshot = Snapshot::of(&top).unwrap();

    let mut asked: Vec<BString> = made.iter().map(|file| file.as_str().into()).collect();
    asked.extend(
        case.files
            .iter()
            .map(|file| format!("{file}/new/x.o").into()),
    );
    asked.extend(case.files.iter().map(|file| format!("{file}/").into()));
    asked.extend(
        case.files
            .iter()
            .filter_map(|file| Some(file.rsplit_once('/')?.0.into())),
    );
    // git refuses to say anything about a path that leads through a link.
    asked.retain(|path| !leads_through_link(&top, path.as_bstr()));
    let verdicts = Verdicts::new(&snapshot, Overlay::new()).unwrap();
    let ours: Vec<Row> = asked
        .iter()
        .map(|path| row(path, verdicts.query(RepoPath::new(path)).unwrap().ruling))
        .collect();
    let theirs = asked_of_git(&top, &asked);
    for (our, their) in ours.iter().zip(&theirs) {
        prop_assert_eq!(our, their);
    }
    prop_assert_eq!(ours.len(), theirs.len());

    let tree = snapshot.whole_tree().unwrap();
    prop_assert!(tree.unread.is_empty());
    let in_state = |state| {
        tree.in_state(state)
            .map(|entry| entry.path.clone().into())
            .collect::<Vec<BString>>()
    };
    prop_assert_eq!(in_state(State::Tracked), listed_by_git(&top, &["--cached"]));
    prop_assert_eq!(
        in_state(State::Candidate),
        listed_by_git(&top, &["--others", "--exclude-standard"])
    );
    prop_assert_eq!(
        in_state(State::Ignored),
        listed_by_git(&top, &["--others", "--ignored", "--exclude-standard"])
    );
    Ok(())
}

/// How many trees a run tries; the long run sets the variable.
fn trees() -> u32 {
    std::env::var("REDSHANK_FUZZ_TREES")
        .ok()
        .and_then(|count| count.parse().ok())
        .unwrap_or(200)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: trees(), failure_persistence: None, ..ProptestConfig::default() })]
    #[test]
    fn every_answer_on_random_trees_is_gits(case in case()) {
        agrees(&case)?;
    }
}
