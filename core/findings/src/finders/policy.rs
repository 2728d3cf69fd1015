//! A policy that a repository follows and isn't up to date with.

use crate::{ByHand, Cause, Finding, Known, Level, Result, ScanContext};
use redshank_rules::RepoPath;
use redshank_templates::{Draft, DraftOptions, TemplateSource};
use redshank_worktree::Class;
use redshank_worktree::policy::FOLDER;
use redshank_worktree::settings::FILE;

pub(super) fn find(scan: &ScanContext, _known: &Known) -> Result<Vec<Finding>> {
    let Some(source) = &scan.settings.policy else {
        return Ok(Vec::new());
    };
    let error =
        |path: &RepoPath, cause| Finding::new(Class::Rule, "policy", Level::Error, path, cause);
    let update = ByHand::UpdatePolicy;
    let Some(policy) = &scan.snapshot.settings()?.policy_copy else {
        let cause = Cause::PolicyMissing {
            from: source.from.clone(),
        };
        return Ok(vec![error(RepoPath::new(FILE), cause).by_hand(update)]);
    };
    let folder = RepoPath::new(FOLDER).join("");
    let mut findings = Vec::new();
    if !policy.record.is_of(source) {
        let cause = Cause::PolicyOther {
            from: policy.record.from.clone(),
        };
        findings.push(error(RepoPath::new(FILE), cause).by_hand(update.clone()));
    }
    if policy.is_changed() {
        findings.push(error(&folder, Cause::PolicyChanged).by_hand(update));
    }
    for label in behind(scan)? {
        let revision = policy.record.short().to_owned();
        let made = error(
            &folder,
            Cause::BehindPolicy {
                label: label.clone(),
                revision,
            },
        );
        let made = made.with_cause(label.as_bytes());
        findings.push(made.by_hand(ByHand::RefreshBlocks));
    }
    Ok(findings)
}

/// The labels of blocks that were written from an earlier revision of one of the policy's
/// templates.
fn behind(scan: &ScanContext) -> Result<Vec<String>> {
    let draft = Draft::compose(scan.snapshot, scan.survey, &[], DraftOptions::default())?;
    let templates = scan.survey.templates.iter();
    let of_policy =
        templates.filter(|template| matches!(template.origin, TemplateSource::Policy(_)));
    let names: Vec<&str> = of_policy.map(|template| template.name.as_str()).collect();
    let labels = draft.stale.iter().map(ToString::to_string);
    let labels = labels.filter(|label| {
        let list = label
            .split_once(" in ")
            .map_or(label.as_str(), |(list, _)| list);
        list.split(", ").any(|name| names.contains(&name))
    });
    Ok(labels.collect())
}
