//! A plan.

use super::{FindingOut, PathOut, root};
use bstr::ByteSlice;
use redshank_changes::plan::{Plan, StepKind};
use redshank_secrets::masked;
use redshank_text as text;
use redshank_worktree::FileStats;
use serde::Serialize;
use std::path::Path;

/// `tidy --format json`.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "redshank.tidy/1"))]
pub struct TidyOut {
    /// Always `redshank.tidy/1`.
    pub schema: &'static str,
    /// The repository's top folder, an absolute path.
    pub root: String,
    /// Whether the steps were done.
    pub applied: bool,
    /// The steps, in order.
    pub steps: Vec<StepOut>,
    /// What only a person can fix.
    pub left: Vec<FindingOut>,
    /// What would be committed before.
    pub before: FileStats,
    /// What would be committed after.
    pub after: FileStats,
}

/// A step of a plan.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct StepOut {
    /// The kind of the step.
    pub act: StepKindOut,
    /// The path that the step changes.
    #[serde(flatten)]
    pub path: PathOut,
    /// The line that it writes into a file of rules or attributes.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub pattern: Option<String>,
    /// The reason; `app/text` has its sentence.
    pub reason: String,
    /// The id of the first finding that it fixes; none for what rules ignore already.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub finding: Option<String>,
    /// The ids of all findings that it fixes.
    pub findings: Vec<String>,
    /// How many files and bytes it concerns.
    #[serde(flatten)]
    pub stats: FileStats,
}

/// What a step does.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum StepKindOut {
    /// It adds a rule that keeps files out.
    Ignore,
    /// It adds a rule that re-includes a file.
    LetIn,
    /// It takes files out of git's index; they stay on disk.
    StopTracking,
    /// It writes a sample without values beside an environment file; `path` is the sample.
    Sample,
    /// It writes a rule as it was meant.
    #[serde(rename = "mend")]
    Fix,
    /// It adds a line to the attributes at the top.
    Attribute,
    /// It lets a file be run.
    MakeExecutable,
    /// It no longer lets a file be run.
    MakePlain,
    /// It moves out of the way what can be made again.
    Remove,
}

impl TidyOut {
    /// A plan as it is written.
    pub fn new(top: &Path, plan: &Plan, applied: bool) -> Self {
        let steps = plan.steps.iter().map(|step| {
            let (act, pattern) = match &step.kind {
                StepKind::Ignore { pattern, .. } => (StepKindOut::Ignore, Some(pattern)),
                StepKind::LetIn(pattern) => (StepKindOut::LetIn, Some(pattern)),
                StepKind::Fix { with, .. } => (StepKindOut::Fix, Some(with)),
                StepKind::Attribute { line, .. } => (StepKindOut::Attribute, Some(line)),
                StepKind::Mode { is_executable } => {
                    let plain = (StepKindOut::MakePlain, None);
                    if *is_executable {
                        (StepKindOut::MakeExecutable, None)
                    } else {
                        plain
                    }
                }
                StepKind::StopTracking => (StepKindOut::StopTracking, None),
                StepKind::Sample(_) => (StepKindOut::Sample, None),
                StepKind::Remove { .. } => (StepKindOut::Remove, None),
            };
            let pattern = pattern.map(|pattern| pattern.to_str_lossy().into_owned());
            let path = match &step.kind {
                StepKind::Sample(new) => new.as_bstr(),
                _ => &step.path,
            };
            StepOut {
                act,
                path: PathOut::new(path),
                pattern,
                reason: masked(&text::reason(&step.reason)),
                finding: step.findings.first().cloned(),
                findings: step.findings.clone(),
                stats: step.stats,
            }
        });
        Self {
            schema: "redshank.tidy/1",
            root: root(top),
            applied,
            steps: steps.collect(),
            left: plan.left.iter().map(FindingOut::from).collect(),
            before: plan.effect.before,
            after: plan.effect.after,
        }
    }
}
