//! gitignore(5), section by section in our own words, each sentence tried on us and on the real
//! git.

use redshank_git::Git;
use redshank_rules::RepoPath;
use redshank_worktree::tree::State;
use redshank_worktree::{Overlay, Snapshot, Verdicts};
use std::path::Path;

/// A sentence: the files with their contents, and the paths that must be ignored, or must not.
struct Sentence {
    says: &'static str,
    files: &'static [(&'static str, &'static str)],
    ignored: &'static [&'static str],
    kept: &'static [&'static str],
}

const fn says(
    says: &'static str,
    files: &'static [(&'static str, &'static str)],
    ignored: &'static [&'static str],
    kept: &'static [&'static str],
) -> Sentence {
    Sentence {
        says,
        files,
        ignored,
        kept,
    }
}

const MANUAL: &[Sentence] = &[
    // DESCRIPTION
    says(
        "each line holds a pattern",
        &[(".gitignore", "a\nb\n")],
        &["a", "b"],
        &["c"],
    ),
    says(
        "the last matching pattern decides",
        &[(".gitignore", "*.c\n!a.c\na.c\n!b.c")],
        &["a.c"],
        &["b.c"],
    ),
    says(
        "files of deeper folders outweigh those above",
        &[(".gitignore", "*.c\n"), ("sub/.gitignore", "!keep.c\n")],
        &["keep.c", "sub/x.c"],
        &["sub/keep.c", "sub/deep/keep.c"],
    ),
    says(
        "patterns are relative to their file",
        &[("sub/.gitignore", "/a\nb/c\n")],
        &["sub/a", "sub/b/c"],
        &["a", "b/c"],
    ),
    says(
        "this clone's exclude file is weaker than any ignore file",
        &[(".gitignore", "!a\n"), (".git/info/exclude", "a\nb\n")],
        &["b"],
        &["a"],
    ),
    says(
        "the person's own file is weaker than this clone's",
        &[(".git/info/exclude", "!a\n"), (".git/personal", "a\nb\n")],
        &["b"],
        &["a"],
    ),
    // PATTERN FORMAT
    says(
        "a blank line matches nothing",
        &[(".gitignore", "\n\n \n")],
        &[],
        &["a", " "],
    ),
    says(
        "a line with # is a comment",
        &[(".gitignore", "#a\n\\#b\n")],
        &["#b"],
        &["#a", "a"],
    ),
    says(
        "spaces at the end are dropped unless quoted",
        &[(".gitignore", "a  \nb\\ \n")],
        &["a", "b "],
        &["a  ", "b"],
    ),
    says(
        "a tab at the end is not dropped",
        &[(".gitignore", "a\t\n")],
        &["a\t"],
        &["a"],
    ),
    says(
        "! re-includes what was ignored",
        &[(".gitignore", "*.o\n!x.o\n")],
        &["y.o"],
        &["x.o"],
    ),
    says(
        "nothing comes back below a folder that is kept out",
        &[(".gitignore", "/shut/\n!/shut/x\n/open/*\n!/open/x\n")],
        &["shut/x", "open/y"],
        &["open/x"],
    ),
    says(
        "an exclamation mark can be quoted",
        &[(".gitignore", "\\!a\n")],
        &["!a"],
        &["a"],
    ),
    says(
        "the slash parts folders",
        &[(".gitignore", "a/b\n")],
        &["a/b"],
        &["ab", "b"],
    ),
    says(
        "a slash at the start or inside ties it",
        &[(".gitignore", "/a\nb/c\n")],
        &["a", "b/c"],
        &["x/a", "x/b/c"],
    ),
    says(
        "without such a slash any depth matches",
        &[(".gitignore", "a\n")],
        &["a", "x/y/a"],
        &["xa"],
    ),
    says(
        "a slash at the end means folders only",
        &[(".gitignore", "a/\n")],
        &["a/", "x/a/b"],
        &["x/a"],
    ),
    says(
        "an asterisk stops at a slash",
        &[(".gitignore", "a/*\nb*d\n")],
        &["a/x", "bcd", "a/x/y"],
        &["b/d"],
    ),
    says(
        "a question mark is one byte but a slash",
        &[(".gitignore", "a?c\nx/y?z\n")],
        &["abc", "x/ybz"],
        &["ac", "a/c"],
    ),
    says(
        "a range matches one byte",
        &[(".gitignore", "[a-c]x\n[!a-c]y\n")],
        &["bx", "dy"],
        &["dx", "by"],
    ),
    says(
        "two asterisks and a slash lead anywhere",
        &[(".gitignore", "**/a\n**/b/c\n")],
        &["a", "x/y/a", "x/b/c"],
        &["b/x/c"],
    ),
    says(
        "a slash and two asterisks take all below",
        &[(".gitignore", "a/**\n")],
        &["a/x", "a/x/y"],
        &["b/a/x"],
    ),
    says(
        "between slashes they are any folders or none",
        &[(".gitignore", "a/**/b\n")],
        &["a/b", "a/x/y/b"],
        &["a/xb"],
    ),
    says(
        "other asterisks in a row are one",
        &[(".gitignore", "x/a**b\nfoo**/bar\n")],
        &["x/ab", "x/axb"],
        &["x/a/b"],
    ),
    // What git does beyond the manual
    says(
        "a byte-order mark is passed over",
        &[(".gitignore", "\u{feff}a\n")],
        &["a"],
        &["b"],
    ),
    says(
        "lines may end with CR LF",
        &[(".gitignore", "a\r\nb\r\n")],
        &["a", "b"],
        &["a\r"],
    ),
    says(
        "the last line needs no end",
        &[(".gitignore", "a\nb")],
        &["a", "b"],
        &[],
    ),
    says(
        "POSIX classes have names",
        &[(".gitignore", "[[:digit:]]\n[[:upper:]]x\n")],
        &["7", "Ax"],
        &["a", "ax"],
    ),
    says(
        "an unknown class matches nothing",
        &[(".gitignore", "[[:tide:]]\n[ab\n")],
        &[],
        &["t", "[ab", "a"],
    ),
    says(
        "a back-slash at the end matches nothing",
        &[(".gitignore", "a\\\n")],
        &[],
        &["a", "a\\"],
    ),
    says(
        "a bracket first in a class is itself",
        &[(".gitignore", "[]a]b\n")],
        &["]b", "ab"],
        &["b"],
    ),
];

