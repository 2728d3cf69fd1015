//! Expectations.

use super::PathOut;
use schemars::JsonSchema;
use serde::Serialize;

/// `prove --format json`.
#[derive(Serialize, JsonSchema)]
#[schemars(rename = "redshank.prove/1")]
pub struct ProveOut {
    /// Always `redshank.prove/1`.
    pub schema: &'static str,
    /// The top folder.
    pub root: String,
    /// How many hold.
    pub passed: usize,
    /// How many don't.
    pub failed: usize,
    /// Each, in the order of the settings.
    pub expectations: Vec<ExpectationOut>,
}

/// An expectation and how it came out.
#[derive(Serialize, JsonSchema)]
pub struct ExpectationOut {
    /// The path that it is about.
    pub path: Option<String>,
    /// Or the pattern of paths.
    pub pattern: Option<String>,
    /// The state that is expected.
    pub state: &'static str,
    /// Why.
    pub because: Option<String>,
    /// Whether it holds.
    pub holds: bool,
    /// How many paths were looked at.
    pub paths: usize,
    /// The paths that are not in that state.
    pub wrong: Vec<PathOut>,
}
