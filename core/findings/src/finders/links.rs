//! Symbolic links that lead nowhere in somebody else's clone.

use crate::{ByHand, Cause, Evidence, Finding, Known, Level, Result, ScanContext};
use bstr::{BString, ByteSlice};
use redshank_worktree::Class;
use redshank_worktree::tree::{EntryKind, State};

pub(super) fn find(scan: &ScanContext, _known: &Known) -> Result<Vec<Finding>> {
    let mut findings = Vec::new();
    let links = scan
        .tree
        .to_commit()
        .filter(|entry| entry.kind == EntryKind::Link);
    for entry in links {
        let Ok(target) = scan.snapshot.root.link_target(entry.path.as_bstr()) else {
            continue;
        };
        let fault = fault(scan, entry.path.as_bstr(), target.as_bstr())?;
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

fn fault(scan: &ScanContext, link: &bstr::BStr, target: &bstr::BStr) -> Result<Option<Fault>> {
    if target.starts_with(b"/") {
        let (cause, mend) = (Cause::AbsoluteLink, ByHand::MakeLinkRelative);
        return Ok(Some((Class::Personal, "absolute-link", cause, mend)));
    }
    let Some(path) = resolved(link, target) else {
        let (cause, mend) = (Cause::LinkOutside, ByHand::BringTargetIn);
        return Ok(Some((Class::Needed, "link-outside", cause, mend)));
    };
    // Through another link it may lead anywhere; that one has its own finding.
    if matches!(scan.snapshot.root.meta_if_there(path.as_bstr()), Ok(None)) {
        let (cause, mend) = (Cause::BrokenLink, ByHand::MendLink);
        return Ok(Some((Class::Needed, "broken-link", cause, mend)));
    }
    let answer = scan.verdicts.query(path.as_bstr())?;
    Ok((answer.state == State::Ignored).then_some((
        Class::Needed,
        "link-to-ignored",
        Cause::LinkToIgnored,
        ByHand::LetTargetIn,
    )))
}

/// Where a relative link leads, from the top; nothing if that is outside.
fn resolved(link: &bstr::BStr, target: &bstr::BStr) -> Option<BString> {
    let mut parts: Vec<&[u8]> = link.split_str("/").collect();
    parts.pop();
    for part in target.split_str("/") {
        match part {
            b"" | b"." => {}
            b".." => {
                parts.pop()?;
            }
            name => parts.push(name),
        }
    }
    Some(bstr::join("/", parts).into())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn relative_links_are_followed_from_where_they_are() {
        let leads = |link: &str, target: &str| {
            resolved(link.into(), target.into()).map(|path| path.to_string())
        };
        assert_eq!(leads("a/b/link", "../c/./d"), Some("a/c/d".into()));
        assert_eq!(leads("link", "a//b"), Some("a/b".into()));
        assert_eq!(leads("a/link", "../../out"), None);
    }
}
