//! What every plan promises: each path that it ignores, stops tracking or re-includes belongs to a
//! finding of this plan, and no path that a person's exception names is ignored.

use super::{Step, StepKind};
use crate::Result;
use bstr::{BString, ByteSlice};
use redshank_findings::{ByHand, Evidence, Finding, Remedy};
use redshank_rules::Ruling;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_worktree::effect::Effect;
use redshank_worktree::tree::{Entry, State};
use redshank_worktree::{Overlay, Snapshot, Verdicts};
use std::collections::{HashMap, HashSet};

/// The paths that the findings of a plan are about, each with the ids of its findings.
#[derive(Default)]
pub(super) struct Claims {
    /// Files, and folders with all that is in them.
    paths: HashMap<RepoPathBuf, Vec<String>>,
    /// All files of a type in a folder.
    types: Vec<(RepoPathBuf, BString, String)>,
}

impl Claims {
    pub(super) fn add(&mut self, finding: &Finding) {
        if let Some(Evidence::Extension(extension, _)) = &finding.evidence {
            let claim = (finding.path.clone(), extension.clone(), finding.id.clone());
            self.types.push(claim);
            return;
        }
        let ids = self.paths.entry(finding.path.clone()).or_default();
        ids.push(finding.id.clone());
    }

    /// The ids of the findings that a path belongs to, and the uppermost path that they name.
    fn claimants(&self, path: &RepoPath) -> (Vec<&String>, Option<RepoPathBuf>) {
        let named = path
            .parts()
            .filter_map(|part| self.paths.get_key_value(part));
        let mut ids = Vec::new();
        let mut top = None;
        for (at, known) in named {
            top.get_or_insert_with(|| at.clone());
            ids.extend(known);
        }
        for (folder, extension, id) in &self.types {
            if (folder.is_top() || path.is_within(folder)) && path.ends_with(extension) {
                top.get_or_insert_with(|| path.to_owned());
                ids.push(id);
            }
        }
        (ids, top)
    }
}

/// A path that a plan changes and must not.
pub(super) struct Breach {
    pub(super) path: RepoPathBuf,
    /// The rule that decides about it by the plan.
    pattern: Option<BString>,
    /// The findings whose steps do it.
    findings: HashSet<String>,
}

impl Breach {
    /// The first path of a plan's effect that belongs to no finding of the plan.
    pub(super) fn find(
        snapshot: &Snapshot,
        steps: &[Step],
        claims: &Claims,
        effect: &Effect,
        overlay: Overlay,
    ) -> Result<Option<Self>> {
        let (was, is) = (
            Verdicts::new(snapshot, Overlay::new())?,
            Verdicts::new(snapshot, overlay)?,
        );
        for entry in effect.kept_out.iter().chain(&effect.let_in) {
            let (ids, claimed) = claims.claimants(&entry.path);
            let ruling = is.query(&entry.path)?.ruling;
            let is_claimed = claimed.is_some()
                || entry.state != State::Tracked && is_as_meant(steps, ruling.as_ref());
            let exception = match entry.state {
                State::Ignored => None,
                _ => was.exception(&entry.path)?,
            };
            let is_inside = |ruling: &Ruling| {
                let base = &ruling.source().base;
                claimed
                    .as_ref()
                    .is_some_and(|at| at.is_folder() && base.starts_with(at))
            };
            if is_claimed && exception.is_none_or(|ruling| is_inside(&ruling)) {
                continue;
            }
            return Ok(Some(Self::by(entry, steps, &ids, ruling)));
        }
        Ok(None)
    }

    fn by(entry: &Entry, steps: &[Step], ids: &[&String], ruling: Option<Ruling>) -> Self {
        let pattern = ruling.map(|ruling| ruling.rule().text.clone());
        let of_rule = steps.iter().filter(|step| match &step.kind {
            StepKind::Ignore { pattern: own, .. } | StepKind::LetIn(own) => {
                Some(own) == pattern.as_ref()
            }
            StepKind::Fix { with, .. } => pattern.as_ref().is_some_and(|one| holds(with, one)),
            _ => false,
        });
        let findings = of_rule
            .flat_map(|step| &step.findings)
            .chain(ids.iter().copied());
        Self {
            path: entry.path.clone(),
            findings: findings.cloned().collect(),
            pattern,
        }
    }

    /// Whether a finding's steps do it.
    pub(super) fn is_by(&self, finding: &Finding) -> bool {
        finding
            .places()
            .any(|place| self.findings.contains(&place.id))
    }

    /// The finding, left to the person.
    pub(super) fn refuse(&self, finding: Finding) -> Finding {
        let pattern = match &finding.remedy {
            Remedy::KeepOut(keep_out) => Some(keep_out.rule.pattern.clone()),
            _ => self.pattern.clone(),
        };
        Finding {
            remedy: Remedy::ByHand(ByHand::WriteNarrowerRule {
                pattern: pattern.unwrap_or_default(),
                path: self.path.clone(),
            }),
            ..finding
        }
    }
}

/// Whether a rule that a step writes as it was meant decides.
fn is_as_meant(steps: &[Step], ruling: Option<&Ruling>) -> bool {
    let Some(ruling) = ruling else {
        // A rule that was read wrongly no longer decides.
        return steps
            .iter()
            .any(|step| matches!(step.kind, StepKind::Fix { .. }));
    };
    steps.iter().any(|step| match &step.kind {
        StepKind::Fix { with, .. } => holds(with, &ruling.rule().text),
        _ => false,
    })
}

fn holds(lines: &BString, line: &BString) -> bool {
    lines.lines().any(|one| one == line.as_slice())
}
