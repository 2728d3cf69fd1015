//! What to do next in a repository, by what was found.

use crate::{Finding, Level};
use redshank_templates::{Survey, first_uncovered_project, left_behind};
use redshank_worktree::Snapshot;
use redshank_worktree::tree::State;

/// The next sensible step.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NextStep {
    /// Make it a repository.
    Init,
    /// See rules that fit the projects.
    Draft,
    /// Bring blocks of rules up to date: the folder of one moved or went.
    Refresh,
    /// See each finding.
    Check,
    /// Stage what is left.
    AddAll,
    /// Nothing is to be done.
    Nothing,
}

impl NextStep {
    /// The step for what was found.
    ///
    /// # Errors
    /// If the tree or the ignore file at the top can't be read.
    pub fn choose(
        snapshot: &Snapshot,
        survey: &Survey,
        findings: &[Finding],
    ) -> crate::Result<Self> {
        if snapshot.repository.is_none() {
            return Ok(Self::Init);
        }
        Ok(
            // It writes what is missing as well.
            if !left_behind(snapshot)?.is_empty() {
                Self::Refresh
            } else if first_uncovered_project(snapshot, &survey.projects)?.is_some() {
                Self::Draft
            } else if findings.iter().any(|one| one.level < Level::Note) {
                Self::Check
            } else if snapshot.tree()?.in_state(State::Candidate).next().is_some() {
                Self::AddAll
            } else {
                Self::Nothing
            },
        )
    }
}
