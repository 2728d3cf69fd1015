//! What to do next in a repository, by what was found.

use crate::{Finding, Level};
use redshank_templates::{Project, Survey};
use redshank_worktree::ignore_file::{Section, labels};
use redshank_worktree::tree::State;
use redshank_worktree::{Class, RepoPath, Snapshot};

/// The next sensible step.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NextStep {
    /// Make it a repository.
    Init,
    /// See rules that fit the projects.
    Draft,
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
    pub fn of(snapshot: &Snapshot, survey: &Survey, findings: &[Finding]) -> crate::Result<Self> {
        if snapshot.repository.is_none() {
            return Ok(Self::Init);
        }
        let is_for_rules =
            |one: &Finding| matches!(one.class(), Class::Generated | Class::Personal);
        let is_serious = |one: &Finding| one.level < Level::Note;
        Ok(
            if findings.iter().any(is_for_rules) && !has_block(snapshot, survey)? {
                Self::Draft
            } else if findings.iter().any(is_serious) {
                Self::Check
            } else if snapshot.tree()?.in_state(State::Candidate).next().is_some() {
                Self::AddAll
            } else {
                Self::Nothing
            },
        )
    }
}

/// Whether the ignore file at the top holds the block of one of the projects.
fn has_block(snapshot: &Snapshot, survey: &Survey) -> crate::Result<bool> {
    let top = snapshot.ignore_file(RepoPath::top())?;
    let known = top.map_or_else(Vec::new, |file| labels(&file.contents));
    let label = |project: &Project| {
        let folder = project.rules_folder();
        Section::label_of(&project.template.name, &folder)
    };
    Ok(survey
        .projects
        .iter()
        .any(|project| known.iter().any(|one| *one == label(project))))
}
