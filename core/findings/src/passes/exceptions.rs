//! A person's exception is law: what a rule re-includes on purpose is not found for its name or for
//! what made it, and no plan ignores it.

use crate::{ByHand, Evidence, Finding, Level, Remedy, Result, ScanContext};
use redshank_worktree::Class;
use redshank_worktree::tree::State;

/// Drops findings on files that an exception re-includes. What harms whatever anybody says (a
/// secret that was read, a file that a host refuses) stays, and is left to the person.
pub(crate) fn respect_exceptions(scan: &ScanContext, findings: &mut Vec<Finding>) -> Result<()> {
    let mut kept = Vec::with_capacity(findings.len());
    for mut finding in std::mem::take(findings) {
        let is_about = finding.state != State::Ignored
            && !finding.path.is_folder()
            && matches!(
                finding.class(),
                Class::Generated | Class::Personal | Class::Secret | Class::Oversized
            );
        let exception = if is_about {
            scan.verdicts.exception(&finding.path)?
        } else {
            None
        };
        if let Some(ruling) = exception {
            if !harms_anyway(&finding) {
                continue;
            }
            if let Remedy::KeepOut(_) = finding.remedy {
                finding = finding.by_hand(ByHand::DropException {
                    pattern: ruling.excerpt(),
                });
            }
        }
        kept.push(finding);
    }
    *findings = kept;
    Ok(())
}

fn harms_anyway(finding: &Finding) -> bool {
    match finding.class() {
        Class::Secret => {
            finding.line.is_some()
                || matches!(
                    finding.evidence,
                    Some(Evidence::Secret(_) | Evidence::FirstBytes | Evidence::FirstLines)
                )
        }
        Class::Oversized => finding.level == Level::Error,
        _ => false,
    }
}
