//! Files that git stops tracking.

use super::{PathOut, root};
use bstr::ByteSlice;
use redshank_changes::untrack::Untracking;
use redshank_worktree::size::Bytes;
use serde::Serialize;
use std::path::Path;

/// `untrack --format json`.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "redshank.untrack/1"))]
pub struct UntrackOut {
    /// Always `redshank.untrack/1`.
    pub schema: &'static str,
    /// The repository's top folder, an absolute path.
    pub root: String,
    /// Whether it was done.
    pub applied: bool,
    /// The files; they stay on disk.
    pub files: Vec<UntrackedOut>,
    /// How large they are on disk, in bytes.
    pub size: Bytes,
}

/// One entry of the list.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct UntrackedOut {
    /// The path that it is about.
    #[serde(flatten)]
    pub path: PathOut,
    /// The current commit holds it: a pull deletes it on a colleague's disk.
    pub committed: bool,
    /// A rule ignores it; otherwise `git add --all` adds it again.
    pub ignored: bool,
}

impl UntrackOut {
    /// Builds the document of a plan.
    pub fn new(top: &Path, untracking: &Untracking, applied: bool) -> Self {
        Self {
            schema: "redshank.untrack/1",
            root: root(top),
            applied,
            files: untracking
                .files
                .iter()
                .map(|path| UntrackedOut {
                    path: PathOut::new(path.as_bstr()),
                    committed: untracking.committed.binary_search(path).is_ok(),
                    ignored: untracking.not_ignored.binary_search(path).is_err(),
                })
                .collect(),
            size: untracking.stats.size,
        }
    }
}
