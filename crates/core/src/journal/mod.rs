//! Changes, and the way back. Before anything is changed, all that is needed to take it back is safe on disk, in the git
//! folder, where nothing of it is ever tracked.

mod record;
mod store;

pub use store::{Done, Journal, write_without_journal};

use bstr::BString;

/// Changes to be made.
#[derive(Debug, Default, Clone, PartialEq, Eq)]
pub struct Changes {
    /// Files to write, relative to the top, with what they are to hold.
    pub writes: Vec<(BString, Vec<u8>)>,
    /// Paths to take out of git's index.
    pub untracked: Vec<BString>,
}

impl Changes {
    /// Whether there is nothing to do.
    pub fn is_empty(&self) -> bool {
        self.writes.is_empty() && self.untracked.is_empty()
    }
}
