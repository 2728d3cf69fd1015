//! Repositories inside this one, of which git would record a commit and nothing else.

use crate::{ByHand, Cause, Finding, Known, Level, Result, ScanContext};
use redshank_worktree::Class;
use redshank_worktree::tree::{Entry, EntryKind, State};

pub(super) fn find(scan: &ScanContext, _known: &Known) -> Result<Vec<Finding>> {
    let nested = scan.tree.to_commit();
    let nested: Vec<&Entry> = nested
        .filter(|entry| entry.kind == EntryKind::Repository)
        .collect();
    let repository = scan.snapshot.repository.as_ref();
    let Some(repository) = repository.filter(|_| !nested.is_empty()) else {
        return Ok(Vec::new());
    };
    let known = repository.submodules()?;
    let is_known = |entry: &&Entry| {
        let bare = entry.path.strip_suffix(b"/").unwrap_or(&entry.path);
        known.keys().any(|path| path == bare)
    };
    let unknown = nested.into_iter().filter(|entry| !is_known(entry));
    let found = unknown.map(|entry| {
        let name = "nested-repository";
        Finding::on(
            entry,
            Class::Needed,
            name,
            Level::Warning,
            Cause::NestedRepository,
        )
        .by_hand(match entry.state {
            State::Tracked => ByHand::DeclareSubmodule,
            State::Candidate | State::Ignored => ByHand::AddSubmodule,
        })
    });
    Ok(found.collect())
}
