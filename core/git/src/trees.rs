//! The files of commits.

use crate::{Error, Repository, Result};
use bstr::{BString, ByteSlice};

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
            let [_, mode, _, blob, status] = words[..] else {
                continue;
            };
            let change = match status.first() {
                Some(b'A') => Change::Added,
                Some(b'D') => Change::Removed,
                _ => Change::Changed,
            };
            let is_file = change != Change::Removed && mode != b"160000";
            let blob = is_file.then(|| blob.to_str_lossy().into_owned());
            rows.push((BString::from(path), change, blob));
        }
        let mut asked = String::new();
        for blob in rows.iter().filter_map(|(.., blob)| blob.as_deref()) {
            asked += blob;
            asked.push('\n');
        }
        let sizes = ["cat-file", "--batch-check=%(objectsize)"];
        let sizes = self.git().args(sizes).with_input(asked.as_bytes())?;
        let mut sizes = ByteSlice::lines(&sizes[..]).map(|size| size.to_str_lossy().parse().ok());
        let changed = rows.into_iter().map(|(path, change, blob)| Changed {
            path,
            change,
            size: blob.and_then(|_| sizes.next().flatten()),
        });
        let mut changed: Vec<Changed> = changed.collect();
        changed.sort_by(|a, b| a.path.cmp(&b.path));
        Ok(changed)
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
