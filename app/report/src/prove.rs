//! Expectations.

use super::PathOut;
use bstr::ByteSlice;
use redshank_secrets::masked;
use redshank_worktree::expectations::Outcome;
use redshank_worktree::settings::{Expectation, Expected};
use serde::Serialize;

/// `prove --format json`.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "redshank.prove/1"))]
pub struct ProveOut {
    /// Always `redshank.prove/1`.
    pub schema: &'static str,
    /// The repository's top folder, an absolute path.
    pub root: String,
    /// Number of expectations that hold.
    pub passed: usize,
    /// Number of expectations that don't.
    pub failed: usize,
    /// Each, in the order of the settings.
    pub expectations: Vec<ExpectationOut>,
}

/// An expectation and how it came out.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ExpectationOut {
    /// The path that it is about.
    pub path: Option<String>,
    /// Or the pattern of paths.
    pub pattern: Option<String>,
    /// The state that is expected; `attribute` where an attribute is.
    pub state: &'static str,
    /// The attribute that is expected, as an attribute file writes it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub attribute: Option<String>,
    /// The reason; `app/text` has its sentence.
    pub because: Option<String>,
    /// Whether it holds.
    pub holds: bool,
    /// It holds by a rule that only this clone or this person has: for everybody else it fails.
    pub only_here: bool,
    /// How many paths were looked at.
    pub paths: usize,
    /// The paths that are not in that state.
    pub wrong: Vec<PathOut>,
}

/// `prove --record --format json`.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "redshank.record/1"))]
pub struct RecordOut {
    /// Always `redshank.record/1`.
    pub schema: &'static str,
    /// The repository's top folder, an absolute path.
    pub root: String,
    /// The expectations that today's state would meet and the settings don't hold yet.
    pub expectations: Vec<ProposedOut>,
    /// Whether they were written.
    pub written: bool,
}

/// An expectation that is proposed.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ProposedOut {
    /// The path that it is about.
    pub path: Option<String>,
    /// The state that is expected.
    pub state: &'static str,
    /// The reason; `app/text` has its sentence.
    pub because: Option<String>,
}

impl From<&Expectation> for ProposedOut {
    fn from(expected: &Expectation) -> Self {
        Self {
            path: expected.path.clone(),
            state: expected.state.map_or("attribute", Expected::word),
            because: expected.because.as_deref().map(masked),
        }
    }
}

impl From<&Outcome<'_>> for ExpectationOut {
    fn from(outcome: &Outcome) -> Self {
        let expected = outcome.expected;
        let wrong = outcome.wrong.iter();
        Self {
            path: expected.path.clone(),
            pattern: expected.pattern.clone(),
            state: expected.state.map_or("attribute", Expected::word),
            attribute: expected.attribute.clone(),
            because: expected.because.as_deref().map(masked),
            holds: outcome.wrong.is_empty(),
            only_here: outcome.only_here.is_some(),
            paths: outcome.paths,
            wrong: wrong
                .map(|(path, _)| PathOut::new(path.as_bstr()))
                .collect(),
        }
    }
}
