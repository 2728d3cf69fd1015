//! Submodules of a push that nobody else can reach: their commit is on no remote, or their address is
//! a place on this machine.

use crate::{ByHand, Cause, Evidence, Finding, Level, Result, ScanContext};
use bstr::ByteSlice;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_worktree::Class;
use redshank_worktree::tree::State;
use std::collections::HashSet;

/// The findings on submodules among the files that a push changes.
pub(crate) fn find_unreachable(
    scan: &ScanContext,
    files: &HashSet<&RepoPath>,
) -> Result<Vec<Finding>> {
    let Some(repository) = &scan.snapshot.repository else {
        return Ok(Vec::new());
    };
    let commits = repository.submodule_commits("HEAD")?;
    let commits: Vec<(RepoPathBuf, String)> = commits
        .into_iter()
        .map(|(path, commit)| (RepoPathBuf::from(path), commit))
        .filter(|(path, _)| files.contains(&**path))
        .collect();
    if commits.is_empty() {
        return Ok(Vec::new());
    }
    let known = repository.submodules()?;
    let mut findings = Vec::new();
    for (path, commit) in commits {
        // One that `.gitmodules` doesn't name is another finding.
        let Some(submodule) = known.get(path.as_bstr()) else {
            continue;
        };
        let here = submodule
            .address
            .clone()
            .filter(|one| is_on_this_machine(one));
        let cause = match here {
            Some(address) => Cause::SubmoduleHere { address },
            None if repository.is_on_submodules_remote(submodule, &commit) == Some(false) => {
                Cause::SubmoduleUnpushed { commit }
            }
            None => continue,
        };
        let made = Finding::new(Class::Needed, "submodule", Level::Error, &path, cause);
        let made = made.with_evidence(Evidence::File(".gitmodules".into()));
        findings.push(Finding {
            state: State::Tracked,
            ..made.by_hand(ByHand::PushSubmodule)
        });
    }
    Ok(findings)
}

/// Whether an address is a place on this machine; one relative to the remote's isn't.
fn is_on_this_machine(address: &str) -> bool {
    let has_drive = address.as_bytes().get(1) == Some(&b':');
    address.starts_with('/') || address.starts_with("file:") || has_drive
}
