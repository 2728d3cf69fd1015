//! Random trees and rules: every verdict, deciding rule and listing is what the real git says in
//! the same run.

use bstr::{BStr, BString, ByteSlice};
use proptest::prelude::*;
use redshank_git::Git;
use redshank_rules::RepoPath;
use redshank_rules::Ruling;
use redshank_worktree::tree::{Entry, State, Tree};
use redshank_worktree::{Depth, Overlay, Snapshot, Verdicts, WalkOptions};
use std::io::Write;
use std::path::Path;
use std::process::{Command, Stdio};

/// A tree: files, ignore files by folder, and which files are tracked against the rules.
#[derive(Debug, Clone)]
struct Case {
    files: Vec<BString>,
    rules: Vec<(BString, BString)>,
    exclude: BString,
    personal: BString,
    odd: Vec<(BString, Odd)>,
    tracked: Vec<prop::sample::Index>,
    /// Which files of rules are tracked and kept off the disk.
    skipped: Vec<prop::sample::Index>,
    ignore_case: bool,
}

fn name() -> impl Strategy<Value = BString> {
    let usual = prop::sample::select(vec![
        "a",
        "b",
        "ab",
        "aB",
        "A",
        "build",
        "x.o",
        "x.O",
        "#n",
        "!n",
        "s ",
        "[a]",
        "é",
        // The same letter as two, and its capital: for git other names, whatever `core.ignoreCase`
        // says.
        "e\u{301}",
        "É",
        ".h",
        "a\\b",
        ".GIT",
        "\u{feff}a",
        "a\n",
    ]);
    let byte = any::<u8>().prop_filter("no name has it", |byte| !matches!(byte, 0 | b'/'));
    let odd = prop::collection::vec(byte, 1..4).prop_map(BString::from);
    let odd = odd.prop_filter("a folder's own name", |name| *name != "." && *name != "..");
    prop_oneof![6 => usual.prop_map(BString::from), 1 => odd]
}

fn path() -> impl Strategy<Value = BString> {
    prop::collection::vec(name(), 1..5).prop_map(|parts| bstr::join("/", parts).into())
}

fn rule_part() -> impl Strategy<Value = BString> {
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
    let classes = prop::sample::select(vec![
        "alnum", "alpha", "blank", "cntrl", "digit", "graph", "lower", "print", "punct", "space",
        "upper", "xdigit",
    ]);
    let class = (any::<bool>(), classes).prop_map(|(negated, class)| {
        format!("*[{}[:{class}:]]", if negated { "!" } else { "" }).into()
    });
    let range = (any::<u8>(), any::<u8>())
        .prop_map(|(from, to)| [b"[", &[from, b'-', to][..], b"]*"].concat().into());
    prop_oneof![6 => name(), 8 => odd.prop_map(BString::from), 1 => class, 1 => range]
}

fn rule() -> impl Strategy<Value = BString> {
    let flag = || prop::bool::weighted(0.25);
    let parts = prop::collection::vec(rule_part(), 1..4);
    let tail = prop::sample::select(vec![
        "", "", "", "", "/", "/", "/**", " ", "\t", "\r", "/*", "\\ ", "//",
    ]);
    (flag(), flag(), parts, tail).prop_map(|(negated, rooted, parts, tail)| {
        let start = if negated { "!" } else { "" };
        let root = if rooted { "/" } else { "" };
        let parts = bstr::join("/", parts);
        bstr::concat([start.as_bytes(), root.as_bytes(), &parts, tail.as_bytes()]).into()
    })
}

