//! What a change of rules puts in and out.

use super::root;
use bstr::ByteSlice;
use redshank_rules::RepoPathBuf;
use redshank_worktree::RuleReview;
use serde::Serialize;
use std::path::Path;

/// `review --format json`. A path that isn't UTF-8 has its bytes replaced where they aren't.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "redshank.review/1"))]
pub struct ReviewOut {
    /// Always `redshank.review/1`.
    pub schema: &'static str,
    /// The repository's top folder, an absolute path.
    pub root: String,
    /// The commit with the rules before.
    pub base: String,
    /// The commit with the rules after; none for those on disk.
    pub head: Option<String>,
    /// The ignore files that differ.
    pub changed: Vec<String>,
    /// Files of the working tree that become ignored.
    pub ignored: Vec<String>,
    /// Files of the working tree that are no longer ignored.
    pub included: Vec<String>,
    /// Those of `ignored` that git tracks: for them the rules do nothing.
    pub tracked: Vec<String>,
}

impl ReviewOut {
    /// Builds the document of a review.
    pub fn new(top: &Path, base: &str, head: Option<&str>, review: &RuleReview) -> Self {
        let paths = |paths: &[RepoPathBuf]| {
            let paths = paths.iter().map(|path| path.to_str_lossy());
            paths.map(std::borrow::Cow::into_owned).collect()
        };
        Self {
            schema: "redshank.review/1",
            root: root(top),
            base: base.to_owned(),
            head: head.map(str::to_owned),
            changed: paths(&review.changed),
            ignored: paths(&review.ignored),
            included: paths(&review.included),
            tracked: paths(&review.tracked),
        }
    }
}