fn verdict_of_git(top: &Path, path: &str) -> bool {
    let asked = ["check-ignore", "--no-index", "-q", "--", path];
    Git::at(top).args(asked).output().is_ok()
}

#[test]
fn every_sentence_of_the_manual_holds_for_us_and_for_git() {
    for sentence in MANUAL {
        let folder = tempfile::tempdir().unwrap();
        let top = folder.path().canonicalize().unwrap();
        Git::at(&top).args(["init", "-q"]).output().unwrap();
        let personal = top.join(".git/personal");
        Git::at(&top)
            .args(["config", "core.excludesFile"])
            .args([&personal])
            .output()
            .unwrap();
        for (path, contents) in sentence.files {
            std::fs::create_dir_all(top.join(path).parent().unwrap()).unwrap();
            std::fs::write(top.join(path), contents).unwrap();
        }
        let snapshot = Snapshot::open(&top).unwrap();
        let verdicts = Verdicts::new(&snapshot, Overlay::new()).unwrap();
        let rows = sentence
            .ignored
            .iter()
            .map(|path| (path, true))
            .chain(sentence.kept.iter().map(|path| (path, false)));
        for (path, expected) in rows {
            let state = verdicts.query(RepoPath::new(path)).unwrap().state;
            assert_eq!(
                state == State::Ignored,
                expected,
                "{}: {path:?}",
                sentence.says
            );
            assert_eq!(
                verdict_of_git(&top, path),
                expected,
                "git on {}: {path:?}",
                sentence.says
            );
        }
    }
}