fn rule_file() -> impl Strategy<Value = BString> {
    let other = prop::sample::select(vec!["", "# note", "/"]).prop_map(BString::from);
    let line = prop_oneof![8 => rule(), 3 => other];
    let start = prop::sample::select(vec!["", "", "", "\u{feff}"]);
    (start, prop::collection::vec(line, 0..14), any::<bool>()).prop_map(|(start, lines, ends)| {
        let end = if ends { "\n" } else { "" };
        let lines = bstr::join("\n", lines);
        bstr::concat([start.as_bytes(), &lines, end.as_bytes()]).into()
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
            (prop_oneof![Just(BString::default()), path()], rule_file()),
            0..5,
        ),
        rule_file(),
        rule_file(),
        prop::collection::vec((path(), odd), 0..2),
        prop::collection::vec(any::<prop::sample::Index>(), 0..4),
        prop_oneof![4 => Just(vec![]), 1 => prop::collection::vec(any::<prop::sample::Index>(), 1..3)],
        any::<bool>(),
    )
        .prop_map(
            |(files, rules, exclude, personal, odd, tracked, skipped, ignore_case)| Case {
                files,
                rules,
                exclude,
                personal,
                odd,
                tracked,
                skipped,
                ignore_case,
            },
        )
}

/// Lays the case out; returns the files that could be made (a name may already be taken by a
/// folder).
fn lay_out(case: &Case, top: &Path) -> Vec<BString> {
    let write = |path: &[u8], contents: &[u8]| {
        let path = top.join(path.to_path().unwrap());
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
    write(b".git/config", config.as_bytes());
    write(b".git/personal", &case.personal);
    write(b".git/info/exclude", &case.exclude);
    let made = case.files.iter().filter(|file| write(file, b"tide"));
    let made: Vec<BString> = made.cloned().collect();
    let rule_files = case.rules.iter().filter_map(|(folder, rules)| {
        let path = RepoPath::new(folder).join(".gitignore");
        write(&path, rules).then(|| path.into())
    });
    let rule_files: Vec<BString> = rule_files.collect();
    for (folder, odd) in &case.odd {
        let folder = top.join(folder.to_path().unwrap());
        if std::fs::create_dir_all(&folder).is_ok() {
            odd.make(&folder);
        }
    }
    let pick = |from: &[BString], places: &[prop::sample::Index]| {
        let places = places.iter().filter(|_| !from.is_empty());
        places.map(|at| at.get(from).clone()).collect::<Vec<_>>()
    };
    // git takes no file of a nested repository; such a case tracks nothing.
    let git = |words: &[&str], paths: &[BString]| {
        let paths = paths.iter().map(|path| path.to_os_str().unwrap());
        let git = Git::at(top).args(["--literal-pathspecs"]).args(words);
        git.args(["--"]).args(paths).output().is_ok()
    };
    let tracked = pick(&made, &case.tracked);
    let _ = tracked.is_empty() || git(&["add", "-f"], &tracked);
    let skipped = pick(&rule_files, &case.skipped);
    if !skipped.is_empty()
        && git(&["add", "-f"], &skipped)
        && git(&["update-index", "--skip-worktree"], &skipped)
    {
        for path in &skipped {
            // The same may have been picked twice.
            let _ = std::fs::remove_file(top.join(path.to_path().unwrap()));
        }
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
            #[cfg(unix)]
            let _ = std::os::unix::fs::symlink(target, folder.join(name));
            #[cfg(windows)]
            let _ = std::os::windows::fs::symlink_file(target, folder.join(name));
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

fn asked_of_git(top: &Path, more: &[&str], paths: &[BString]) -> Vec<Row> {
    let mut input = Vec::new();
    for path in paths {
        input.extend_from_slice(path);
        input.push(0);
    }
    let mut git = Command::new("git");
    let words = [
        "check-ignore",
        "--verbose",
        "--non-matching",
        "-z",
        "--stdin",
    ];
    git.args(words).args(more).current_dir(top);
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
    let snapshot = Snapshot::open(&top).unwrap();

    let verdicts = Verdicts::new(&snapshot, Overlay::new()).unwrap();
    let mut asked = made;
    let files = || case.files.iter();
    asked.extend(files().map(|file| bstr::concat([&file[..], b"/new/x.o"]).into()));
    asked.extend(files().map(|file| bstr::concat([&file[..], b"/"]).into()));
    asked.extend(files().filter_map(|file| Some(file.rsplit_once_str("/")?.0.into())));
    // git refuses to say anything about a path that leads through a link, and takes a colon at the
    // start of a path for something else.
    asked.retain(|path| !path.starts_with(b":") && !leads_through_link(&top, path.as_bstr()));
    // Of rules that are kept off the disk git only tells when it reads its index; then it takes
    // what it is asked about for patterns, and tells nothing of what is tracked.
    let with_index = snapshot.index().unwrap().skips_any();
    if with_index {
        let state = |path: &BString| verdicts.query(RepoPath::new(path)).unwrap().state;
        let is_pattern = |path: &BString| path.find_byteset(b"*?[\\").is_some();
        asked.retain(|path| state(path) != State::Tracked && !is_pattern(path));
    }
    let ours: Vec<Row> = asked
        .iter()
        .map(|path| row(path, verdicts.query(RepoPath::new(path)).unwrap().ruling))
        .collect();
    let more: &[&str] = if with_index { &[] } else { &["--no-index"] };
    let theirs = asked_of_git(&top, more, &asked);
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

/// All twelve classes, and what is not in them, on every byte that a name can have, in both cases.
#[test]
fn every_class_has_the_bytes_that_git_has_in_it() {
    let folder = tempfile::tempdir().unwrap();
    let top = folder.path().canonicalize().unwrap();
    make_repository(&top);
    let bytes = (1..=u8::MAX).filter(|byte| *byte != b'/');
    let asked: Vec<BString> = bytes.map(|byte| [b'x', byte].into()).collect();
    let classes = [
        "alnum", "alpha", "blank", "cntrl", "digit", "graph", "lower", "print", "punct", "space",
        "upper", "xdigit",
    ];
    for ignore_case in [false, true] {
        let config = format!("[core]\nrepositoryformatversion = 0\nignoreCase = {ignore_case}\n");
        std::fs::write(top.join(".git/config"), config).unwrap();
        for class in classes {
            for start in ["x[", "x[!"] {
                let rule = format!("{start}[:{class}:]]\n");
                std::fs::write(top.join(".gitignore"), &rule).unwrap();
                let snapshot = Snapshot::open(&top).unwrap();
                let verdicts = Verdicts::new(&snapshot, Overlay::new()).unwrap();
                let answer = |path| verdicts.query(RepoPath::new(path)).unwrap();
                let ours: Vec<Row> = asked
                    .iter()
                    .map(|path| row(path, answer(path).ruling))
                    .collect();
                assert_eq!(ours, asked_of_git(&top, &["--no-index"], &asked), "{rule}");
            }
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig {
        failure_persistence: None,
        ..ProptestConfig::default()
    })]
    #[test]
    fn every_answer_on_random_trees_is_gits(case in case()) {
        agrees(&case)?;
    }

    #[test]
    fn a_tree_ruled_anew_is_the_one_that_a_walk_with_these_rules_finds(case in case(), other in rule_file()) {
        let folder = tempfile::tempdir().unwrap();
        let top = folder.path().canonicalize().unwrap();
        lay_out(&case, &top);
        let snapshot = Snapshot::open(&top).unwrap();
        let overlay = Overlay::from([(".gitignore".into(), other.to_vec())]);
        let verdicts = Verdicts::new(&snapshot, overlay.clone()).unwrap();
        let ruled = verdicts.ruled_anew(snapshot.whole_tree().unwrap()).unwrap();
        let options = WalkOptions { overlay, depth: Depth::IntoIgnored, ..WalkOptions::default() };
        let walked = Tree::walk(&snapshot, &options).unwrap();
        let row = |entry: &Entry| {
            let by = entry.ruling.as_ref();
            let by = by.map(|by| (by.source().shown.clone(), by.rule().line));
            (entry.path.clone(), entry.state, by)
        };
        let rows = |tree: &Tree| tree.entries.iter().map(row).collect::<Vec<_>>();
        prop_assert_eq!(rows(&ruled), rows(&walked));
    }
}
