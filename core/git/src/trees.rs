//! The files of commits.

use crate::{Error, Repository, Result};
use bstr::{BString, ByteSlice};
use std::collections::BTreeMap;

/// What became of a file between two commits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Change {
    /// It wasn't there.
    Added,
    /// It holds something else, or has another mode.
    Changed,
    /// It isn't there any more.
    Removed,
}

/// A file that differs between two commits.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Changed {
    /// Relative to the top.
    pub path: BString,
    /// What became of it.
    pub change: Change,
    /// Size of what the later commit holds, in bytes; none for what is gone, or another repository.
    pub size: Option<u64>,
    /// What kind of thing it was, if it was there.
    pub was: Option<TreeMode>,
    /// What kind of thing it is, if it is there.
    pub is: Option<TreeMode>,
    /// The name of what the later commit holds; of another repository, its commit.
    pub object: Option<String>,
}

/// What kind of thing a commit holds at a path.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum TreeMode {
    /// A file.
    File,
    /// A file that may be run.
    Executable,
    /// A symbolic link.
    Link,
    /// Another repository, by its commit.
    Submodule,
}

impl TreeMode {
    /// The kind for one of git's modes; none for nothing.
    fn parse(mode: &[u8]) -> Option<Self> {
        match mode {
            b"000000" => None,
            b"100755" => Some(Self::Executable),
            b"120000" => Some(Self::Link),
            b"160000" => Some(Self::Submodule),
            _ => Some(Self::File),
        }
    }

    /// Its word in documents.
    pub fn word(self) -> &'static str {
        match self {
            Self::File => "file",
            Self::Executable => "executable",
            Self::Link => "link",
            Self::Submodule => "submodule",
        }
    }
}

/// How a file differs from what a commit holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Difference {
    /// In what it holds.
    Contents,
    /// In how its lines end, and in nothing else.
    LineEndings,
    /// In whether it may be run, and in nothing else.
    Mode,
}

impl Difference {
    /// Its word in documents.
    pub fn word(self) -> &'static str {
        match self {
            Self::Contents => "contents",
            Self::LineEndings => "line-endings",
            Self::Mode => "mode",
        }
    }
}

/// The tree that holds nothing, as every git knows it by its hash: of SHA-1 and of SHA-256.
const NOTHING: [&str; 2] = [
    "4b825dc642cb6eb9a060e54bf8d69288fbee4904",
    "6ef19b41225c5369f1c104d45d8d85efa9b057b53b14b4b9b939dd74decc5321",
];

impl Repository {
    /// The commit that something names.
    ///
    /// # Errors
    /// If it names none.
    pub fn commit_named(&self, revision: &str) -> Result<String> {
        let name = format!("{revision}^{{commit}}");
        let asked = [
            "rev-parse",
            "--verify",
            "--quiet",
            "--end-of-options",
            &name,
        ];
        let said = self.git().args(asked).output();
        let said = said.map_err(|_| Error::NoCommit(revision.to_owned()))?;
        Ok(said.trim().to_str_lossy().into_owned())
    }

    /// The commit that two have in common.
    ///
    /// # Errors
    /// If there is none.
    pub fn common_commit(&self, one: &str, other: &str) -> Result<String> {
        let said = self.git().args(["merge-base", one, other]).output();
        let said = said.map_err(|_| Error::NoCommit(format!("{one}...{other}")))?;
        Ok(said.trim().to_str_lossy().into_owned())
    }

    /// The paths of a commit's files.
    ///
    /// # Errors
    /// If git refuses.
    pub fn files_of(&self, commit: &str) -> Result<Vec<BString>> {
        let list = ["ls-tree", "-r", "-z", "--name-only", "--full-tree", commit];
        let listed = self.git().args(list).output()?;
        Ok(paths(&listed))
    }

    /// The paths that differ between a commit and the disk.
    ///
    /// # Errors
    /// If git refuses.
    pub fn differing(&self, commit: &str) -> Result<Vec<BString>> {
        let diff = [
            "diff",
            "--name-only",
            "-z",
            "--no-renames",
            "--no-ext-diff",
            "--no-textconv",
            commit,
            "--",
        ];
        let listed = self.git().args(diff).output()?;
        Ok(paths(&listed))
    }

