//! The rules in force.

use super::PathOut;
use bstr::ByteSlice;
use redshank_core::audit::{Audited, Standing, Stray};
use redshank_core::effect::Amount;
use redshank_core::findings::masked;
use redshank_core::rules::Reach;
use schemars::JsonSchema;
use serde::Serialize;

/// `rules --format json`.
#[derive(Serialize, JsonSchema)]
#[schemars(rename = "redshank.rules/1")]
pub struct RulesOut {
    /// Always `redshank.rules/1`.
    pub schema: &'static str,
    /// The top folder.
    pub root: String,
    /// All rules in force, in order of power.
    pub rules: Vec<RuleRowOut>,
    /// Files that only look like ignore files.
    pub strays: Vec<StrayOut>,
}

/// A rule in force.
#[derive(Serialize, JsonSchema)]
pub struct RuleRowOut {
    /// The file that holds it, as git prints it.
    pub source: String,
    /// Its line, from 1.
    pub line: u32,
    /// The rule.
    pub pattern: String,
    /// Who it is for.
    pub reach: Reach,
    /// Whether it lets in.
    pub negated: bool,
    /// What it decides about now.
    #[serde(flatten)]
    pub catches: Amount,
    /// In a word: `works`, `catches-nothing`, `duplicate`, `overridden`, `cannot-work`,
    /// `swallows-its-file`, `only-tracked`, `misread`, `impossible`.
    pub standing: &'static str,
    /// The same in a sentence.
    pub message: String,
}

impl From<&Audited> for RuleRowOut {
    fn from(audited: &Audited) -> Self {
        let (source, rule) = (&audited.list.source, audited.rule());
        Self {
            source: source.shown.to_str_lossy().into_owned(),
            line: rule.line,
            pattern: masked(&rule.text.to_str_lossy()),
            reach: source.reach,
            negated: rule.negated,
            catches: audited.catches,
            standing: match audited.standing {
                Standing::Works => "works",
                Standing::CatchesNothing => "catches-nothing",
                Standing::Duplicate { .. } => "duplicate",
                Standing::Overridden { .. } => "overridden",
                Standing::CannotWork { .. } => "cannot-work",
                Standing::SwallowsItsFile => "swallows-its-file",
                Standing::OnlyTracked { .. } => "only-tracked",
                Standing::Misread { .. } => "misread",
                Standing::Impossible => "impossible",
            },
            message: audited.message(),
        }
    }
}

/// A file that git does not read as rules.
#[derive(Serialize, JsonSchema)]
pub struct StrayOut {
    /// Which.
    #[serde(flatten)]
    pub path: PathOut,
    /// Why.
    pub because: String,
}

impl From<&Stray> for StrayOut {
    fn from(stray: &Stray) -> Self {
        Self {
            path: PathOut::of(stray.path.as_bstr()),
            because: stray.because.to_owned(),
        }
    }
}
