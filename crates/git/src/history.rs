//! What has been committed, and what has gone further.

use crate::{Repository, Result};
use bstr::{BStr, BString, ByteSlice};
use std::collections::HashSet;

/// How many paths one command line may name.
const PATHS_A_CALL: usize = 500;

impl Repository {
    /// Whether there is a commit to stand on.
    pub fn has_commit(&self) -> bool {
        self.git().words(["rev-parse", "--quiet", "--verify", "HEAD^{commit}"]).output().is_ok()
    }

    /// Of these paths, the ones that the current commit holds.
    ///
    /// # Errors
    /// If git refuses.
    pub fn committed(&self, paths: &[&BStr]) -> Result<HashSet<BString>> {
        if !self.has_commit() {
            return Ok(HashSet::new());
        }
        self.named(&["ls-tree", "-r", "-z", "--name-only", "--full-tree", "HEAD", "--"], paths)
    }

    /// Of these paths, the ones that a commit on any remote-tracking branch has touched.
    ///
    /// # Errors
    /// If git refuses.
    pub fn pushed(&self, paths: &[&BStr]) -> Result<HashSet<BString>> {
        let remote = self.git().words(["for-each-ref", "--count=1", "--format=x", "refs/remotes"]).output()?;
        if remote.is_empty() {
            return Ok(HashSet::new());
        }
        let log = ["log", "--remotes", "--format=", "--name-only", "--no-renames", "-z", "-m", "--"];
        self.named(&log, paths)
    }

    fn named(&self, command: &[&str], paths: &[&BStr]) -> Result<HashSet<BString>> {
        let mut found = HashSet::new();
        for some in paths.chunks(PATHS_A_CALL) {
            let git = self.git().setting("GIT_LITERAL_PATHSPECS", "1").words(command);
            let listed = git.words(some.iter().map(|path| path.to_path_lossy().into_owned())).output()?;
            found.extend(listed.split(|byte| *byte == 0).filter(|name| !name.is_empty()).map(BString::from));
        }
        Ok(found)
    }
}