    /// How the files that differ between a commit and the disk differ: in what they hold, or only in
    /// something that few look for.
    ///
    /// # Errors
    /// If git refuses.
    pub fn differences(&self, commit: &str) -> Result<BTreeMap<BString, Difference>> {
        let counted = |more: &[&str]| -> Result<BTreeMap<BString, bool>> {
            let diff = ["diff", "--numstat", "-z", "--no-renames"];
            let plain = ["--no-ext-diff", "--no-textconv"];
            let diff = self.git().args(diff).args(plain).args(more);
            let listed = diff.args([commit, "--"]).output()?;
            // ADDED TAB REMOVED TAB PATH; of what isn't text, two dashes.
            let rows = listed.split(|byte| *byte == 0).filter_map(|row| {
                let (counts, path) = row.rsplit_once_str("\t")?;
                Some((path.into(), counts != b"0\t0"))
            });
            Ok(rows.collect())
        };
        let all = counted(&[])?;
        let without_ends = counted(&["--ignore-cr-at-eol"])?;
        let kinds = all.into_iter().map(|(path, has_lines)| {
            let kind = if !has_lines {
                Difference::Mode
            } else if without_ends.get(&path).copied().unwrap_or(false) {
                Difference::Contents
            } else {
                Difference::LineEndings
            };
            (path, kind)
        });
        Ok(kinds.collect())
    }

    /// The files that differ between a commit, or nothing, and a later one, sorted by their paths.
    ///
    /// # Errors
    /// If git refuses.
    pub fn changed_between(&self, from: Option<&str>, to: &str) -> Result<Vec<Changed>> {
        let nothing = self.empty_tree()?;
        let diff = [
            "diff-tree",
            "-r",
            "-z",
            "--raw",
            "--no-renames",
            "--no-abbrev",
        ];
        let diff = self
            .git()
            .args(diff)
            .args([from.unwrap_or(nothing), to, "--"]);
        let listed = diff.output()?;
        let mut parts = listed
            .split(|byte| *byte == 0)
            .filter(|part| !part.is_empty());
        let mut rows = Vec::new();
        while let (Some(head), Some(path)) = (parts.next(), parts.next()) {
            // :mode SP mode SP object SP object SP status
            let words: Vec<&[u8]> = head.split(|byte| *byte == b' ').collect();
            let [old_mode, mode, _, blob, status] = words[..] else {
                continue;
            };
            let change = match status.first() {
                Some(b'A') => Change::Added,
                Some(b'D') => Change::Removed,
                _ => Change::Changed,
            };
            let old_mode = old_mode.strip_prefix(b":").unwrap_or(old_mode);
            let is = TreeMode::parse(mode);
            rows.push(Changed {
                path: path.into(),
                change,
                size: None,
                was: TreeMode::parse(old_mode),
                is,
                object: is.map(|_| blob.to_str_lossy().into_owned()),
            });
        }
        let is_here = |row: &&mut Changed| row.is.is_some_and(|is| is != TreeMode::Submodule);
        let mut asked = String::new();
        for row in rows.iter_mut().filter(is_here) {
            asked += row.object.as_deref().unwrap_or_default();
            asked.push('\n');
        }
        let sizes = ["cat-file", "--batch-check=%(objectsize)"];
        let sizes = self.git().args(sizes).with_input(asked.as_bytes())?;
        let mut sizes = ByteSlice::lines(&sizes[..]).map(|size| size.to_str_lossy().parse().ok());
        for row in rows.iter_mut().filter(is_here) {
            row.size = sizes.next().flatten();
        }
        rows.sort_by(|a, b| a.path.cmp(&b.path));
        Ok(rows)
    }

    /// The name of the tree that holds nothing, in the hashes of this repository.
    fn empty_tree(&self) -> Result<&'static str> {
        let asked = ["rev-parse", "--show-object-format"];
        let is_long = self.git().args(asked).output()?.starts_with(b"sha256");
        Ok(NOTHING[usize::from(is_long)])
    }
}

/// The paths of a list with a NUL behind each.
fn paths(listed: &[u8]) -> Vec<BString> {
    let paths = listed.split(|byte| *byte == 0);
    paths
        .filter(|path| !path.is_empty())
        .map(BString::from)
        .collect()
}
