//! Source files that a rule ignores by a name which tools give to what they make as well, or by
//! their type.

use crate::{ByHand, Cause, Evidence, Finding, Known, Level, Remedy, Result, ScanContext};
use redshank_templates::ignored_sources;
use redshank_worktree::Class;
use redshank_worktree::tree::State;

pub(super) fn find(scan: &ScanContext, _known: &Known) -> Result<Vec<Finding>> {
    let ignored = ignored_sources(scan.survey, scan.tree);
    let found = ignored.into_iter().map(|(path, ruling)| Finding {
        state: State::Ignored,
        remedy: Remedy::ByHand(if path.is_folder() {
            ByHand::NarrowOrForce {
                folder: path.to_owned(),
            }
        } else {
            ByHand::NarrowRule
        }),
        ..Finding::new(
            Class::Needed,
            "work",
            Level::Warning,
            path,
            Cause::WorkKeptOut,
        )
        .with_evidence(Evidence::from(ruling))
    });
    Ok(found.collect())
}
