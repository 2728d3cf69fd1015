//! The rules in force.

use super::PathOut;
use bstr::ByteSlice;
use redshank_rules::RuleScope;
use redshank_secrets::masked;
use redshank_text as text;
use redshank_worktree::FileStats;
use redshank_worktree::usage::{RuleStatus, RuleUsage, Stray};
use serde::Serialize;

/// `rules --format json`.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "redshank.rules/1"))]
pub struct RulesOut {
    /// Always `redshank.rules/1`.
    pub schema: &'static str,
    /// The repository's top folder, an absolute path.
    pub root: String,
    /// All rules in force, in order of power.
    pub rules: Vec<RuleRowOut>,
    /// Files that only look like ignore files.
    pub strays: Vec<StrayOut>,
}

/// A rule in force.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct RuleRowOut {
    /// The file that holds it, as git prints it.
    pub source: String,
    /// Its line, from 1.
    pub line: u32,
    /// The pattern, as it is written in the file.
    pub pattern: String,
    /// Who it is for.
    pub reach: RuleScope,
    /// The rule is an exception: it re-includes.
    pub negated: bool,
    /// What it decides about now.
    #[serde(flatten)]
    pub catches: FileStats,
    /// In a word: `works`, `catches-nothing`, `duplicate`, `overridden`, `cannot-work`,
    /// `swallows-its-file`, `only-tracked`, `misread`, `impossible`.
    pub standing: &'static str,
    /// The same in a sentence.
    pub message: String,
}

impl From<&RuleUsage> for RuleRowOut {
    fn from(usage: &RuleUsage) -> Self {
        let (source, rule) = (&usage.list.source, usage.rule());
        Self {
            source: source.shown.to_str_lossy().into_owned(),
            line: rule.line,
            pattern: masked(&rule.text.to_str_lossy()),
            reach: source.scope,
            negated: rule.negated,
            catches: usage.catches,
            standing: match usage.status {
                RuleStatus::Works => "works",
                RuleStatus::CatchesNothing => "catches-nothing",
                RuleStatus::Duplicate { .. } => "duplicate",
                RuleStatus::Overridden { .. } => "overridden",
                RuleStatus::CannotWork { .. } => "cannot-work",
                RuleStatus::SwallowsItsFile => "swallows-its-file",
                RuleStatus::OnlyTracked { .. } => "only-tracked",
                RuleStatus::Misread { .. } => "misread",
                RuleStatus::Impossible { .. } => "impossible",
            },
            message: text::status(usage),
        }
    }
}

/// A file that git does not read as rules.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct StrayOut {
    /// The path that it is about.
    #[serde(flatten)]
    pub path: PathOut,
    /// The reason, in one sentence.
    pub because: String,
}

impl From<&Stray> for StrayOut {
    fn from(stray: &Stray) -> Self {
        Self {
            path: PathOut::new(&stray.path),
            because: text::stray_reason(stray.because).to_owned(),
        }
    }
}
