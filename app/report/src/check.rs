//! Findings.

use super::PathOut;
use redshank_text as text;

use redshank_findings::{ClassSummary, Exposure, Finding, Level, Past, Summary};
use redshank_worktree::Class;
use redshank_worktree::size::Bytes;
use redshank_worktree::tree::{State, Unread};
use serde::Serialize;

/// `check --format json`.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "redshank.check/1"))]
pub struct CheckOut {
    /// Always `redshank.check/1`.
    pub schema: &'static str,
    /// The repository's top folder, an absolute path.
    pub root: String,
    /// What was found, sorted by what to do first.
    pub findings: Vec<FindingOut>,
    /// How much was found.
    pub summary: SummaryOut,
    /// What could not be read.
    pub unread: Vec<UnreadOut>,
    /// How many archives were not looked into.
    pub unopened: usize,
    /// Submodules and repositories within this one, which were not looked into.
    pub submodules: Vec<PathOut>,
    /// Where the history of this clone is cut off, each in a sentence; empty where all of it was
    /// searched, or none was asked for.
    pub history_cut: Vec<String>,
}

/// A finding, as `check` writes it.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct FindingOut {
    /// The same as long as its cause is the same.
    pub id: String,
    /// Class of what is wrong.
    pub class: Class,
    /// Which rule of ours found it, as `class/name`.
    pub rule: String,
    /// How bad it is.
    pub level: Level,
    /// The path that it is on.
    #[serde(flatten)]
    pub path: PathOut,
    /// Line number, from 1; none for a whole file.
    pub line: Option<u64>,
    /// In bytes; of a folder, the sum of its files.
    pub size: Option<Bytes>,
    /// Number of files it covers.
    pub files: u64,
    /// git's verdict on the path.
    pub state: State,
    /// How far the file got.
    pub exposure: Exposure,
    /// What became of the file so far, where a commit holds it and its contents matter.
    pub past: Option<Past>,
    /// Where else the same is found.
    pub also: Vec<SpotOut>,
    /// What is wrong, in one sentence.
    pub message: String,
    /// What gives it away; never a whole secret.
    pub evidence: Option<String>,
    /// What fixes it, in one sentence.
    pub remedy: String,
    /// What is to be decided about it before others see it: `revoke`, `rewrite`, `fix` or `know`.
    pub decision: &'static str,
    /// The commands that take it out of the history, in their order; a line that starts with `#` is
    /// for the person. Empty where nothing is to be taken out.
    pub commands: Vec<String>,
}

/// Another place of a finding.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct SpotOut {
    /// The path that it is on.
    #[serde(flatten)]
    pub path: PathOut,
    /// Line number, from 1; none for a whole file.
    pub line: Option<u64>,
    /// git's verdict on the path.
    pub state: State,
}

impl From<&Finding> for SpotOut {
    fn from(place: &Finding) -> Self {
        Self {
            path: PathOut::new(&place.path),
            line: place.line,
            state: place.state,
        }
    }
}

impl From<&Finding> for FindingOut {
    fn from(finding: &Finding) -> Self {
        Self {
            id: finding.id.clone(),
            class: finding.class(),
            rule: finding.rule.to_string(),
            level: finding.level,
            path: PathOut::new(&finding.path),
            line: finding.line,
            size: finding.size,
            files: finding.files,
            state: finding.state,
            exposure: finding.exposure,
            past: finding.past.clone(),
            also: finding.also.iter().map(SpotOut::from).collect(),
            message: text::message(finding),
            evidence: text::evidence(finding),
            remedy: text::remedy(finding),
            decision: text::Decision::about(finding).word(),
            commands: text::cleanup(finding),
        }
    }
}

/// How many findings there are.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct SummaryOut {
    /// Number of findings at level `error`.
    pub errors: usize,
    /// Number of findings at level `warning`.
    pub warnings: usize,
    /// Number of findings at level `note`.
    pub notes: usize,
    /// Findings counted by class.
    pub classes: Vec<ClassOut>,
    /// Left out because somebody accepted them.
    pub accepted: usize,
}

/// A class of findings, summed up.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ClassOut {
    /// Class of what is wrong.
    pub class: Class,
    /// Number of findings of this class.
    pub findings: usize,
    /// Number of files they cover.
    pub files: u64,
    /// Their sizes, in bytes.
    pub size: Bytes,
}

impl SummaryOut {
    /// A summary as it is written.
    pub fn new(summary: &Summary, accepted: usize) -> Self {
        Self {
            errors: summary.errors,
            warnings: summary.warnings,
            notes: summary.notes,
            classes: summary.classes.iter().map(ClassOut::from).collect(),
            accepted,
        }
    }
}

impl From<&ClassSummary> for ClassOut {
    fn from(summary: &ClassSummary) -> Self {
        Self {
            class: summary.class,
            findings: summary.findings,
            files: summary.stats.files,
            size: summary.stats.size,
        }
    }
}

/// A path that could not be read.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct UnreadOut {
    /// The path that it is about.
    #[serde(flatten)]
    pub path: PathOut,
    /// What the system said.
    pub reason: String,
}

impl From<&Unread> for UnreadOut {
    fn from(unread: &Unread) -> Self {
        Self {
            path: PathOut::new(&unread.path),
            reason: unread.reason.to_string(),
        }
    }
}
