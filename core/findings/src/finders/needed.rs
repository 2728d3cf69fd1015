//! Files that a fresh clone needs, ignored by a rule.

use crate::{ByHand, Cause, Evidence, Finding, Known, Level, Remedy, Result, ScanContext};
use redshank_templates::swallowed;
use redshank_worktree::size::Bytes;
use redshank_worktree::tree::State;
use redshank_worktree::{Class, Overlay};

pub(super) fn find(scan: &ScanContext, _known: &Known) -> Result<Vec<Finding>> {
    let projects = &scan.survey.projects;
    let files = swallowed(scan.snapshot, scan.tree, projects, Overlay::new())?;
    let found = files.into_iter().map(|file| {
        let path = &file.path;
        let meta = scan.snapshot.root.meta(path).ok();
        let cause = Cause::Swallowed {
            reason: file.needed.reason.clone(),
        };
        let remedy = match &file.excluded_parent {
            None => {
                let (folder, rule) = file.placed();
                Remedy::LetIn { folder, rule }
            }
            Some(folder) => Remedy::ByHand(ByHand::NarrowOrForce {
                folder: folder.clone(),
            }),
        };
        Finding {
            size: meta.map(|found| Bytes(found.size)),
            state: State::Ignored,
            remedy,
            ..Finding::new(Class::Needed, "swallowed", Level::Warning, path, cause)
                .with_evidence(Evidence::from(&file.ruling))
        }
    });
    Ok(found.collect())
}
