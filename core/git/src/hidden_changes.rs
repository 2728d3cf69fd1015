//! Hiding local changes to tracked files from git (git-update-index(1)).

use crate::{Error, Repository, Result};
use bstr::{BStr, BString, ByteSlice};
use std::collections::HashSet;

impl Repository {
    /// Hides local changes to tracked files from git, or brings them back.
    ///
    /// Where the whole tree is laid out, the flag is "skip worktree": git leaves such a file alone,
    /// and refuses to overwrite it. Where only a part is, that flag has its own meaning, and
    /// "assume unchanged" is the one that is left.
    ///
    /// # Errors
    /// If git refuses, most often because another git holds the index.
    pub fn set_muted(&self, paths: &[&BStr], muted: bool) -> Result<()> {
        let flags: &[&str] = match (muted, self.is_sparse) {
            (true, false) => &["--skip-worktree"],
            (true, true) => &["--assume-unchanged"],
            (false, false) => &["--no-skip-worktree", "--no-assume-unchanged"],
            (false, true) => &["--no-assume-unchanged"],
        };
        for flag in flags {
            self.unlocked()?;
            let mut input = bstr::join("\0", paths);
            input.push(0);
            let git = self.git().args(["update-index", flag, "-z", "--stdin"]);
            if let Err(error) = git.with_input(&input) {
                // A git that was killed on the way leaves its lock, which would stop every later
                // one.
                if matches!(error, Error::Killed { .. }) {
                    self.remove_lock()?;
                }
                return Err(error);
            }
        }
        Ok(())
    }

    /// The name that a file's contents on disk have in git's object store, after the filters of its
    /// attributes.
    ///
    /// # Errors
    /// If it isn't there or git refuses.
    pub fn name_on_disk(&self, path: &BStr) -> Result<String> {
        let said = self
            .git()
            .args(["hash-object", "--"])
            .args([path.to_path_lossy().as_os_str()])
            .output()?;
        Ok(said.trim().to_str_lossy().into_owned())
    }

    /// Of these paths, the ones that the branch which this one follows has changed.
    ///
    /// # Errors
    /// If git refuses.
    pub fn changed_upstream(&self, paths: &[&BStr]) -> Result<HashSet<BString>> {
        let followed = self
            .git()
            .args(["rev-parse", "--quiet", "--verify", "@{upstream}"])
            .output();
        if followed.is_err() || paths.is_empty() {
            return Ok(HashSet::new());
        }
        self.named(
            &[
                "diff",
                "--name-only",
                "-z",
                "--no-renames",
                "--no-ext-diff",
                "--no-textconv",
                "HEAD...@{upstream}",
                "--",
            ],
            paths,
        )
    }
}
