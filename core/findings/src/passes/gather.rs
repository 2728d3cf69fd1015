//! Many findings of one kind with one remedy are reported as one, wherever they are.

use crate::{Cause, Finding, Level, Remedy};
use redshank_worktree::Class;
use std::mem::{discriminant, take};

/// At most this many of one kind are reported as one.
const MANY: usize = 5;

/// Makes one finding, with its other places, of many of one kind. A secret that would hurt stands
/// alone, and so does what needs a remedy of its own.
pub(crate) fn gather(findings: &mut Vec<Finding>) {
    let mut kinds: Vec<Vec<Finding>> = Vec::new();
    let mut others = Vec::new();
    for finding in take(findings) {
        if !can_be_gathered(&finding) {
            others.push(finding);
            continue;
        }
        match kinds.iter_mut().find(|kind| are_alike(&kind[0], &finding)) {
            Some(kind) => kind.push(finding),
            None => kinds.push(vec![finding]),
        }
    }
    for mut kind in kinds {
        if kind.len() < MANY {
            others.extend(kind);
            continue;
        }
        kind.sort_by(|a, b| (&a.path, a.line).cmp(&(&b.path, b.line)));
        let mut all = kind.into_iter().flat_map(|mut finding| {
            let also = take(&mut finding.also);
            std::iter::once(finding).chain(also)
        });
        if let Some(mut first) = all.next() {
            first.also = all.collect();
            first.is_gathered = true;
            others.push(first);
        }
    }
    *findings = others;
}

fn can_be_gathered(finding: &Finding) -> bool {
    let is_secret = finding.class() == Class::Secret && finding.level != Level::Note;
    let is_plain = finding.past.is_none() && finding.only_past.is_none();
    let is_one_remedy = match finding.remedy {
        Remedy::ByHand(_) | Remedy::Attribute { .. } | Remedy::Mode { .. } => true,
        Remedy::KeepOut(_) => finding.class() != Class::Secret,
        Remedy::LetIn { .. } | Remedy::Fix { .. } => false,
    };
    !is_secret && is_plain && is_one_remedy && finding.accepted_until.is_none()
}

fn are_alike(a: &Finding, b: &Finding) -> bool {
    let is_same_cause = match (&a.cause, &b.cause) {
        (Cause::Said(a), Cause::Said(b)) => a == b,
        (Cause::Rule(a), Cause::Rule(b)) => a == b,
        (Cause::AttributeLine(a), Cause::AttributeLine(b)) => a.status == b.status,
        (Cause::Credential { downgrade: a, .. }, Cause::Credential { downgrade: b, .. }) => a == b,
        (a, b) => discriminant(a) == discriminant(b),
    };
    (&a.rule, a.level, a.state, a.exposure) == (&b.rule, b.level, b.state, b.exposure)
        && a.remedy == b.remedy
        && is_same_cause
}
