//! What a clone of the next commit would hold, and what tools leave behind that run there or here.

mod learned;
mod missing;
mod past_runs;
mod prove;
mod run;
pub mod scratch;
mod shape;
mod write_events;

pub use learned::{Learned, LearnedStatus, RunContext, learned};
pub use missing::{Missing, MissingReason, Reference, missing, references_in};
pub use past_runs::{PastRun, PastRuns};
pub use prove::{LeftOut, Outcome, left_out, remember_rebuilt};
pub use run::{Run, RunDifference, RunSnapshot};
pub use write_events::{WriteEvent, WriteEvents};

use crate::{Error, Result};
use redshank_files::Root;
use redshank_worktree::tree::State;
use redshank_worktree::{FileStats, Purpose, Snapshot, Worktree};
use scratch::Scratch;
use std::path::Path;

/// A clone of the next commit, in a folder of its own that goes with it.
pub struct ScratchClone {
    /// Keeps the folder as long as it is needed.
    _scratch: Scratch,
    /// Where the files lie.
    pub worktree: Worktree,
    /// How much it holds.
    pub stats: FileStats,
}

impl ScratchClone {
    /// Lays it out, as git would.
    ///
    /// # Errors
    /// If there is no repository, git would never end, or git or the disk refuses.
    pub fn create(snapshot: &Snapshot, staged_only: bool) -> Result<Self> {
        if let Some(path) = snapshot.tree()?.endless_attributes(snapshot) {
            return Err(Error::Endless(path));
        }
        let repository = snapshot.needs_repository(Purpose::NextCommit)?;
        let scratch = Scratch::new()?;
        let folder = scratch.path();
        let name = snapshot.top.file_name().unwrap_or("clone".as_ref());
        let top = folder.join("clone").join(name);
        repository.lay_out_next(&folder, &top, !staged_only)?;
        let clone = Snapshot::open(&top)?;
        Ok(Self {
            stats: FileStats::sum(clone.tree()?.in_state(State::Tracked)),
            worktree: clone.worktree().clone(),
            _scratch: scratch,
        })
    }
}

/// Writes what the next commit holds into a folder that isn't there yet, as a repository of its own
/// with one commit and without history; returns the commit's name and what it holds.
///
/// # Errors
/// If there is no repository, git knows no author, something is in the folder's place, it is in the
/// repository, git would never end, or git or the disk refuses.
pub fn export(
    snapshot: &Snapshot,
    into: &Path,
    staged_only: bool,
    message: &str,
) -> Result<(String, Snapshot)> {
    if let Some(path) = snapshot.tree()?.endless_attributes(snapshot) {
        return Err(Error::Endless(path));
    }
    if into.starts_with(&snapshot.top) {
        return Err(Error::ExportInside(into.to_owned()));
    }
    if Root::open(into).is_ok() {
        return Err(Error::ExportTaken(into.to_owned()));
    }
    let repository = snapshot.needs_repository(Purpose::NextCommit)?;
    if repository.author().is_none() {
        return Err(Error::NoAuthor);
    }
    let scratch = Scratch::new()?;
    let commit = repository.export_next(&scratch.path(), into, !staged_only, message)?;
    Ok((commit, Snapshot::open(into)?))
}
