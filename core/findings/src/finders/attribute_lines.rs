//! Lines of attribute files that git drops, or of which it ignores a part.

use crate::{ByHand, Cause, Evidence, Finding, Known, Level, Result, ScanContext};
use redshank_rules::RepoPath;
use redshank_worktree::Class;
use redshank_worktree::attributes::attribute_faults;

pub(super) fn find(scan: &ScanContext, _known: &Known) -> Result<Vec<Finding>> {
    if scan.snapshot.repository.is_none() {
        return Ok(Vec::new());
    }
    let faults = attribute_faults(scan.snapshot)?.into_iter();
    let findings = faults.map(|usage| {
        let path = RepoPath::new(&usage.line.source).to_owned();
        let (line, text) = (u64::from(usage.line.line), usage.line.text.clone());
        let cause = Cause::AttributeLine(usage);
        Finding::new(Class::Rule, "attributes", Level::Warning, &path, cause)
            .with_cause(&text)
            .at_line(line)
            .with_evidence(Evidence::Pattern(text))
            .by_hand(ByHand::FixPattern)
    });
    Ok(findings.collect())
}
