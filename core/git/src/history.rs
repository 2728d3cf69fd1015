//! What has been committed, and what has gone further.

use crate::versions::OURS;
use crate::{Repository, Result};
use bstr::{BStr, BString, ByteSlice, ByteVec};
use std::collections::{BTreeSet, HashMap, HashSet};
use std::ffi::OsString;

/// How many paths one command line may name.
const PATHS_A_CALL: usize = 500;

/// What became of a path so far.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Past {
    /// How many commits added, changed or deleted it.
    pub commits: u64,
    /// The first one's name.
    pub first: String,
    /// The day of the first one, `YYYY-MM-DD`.
    pub since: String,
    /// All of them, the newest first.
    pub all: Vec<String>,
}

impl Repository {
    /// Whether there is a commit to be on.
    pub fn has_commit(&self) -> bool {
        self.git()
            .args(["rev-parse", "--quiet", "--verify", "HEAD^{commit}"])
            .output()
            .is_ok()
    }

    /// Whether the next commit would differ from the current one, or be the first and not empty.
    ///
    /// # Errors
    /// If git refuses.
    pub fn has_staged(&self) -> Result<bool> {
        let listed = if self.has_commit() {
            self.git()
                .args(["diff-index", "--cached", "--name-only", "HEAD", "--"])
        } else {
            self.git().args(["ls-files", "--cached"])
        };
        Ok(!listed.output()?.is_empty())
    }

    /// Of these paths, the ones that the current commit holds; a folder, if it holds anything in
    /// it. All without a slash at their end.
    ///
    /// # Errors
    /// If git refuses.
    pub fn committed(&self, paths: &[&BStr]) -> Result<HashSet<BString>> {
        if !self.has_commit() {
            return Ok(HashSet::new());
        }
        let list = ["ls-tree", "-z", "--name-only", "--full-tree", "HEAD", "--"];
        self.named(&list, paths)
    }

    /// Whether the history of the current commit ever held a folder or a file.
    ///
    /// # Errors
    /// If git refuses.
    pub fn ever_held(&self, path: &BStr) -> Result<bool> {
        if !self.has_commit() {
            return Ok(false);
        }
        let literal = [b":(top,literal)", path.as_bytes()].concat();
        let asked = ["log", "-1", "--format=%H", "HEAD", "--"].map(OsString::from);
        let path = literal.into_os_string_lossy();
        Ok(!self.git().args(asked).args([path]).output()?.is_empty())
    }

    /// Every path that a commit of any branch, tag or the current one ever held.
    ///
    /// # Errors
    /// If git refuses.
    pub fn paths_ever(&self) -> Result<BTreeSet<BString>> {
        if !self.has_commit() {
            return Ok(BTreeSet::new());
        }
        let ask = [
            "log",
            "-z",
            "--format=",
            "--name-only",
            "--no-renames",
            "-m",
            "--root",
        ];
        let said = self
            .git()
            .args(ask)
            .args([OURS, "--all", "HEAD", "--"])
            .output()?;
        let paths = said.split(|byte| *byte == 0);
        let paths = paths.map(|path| path.trim_start_with(|sign| sign == '\n'));
        let paths = paths.filter(|path| !path.is_empty());
        Ok(paths.map(BString::from).collect())
    }

    /// What became of these paths so far, in every commit that a branch, a tag or the current
    /// commit reaches.
    ///
    /// # Errors
    /// If git refuses.
    pub fn past(&self, paths: &[&BStr]) -> Result<HashMap<BString, Past>> {
        if !self.has_commit() {
            return Ok(HashMap::new());
        }
        self.log(&[OURS, "--all", "HEAD"], paths)
    }

    /// The same, in the commits that a remote-tracking branch reaches.
    ///
    /// # Errors
    /// If git refuses.
    pub fn pushed(&self, paths: &[&BStr]) -> Result<HashMap<BString, Past>> {
        let remote = self
            .git()
            .args(["for-each-ref", "--count=1", "--format=x", "refs/remotes"])
            .output()?;
        if remote.is_empty() {
            return Ok(HashMap::new());
        }
        self.log(&["--remotes"], paths)
    }

    fn log(&self, from: &[&str], paths: &[&BStr]) -> Result<HashMap<BString, Past>> {
        let mut found: HashMap<BString, Past> = HashMap::new();
        for some in paths.chunks(PATHS_A_CALL) {
            let git = self.git().env("GIT_LITERAL_PATHSPECS", "1").args([
                "log",
                "-z",
                "-m",
                "--name-only",
                "--topo-order",
            ]);
            let git = git
                .args(["--no-renames", "--format=%x01%H %cs"])
                .args(from)
                .args(["--"]);
            let log = git
                .args(some.iter().map(|path| path.to_path_lossy().into_owned()))
                .output()?;
            let (mut commit, mut day) = (String::new(), String::new());
            for part in log
                .split(|byte| *byte == 0 || *byte == b'\n')
                .filter(|part| !part.is_empty())
            {
                if let Some(head) = part.strip_prefix(b"\x01") {
                    let head = head.to_str_lossy();
                    (commit, day) = head
                        .split_once(' ')
                        .map(|(a, b)| (a.to_owned(), b.to_owned()))
                        .unwrap_or_default();
                    continue;
                }
                // The log goes back in time: what comes last is the first.
                let past = found.entry(part.into()).or_default();
                if past.first != commit {
                    past.commits += 1;
                    past.all.push(commit.clone());
                }
                (past.first, past.since) = (commit.clone(), day.clone());
            }
        }
        Ok(found)
    }

    /// Of these paths, the ones that differ between the current commit and the disk or the index.
    ///
    /// # Errors
    /// If git refuses.
    pub fn changed(&self, paths: &[&BStr]) -> Result<HashSet<BString>> {
        self.named(
            &[
                "diff",
                "--name-only",
                "-z",
                "--no-renames",
                "--no-ext-diff",
                "--no-textconv",
                "HEAD",
                "--",
            ],
            paths,
        )
    }

    pub(crate) fn named(&self, command: &[&str], paths: &[&BStr]) -> Result<HashSet<BString>> {
        let mut found = HashSet::new();
        for some in paths.chunks(PATHS_A_CALL) {
            let git = self.git().env("GIT_LITERAL_PATHSPECS", "1").args(command);
            let listed = git
                .args(some.iter().map(|path| path.to_path_lossy().into_owned()))
                .output()?;
            found.extend(
                listed
                    .split(|byte| *byte == 0)
                    .filter(|name| !name.is_empty())
                    .map(BString::from),
            );
        }
        Ok(found)
    }
}
