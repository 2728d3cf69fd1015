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
    /// The top folder.
    pub root: String,
    /// Each of them.
    pub muted: Vec<MutedOut>,
}

/// One of them.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct MutedOut {
    /// Which.
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
