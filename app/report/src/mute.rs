//! Hidden changes.

use super::PathOut;
use bstr::ByteSlice;
use redshank_changes::hidden_changes::Muted;
use serde::Serialize;

/// The tracked files whose changes are hidden from git.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct MutesOut {
    /// `redshank.mute/1`.
    pub schema: &'static str,
    /// The repository's top folder, an absolute path.
    pub root: String,
    /// One entry for each of them, in order.
    pub muted: Vec<MutedOut>,
}

/// One entry of the list.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct MutedOut {
    /// The path that it is about.
    #[serde(flatten)]
    pub path: PathOut,
    /// It differs from what git has.
    pub changed: bool,
    /// The branch that this one follows has changed it.
    pub changed_upstream: bool,
}

impl From<&Muted> for MutedOut {
    fn from(muted: &Muted) -> Self {
        let path = PathOut::new(muted.path.as_bstr());
        Self {
            path,
            changed: muted.changed,
            changed_upstream: muted.changed_upstream,
        }
    }
}
