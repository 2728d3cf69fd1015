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
        findings.extend(fault.map(|(class, name, cause, fix)| {
            Finding::on(entry, class, name, Level::Warning, cause)
                .with_evidence(Evidence::LinkTarget(target))
                .by_hand(fix)
        }));
    }
    Ok(findings)
}

/// What is wrong with a link, and what fixes it.
type Fault = (Class, &'static str, Cause, ByHand);

fn fault(scan: &ScanContext, link: &RepoPath, target: &BStr) -> Result<Option<Fault>> {
    if target.starts_with(b"/") {
        let (cause, fix) = (Cause::AbsoluteLink, ByHand::MakeLinkRelative);
        return Ok(Some((Class::Personal, "absolute-link", cause, fix)));
    }
    let Some(path) = link.folder().resolve(target) else {
        let (cause, fix) = (Cause::LinkOutside, ByHand::BringTargetIn);
        return Ok(Some((Class::Needed, "link-outside", cause, fix)));
    };
    // Through another link it may lead anywhere; that one has its own finding.
    if matches!(scan.snapshot.root.meta_if_there(&path), Ok(None)) {
        let (cause, fix) = (Cause::BrokenLink, ByHand::FixLink);
        return Ok(Some((Class::Needed, "broken-link", cause, fix)));
    }
    let answer = scan.verdicts.query(&path)?;
    Ok((answer.state == State::Ignored).then_some((
        Class::Needed,
        "link-to-ignored",
        Cause::LinkToIgnored,
        ByHand::LetTargetIn,
    )))
}
