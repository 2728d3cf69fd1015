//! Symbolic links that lead nowhere in somebody else's clone.

use crate::{ByHand, Cause, Evidence, Finding, Known, Level, Result, ScanContext};
use bstr::{BStr, ByteSlice};
use redshank_rules::RepoPath;
use redshank_worktree::Class;
use redshank_worktree::tree::{EntryKind, State};

pub(super) fn find(scan: &ScanContext, known: &Known) -> Result<Vec<Finding>> {
    let mut findings = Vec::new();
    let links = scan
        .tree
        .to_commit()
        .filter(|entry| entry.kind == EntryKind::Link && !known.templates.has(entry));
    for entry in links {
        let Ok(target) = scan.snapshot.root.link_target(&entry.path) else {
            continue;
        };
        let fault = fault(scan, &entry.path, target.as_bstr())?;
        findings.extend(fault.map(|(class, name, cause, mend)| {
            Finding::on(entry, class, name, Level::Warning, cause)
                .with_evidence(Evidence::LinkTarget(target))
                .by_hand(mend)
        }));
    }
    Ok(findings)
}

/// What is wrong with a link, and what mends it.
type Fault = (Class, &'static str, Cause, ByHand);

fn fault(scan: &ScanContext, link: &RepoPath, target: &BStr) -> Result<Option<Fault>> {
    if target.starts_with(b"/") {
        let (cause, mend) = (Cause::AbsoluteLink, ByHand::MakeLinkRelative);
        return Ok(Some((Class::Personal, "absolute-link", cause, mend)));
    }
    let Some(path) = link.folder().resolve(target) else {
        let (cause, mend) = (Cause::LinkOutside, ByHand::BringTargetIn);
        return Ok(Some((Class::Needed, "link-outside", cause, mend)));
    };
    // Through another link it may lead anywhere; that one has its own finding.
    if matches!(scan.snapshot.root.meta_if_there(&path), Ok(None)) {
        let (cause, mend) = (Cause::BrokenLink, ByHand::MendLink);
        return Ok(Some((Class::Needed, "broken-link", cause, mend)));
    }
    let answer = scan.verdicts.query(&path)?;
    Ok((answer.state == State::Ignored).then_some((
        Class::Needed,
        "link-to-ignored",
        Cause::LinkToIgnored,
        ByHand::LetTargetIn,
    )))
}
