//! What a change of rules does.

use super::{PathOut, root};

use redshank_worktree::FileStats;
use redshank_worktree::attributes::AttributeEffect;
use redshank_worktree::effect::Effect;
use redshank_worktree::tree::Entry;
use serde::Serialize;
use std::path::Path;

/// `draft --format json` and `try --format json`.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "redshank.effect/1"))]
pub struct EffectOut {
    /// Always `redshank.effect/1`.
    pub schema: &'static str,
    /// The repository's top folder, an absolute path.
    pub root: String,
    /// The rules that are new.
    pub rules: Vec<String>,
    /// Whether they were written.
    pub written: bool,
    /// What would be committed before.
    pub before: FileStats,
    /// What would be committed after.
    pub after: FileStats,
    /// Paths that change from candidate to ignored.
    pub kept_out: Vec<PathOut>,
    /// Paths that change from ignored to candidate.
    pub let_in: Vec<PathOut>,
    /// What else there is to know, each in a sentence.
    pub notes: Vec<String>,
}

/// What came of a proposal.
pub struct Outcome {
    /// Whether it was written.
    pub written: bool,
    /// What the edits do to the next commit.
    pub effect: Effect,
    /// What they do to attributes.
    pub attributes: AttributeEffect,
    /// What else there is to know, each in a sentence.
    pub notes: Vec<String>,
}

impl EffectOut {
    /// What came of a proposal, as it is written.
    pub fn new(top: &Path, rules: Vec<String>, outcome: Outcome) -> Self {
        Self {
            written: outcome.written,
            notes: outcome.notes,
            ..Self::of_effect(top, rules, &outcome.effect)
        }
    }

    /// An effect of rules that nobody writes.
    pub fn of_effect(top: &Path, rules: Vec<String>, effect: &Effect) -> Self {
        let paths = |entries: &[Entry]| {
            let entries = entries.iter();
            entries.map(|entry| PathOut::new(&entry.path)).collect()
        };
        Self {
            schema: "redshank.effect/1",
            root: root(top),
            rules,
            written: false,
            before: effect.before,
            after: effect.after,
            kept_out: paths(&effect.kept_out),
            let_in: paths(&effect.let_in),
            notes: Vec::new(),
        }
    }
}
