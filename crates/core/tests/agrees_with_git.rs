//! Random trees and rules: every verdict, deciding rule and listing is what the real git says in the same run.
#![allow(clippy::unwrap_used, reason = "a test that can't go on has failed")]

use bstr::{BString, ByteSlice};
use proptest::prelude::*;
use redshank_core::rules::Ruling;
use redshank_core::tree::{Depth, Oracle, Overlay, Place, Scope, State, Tree};
use redshank_git::Git;
use std::path::Path;

/// A tree: files, ignore files by folder, and which files are tracked against the rules.
#[derive(Debug, Clone)]
struct Case {
    files: Vec<String>,
    rules: Vec<(String, String)>,
    exclude: String,
    tracked: Vec<prop::sample::Index>,
    ignore_case: bool,
}

fn name() -> impl Strategy<Value = String> {
    prop::sample::select(vec![
        "a", "b", "ab", "aB", "A", "build", "x.o", "x.O", "#n", "!n", "s ", "[a]", "é", ".h", "a\\b",
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
    let tail = prop::sample::select(vec!["", "", "", "", "/", "/", "/**", " ", "\t", "\r", "/*", "\\ ", "//"]);
    (flag(), flag(), parts, tail).prop_map(|(negated, rooted, parts, tail)| {
        format!("{}{}{}{tail}", if negated { "!" } else { "" }, if rooted { "/" } else { "" }, parts.join("/"))
    })
}

fn rule_file() -> impl Strategy<Value = String> {
    let line =
        prop_oneof![8 => rule(), 1 => Just(String::new()), 1 => Just("# note".to_owned()), 1 => Just("/".to_owned())];
    let start = prop::sample::select(vec!["", "", "", "\u{feff}"]);
    (start, prop::collection::vec(line, 0..14), any::<bool>())
        .prop_map(|(start, lines, ends)| format!("{start}{}{}", lines.join("\n"), if ends { "\n" } else { "" }))
}

fn case() -> impl Strategy<Value = Case> {
    (
        prop::collection::vec(path(), 1..24),
        prop::collection::vec((prop_oneof![Just(String::new()), path()], rule_file()), 0..5),
        rule_file(),
        prop::collection::vec(any::<prop::sample::Index>(), 0..4),
        prop::bool::weighted(0.2),
    )
        .prop_map(|(files, rules, exclude, tracked, ignore_case)| Case {
            files,
            rules,
            exclude,
            tracked,
            ignore_case,
        })
}

/// Lays the case out; gives the files that could be made (a name may already be taken by a folder).
fn lay_out(case: &Case, top: &Path) -> Vec<String> {
    Git::at(top).words(["init", "-q"]).output().unwrap();
    Git::at(top)
        .words(["config", "core.ignoreCase", if case.ignore_case { "true" } else { "false" }])
        .output()
        .unwrap();
    let write = |path: &str, contents: &str| {
        let path = top.join(path);
        std::fs::create_dir_all(path.parent().unwrap()).is_ok() && std::fs::write(path, contents).is_ok()
    };
    let made: Vec<String> = case.files.iter().filter(|file| write(file, "tide")).cloned().collect();
    for (folder, rules) in &case.rules {
        write(format!("{folder}/.gitignore").trim_start_matches('/'), rules);
    }
    write(".git/info/exclude", &case.exclude);
    let tracked: Vec<&String> = case.tracked.iter().filter(|_| !made.is_empty()).map(|at| at.get(&made)).collect();
    if !tracked.is_empty() {
        Git::at(top).words(["--literal-pathspecs", "add", "-f", "--"]).words(tracked).output().unwrap();
    }
    made
}

/// A line of `git check-ignore`: source, line, pattern, path.
type Row = (BString, u32, BString, BString);

fn asked_of_git(top: &Path, paths: &[BString]) -> Vec<Row> {
    let mut input = Vec::new();
    for path in paths {
        input.extend_from_slice(path);
        input.push(0);
    }
    let query = ["check-ignore", "--no-index", "--verbose", "--non-matching", "-z", "--stdin"];
    // It fails where nothing matches; its output still holds every answer.
    let shell = Git::at(top).words(query).with_input(&input);
    let listed = shell.unwrap_or_else(|_| {
        paths.iter().fold(Vec::new(), |mut all, path| {
            all.extend_from_slice(b"\0\0\0");
            all.extend_from_slice(path);
            all.push(0);
            all
        })
    });
    let fields: Vec<&[u8]> = listed.split(|byte| *byte == 0).collect();
    let text = |bytes: &[u8]| BString::from(bytes);
    fields
        .chunks_exact(4)
        .map(|f| (text(f[0]), f[1].to_str().unwrap().parse().unwrap_or(0), text(f[2]), text(f[3])))
        .collect()
}

fn row(path: &BString, ruling: Option<Ruling>) -> Row {
    match ruling {
        Some(ruling) => (ruling.source().shown.clone(), ruling.rule().line, ruling.rule().text.clone(), path.clone()),
        None => (BString::default(), 0, BString::default(), path.clone()),
    }
}

fn listed_by_git(top: &Path, words: &[&str]) -> Vec<BString> {
    let listed = Git::at(top).words(["ls-files", "-z"]).words(words).output().unwrap();
    let mut names: Vec<BString> = listed.split(|b| *b == 0).filter(|n| !n.is_empty()).map(BString::from).collect();
    names.sort();
    names.dedup();
    names
}

fn agrees(case: &Case) -> Result<(), TestCaseError> {
    let folder = tempfile::tempdir().unwrap();
    let top = folder.path().canonicalize().unwrap();
    let made = lay_out(case, &top);
    let place = Place::find(&top).unwrap();

    let mut asked: Vec<BString> = made.iter().map(|file| file.as_str().into()).collect();
    asked.extend(case.files.iter().map(|file| format!("{file}/new/x.o").into()));
    asked.extend(case.files.iter().map(|file| format!("{file}/").into()));
    asked.extend(case.files.iter().filter_map(|file| Some(file.rsplit_once('/')?.0.into())));
    // git refuses a path that leads through a file only where that is a link; it takes these.
    let oracle = Oracle::new(&place, Overlay::new()).unwrap();
    let ours: Vec<Row> = asked.iter().map(|path| row(path, oracle.ask(path.as_bstr()).unwrap().ruling)).collect();
    let theirs = asked_of_git(&top, &asked);
    for (our, their) in ours.iter().zip(&theirs) {
        prop_assert_eq!(our, their);
    }
    prop_assert_eq!(ours.len(), theirs.len());

    let scope = Scope { depth: Depth::IntoIgnored, ..Scope::default() };
    let tree = Tree::walk(&place, &scope).unwrap();
    prop_assert!(tree.unread.is_empty());
    let in_state = |state| tree.in_state(state).map(|entry| entry.path.clone()).collect::<Vec<_>>();
    prop_assert_eq!(in_state(State::Tracked), listed_by_git(&top, &["--cached"]));
    prop_assert_eq!(in_state(State::Candidate), listed_by_git(&top, &["--others", "--exclude-standard"]));
    prop_assert_eq!(in_state(State::Ignored), listed_by_git(&top, &["--others", "--ignored", "--exclude-standard"]));
    Ok(())
}

/// How many trees a run tries; the long run sets the variable.
fn trees() -> u32 {
    std::env::var("REDSHANK_FUZZ_TREES").ok().and_then(|count| count.parse().ok()).unwrap_or(200)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: trees(), failure_persistence: None, ..ProptestConfig::default() })]
    #[test]
    fn every_answer_on_random_trees_is_gits(case in case()) {
        agrees(&case)?;
    }
}
