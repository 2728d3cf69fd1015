//! Work in a folder that a rule keeps out by a name which tools give to what they make.

use crate::{ByHand, Cause, Evidence, Finding, Known, Level, Remedy, Result, ScanContext};
use redshank_templates::work_kept_out;
use redshank_worktree::Class;
use redshank_worktree::tree::State;

pub(super) fn find(scan: &ScanContext, _known: &Known) -> Result<Vec<Finding>> {
    let kept_out = work_kept_out(scan.survey, scan.tree);
    let found = kept_out.into_iter().map(|(folder, ruling)| Finding {
        state: State::Ignored,
        remedy: Remedy::ByHand(ByHand::NarrowOrForce {
            folder: folder.to_owned(),
        }),
        ..Finding::new(
            Class::Needed,
            "work",
            Level::Warning,
            folder,
            Cause::WorkKeptOut,
        )
        .with_evidence(Evidence::from(ruling))
    });
    Ok(found.collect())
}
