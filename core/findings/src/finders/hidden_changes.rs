//! Tracked files whose changes git is set not to look for.

use crate::{ByHand, Cause, Finding, Known, Level, Result, ScanContext};
use redshank_worktree::Class;

pub(super) fn find(scan: &ScanContext, _known: &Known) -> Result<Vec<Finding>> {
    let Some(repository) = &scan.snapshot.repository else {
        return Ok(Vec::new());
    };
    let index = scan.snapshot.index()?;
    let hidden = index.iter().filter(|tracked| tracked.is_muted(repository));
    let entries = hidden.filter_map(|tracked| scan.tree.get(tracked.path.into()));
    let found = entries.map(|entry| {
        let name = "hidden-changes";
        Finding::on(
            entry,
            Class::Personal,
            name,
            Level::Note,
            Cause::HiddenChanges,
        )
        .by_hand(ByHand::Unmute)
    });
    Ok(found.collect())
}
