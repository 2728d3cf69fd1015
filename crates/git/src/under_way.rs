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
pub struct UnderWay {
    /// What, with its article.
    pub what: &'static str,
    /// The paths that it touches, or has touched already.
    pub paths: HashSet<BString>,
}

impl Repository {
    /// What git is in the middle of here.
    ///
    /// # Errors
    /// If git refuses.
    pub fn under_way(&self) -> Result<Option<UnderWay>> {
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
        let (what, range) = if has("MERGE_HEAD") {
            ("a merge", Some("HEAD...MERGE_HEAD".to_owned()))
        } else if has("rebase-merge") {
            ("a rebase", rebased("rebase-merge"))
        } else if has("rebase-apply") {
            ("a rebase, or a series of patches,", rebased("rebase-apply"))
        } else if has("CHERRY_PICK_HEAD") {
            ("a cherry-pick", Some("CHERRY_PICK_HEAD^!".to_owned()))
        } else if has("REVERT_HEAD") {
            ("a revert", Some("REVERT_HEAD^!".to_owned()))
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
        Ok(Some(UnderWay { what, paths }))
    }
}
