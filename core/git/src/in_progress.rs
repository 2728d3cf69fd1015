//! What git is in the middle of: a merge, a rebase, a cherry-pick, a revert (git-status(1), "In
//! progress").

#![allow(
    clippy::disallowed_methods,
    reason = "git's own folder, by the paths that git tells"
)]

use crate::{Repository, Result};
use bstr::{BString, ByteSlice};
use std::collections::HashSet;

/// Something that git has begun and not finished.
#[derive(Debug)]
pub struct InProgress {
    /// The git command that is unfinished.
    pub operation: Operation,
    /// The paths that it touches, or has touched already.
    pub paths: HashSet<BString>,
}

/// An operation of git's that takes several calls.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Operation {
    /// git-merge(1).
    Merge,
    /// git-rebase(1).
    Rebase,
    /// git-rebase(1) by patches, or git-am(1): both keep the same files.
    RebaseOrPatches,
    /// git-cherry-pick(1).
    CherryPick,
    /// git-revert(1).
    Revert,
}

impl std::fmt::Display for Operation {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(match self {
            Self::Merge => "a merge",
            Self::Rebase => "a rebase",
            Self::RebaseOrPatches => "a rebase, or a series of patches,",
            Self::CherryPick => "a cherry-pick",
            Self::Revert => "a revert",
        })
    }
}

impl Repository {
    /// What git is in the middle of here.
    ///
    /// # Errors
    /// If git refuses.
    pub fn in_progress(&self) -> Result<Option<InProgress>> {
        let has = |name: &str| self.git_folder.join(name).exists();
        // What a rebase was started from, and onto what: both are kept in its folder.
        let rebased = |folder: &str| {
            let read =
                |name: &str| std::fs::read_to_string(self.git_folder.join(folder).join(name)).ok();
            Some(format!(
                "{}...{}",
                read("onto")?.trim(),
                read("orig-head")?.trim()
            ))
        };
        let (operation, range) = if has("MERGE_HEAD") {
            (Operation::Merge, Some("HEAD...MERGE_HEAD".to_owned()))
        } else if has("rebase-merge") {
            (Operation::Rebase, rebased("rebase-merge"))
        } else if has("rebase-apply") {
            (Operation::RebaseOrPatches, rebased("rebase-apply"))
        } else if has("CHERRY_PICK_HEAD") {
            (Operation::CherryPick, Some("CHERRY_PICK_HEAD^!".to_owned()))
        } else if has("REVERT_HEAD") {
            (Operation::Revert, Some("REVERT_HEAD^!".to_owned()))
        } else {
            return Ok(None);
        };
        let mut paths = HashSet::new();
        for words in [
            Some(vec!["--cached", "HEAD"]),
            range.as_deref().map(|range| vec![range]),
        ]
        .into_iter()
        .flatten()
        {
            let diff = self.git().args([
                "diff",
                "--name-only",
                "-z",
                "--no-renames",
                "--no-ext-diff",
                "--no-textconv",
            ]);
            let listed = diff.args(words).args(["--"]).output()?;
            paths.extend(
                listed
                    .split(|byte| *byte == 0)
                    .filter(|path| !path.is_empty())
                    .map(|path| path.as_bstr().into()),
            );
        }
        Ok(Some(InProgress { operation, paths }))
    }
}
