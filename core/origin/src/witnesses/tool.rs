//! What the template of a recognised tool says, and how sure its word is.

use super::place::is_aside;
use super::{Basis, Claim, Subject};
use crate::Surroundings;
use crate::evidence::{Detail, Evidence, Origin, Witness};

pub(super) fn testify(_: &Surroundings, subject: &Subject, evidence: &mut Vec<Evidence>) {
    let Some(claim) = subject.claim else { return };
    evidence.push(match claim.basis {
        // What one person's editor leaves, it leaves anywhere.
        Basis::AnyName if claim.origin == Origin::Local => with_row(claim, "any-name"),
        Basis::AnyName if is_aside(claim.place.bare()) => with_row(claim, "any-name-aside"),
        // The folder's name says the same: it is not twice as true.
        Basis::AnyName if subject.output.is_some() => with_row(claim, "any-name-of-output"),
        _ => evidence_of(claim),
    });
}

fn evidence_of(claim: &Claim) -> Evidence {
    with_row(
        claim,
        match claim.basis {
            Basis::Mark => "mark",
            Basis::ToolsName => "tools-name",
            Basis::OneName => "one-name",
            Basis::AnyName => "any-name",
        },
    )
}

fn with_row(claim: &Claim, row: &'static str) -> Evidence {
    let detail = Detail::Template {
        name: claim.template.clone(),
        reason: claim.reason.clone(),
    };
    Evidence::new(Witness::Tool, row, detail).with_origin(claim.origin)
}
