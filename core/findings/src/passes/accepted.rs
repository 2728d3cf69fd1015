//! Findings that somebody looked at and found all right, with the reason why.

use crate::{ByHand, Cause, Evidence, Finding, Level, ScanContext, ScanResult};
use jiff::civil::Date;
use redshank_worktree::Class;
use redshank_worktree::settings::{self, Acceptance};

/// Today, where this machine is.
pub fn today() -> Date {
    jiff::Zoned::now().date()
}

/// Takes accepted findings out, and reports acceptances that stand for nothing any more.
pub(crate) fn leave_out_accepted(scan: &ScanContext, result: &mut ScanResult) {
    let today = today();
    // Without a reason, nothing is accepted.
    let has_reason = |one: &&Acceptance| !one.because.trim().is_empty();
    let accepted: Vec<&Acceptance> = scan.settings.accept.iter().filter(has_reason).collect();
    let (valid, expired): (Vec<_>, Vec<_>) = accepted
        .iter()
        .copied()
        .partition(|acceptance| acceptance.until.is_none_or(|until| until >= today));
    for finding in &mut result.findings {
        let of_it = expired.iter().find(|one| one.finding == finding.id);
        finding.accepted_until = of_it.and_then(|one| one.until);
    }
    let is_found = |acceptance: &Acceptance, findings: &[Finding]| {
        findings
            .iter()
            .flat_map(Finding::places)
            .any(|place| place.id == acceptance.finding)
    };
    let stale: Vec<Finding> = accepted
        .into_iter()
        .filter(|one| scan.options.is_for_all() && !is_found(one, &result.findings))
        .map(stale)
        .collect();
    let before = result.findings.len();
    result
        .findings
        .retain(|finding| !valid.iter().any(|one| one.finding == finding.id));
    result.accepted += before - result.findings.len();
    result.findings.extend(stale);
}

fn stale(acceptance: &Acceptance) -> Finding {
    let cause = Cause::StaleAcceptance {
        finding: acceptance.finding.clone(),
    };
    let accepted = Evidence::Accepted(acceptance.rule.clone(), acceptance.path.clone());
    let (name, file) = ("stale-acceptance", settings::FILE.into());
    Finding::new(Class::Rule, name, Level::Note, file, cause)
        .with_cause(acceptance.finding.as_bytes())
        .with_evidence(accepted)
        .by_hand(ByHand::TakeAcceptanceOut)
}
