//! Files that git tracks although a rule would ignore them.

use crate::{ByHand, Cause, Evidence, Finding, Known, Level, Remedy, Result, ScanContext};
use bstr::ByteSlice;
use redshank_rules::RepoPathBuf;
use redshank_rules::exactly;
use redshank_rules::ignore_file::NewRule;
use redshank_rules::{RuleScope, Ruling};
use redshank_worktree::Class;
use redshank_worktree::tree::{Entry, State};

pub(super) fn find(scan: &ScanContext, known: &Known) -> Result<Vec<Finding>> {
    let mut findings = Vec::new();
    let tracked = scan.tree.in_state(State::Tracked);
    for entry in tracked.filter(|entry| !known.templates.has(entry)) {
        let answer = scan.verdicts.query(&entry.path)?;
        let excluded_parent = answer.excluded_parent(&entry.path);
        let Some(ruling) = answer.ruling.filter(Ruling::ignores) else {
            continue;
        };
        let remedy = match excluded_parent {
            // Anyone who names a file in a rule means that file: no exception may undo it.
            None if names(&ruling, entry) => Remedy::ByHand(ByHand::UntrackOrDropRule),
            None => {
                let (folder, rule) = exception(entry, &ruling);
                Remedy::LetIn { folder, rule }
            }
            Some(_) => Remedy::ByHand(ByHand::NarrowOrUntrack),
        };
        let (name, cause) = ("tracked-anyway", Cause::TrackedAnyway);
        findings.push(
            Finding::on(entry, Class::Rule, name, Level::Note, cause)
                .with_evidence(Evidence::from(&ruling))
                .with_remedy(remedy),
        );
    }
    Ok(findings)
}

/// Whether a rule has no wildcard, and so means exactly files of this name.
fn names(ruling: &Ruling, entry: &Entry) -> bool {
    let rule = &ruling.rule().text;
    rule.rsplit_str("/").next() == Some(entry.path.name().as_bytes())
        && !rule.contains_str("*")
        && !rule.contains_str("?")
        && !rule.contains_str("[")
}

/// The rule that says that it is there on purpose, and the folder whose ignore file takes it:
/// behind the rule that would ignore it, for a deeper file is stronger.
fn exception(entry: &Entry, ruling: &Ruling) -> (RepoPathBuf, NewRule) {
    let folder = match ruling.source().scope {
        RuleScope::Folder => ruling.source().base.clone(),
        RuleScope::Team | RuleScope::Clone | RuleScope::Personal => RepoPathBuf::default(),
    };
    let path = entry.path.below(&folder).unwrap_or(&entry.path);
    let pattern = [b"!", exactly(path).as_slice()].concat();
    let rule = NewRule {
        pattern: pattern.into(),
        reason: "tracked on purpose, though a rule matches it".to_owned(),
        remake: None,
    };
    (folder, rule)
}
