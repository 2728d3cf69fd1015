//! The verdict on a path, and the rule that decides.

use super::{OriginOut, text};
use bstr::{BStr, ByteSlice};
use redshank_rules::Ruling;
use redshank_worktree::tree::State;
use serde::Serialize;
use std::borrow::Cow;

/// The answer for one path.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct AnswerOut<'a, R> {
    /// The path, as it was asked about. Bytes that aren't UTF-8 are replaced.
    path: Cow<'a, str>,
    /// The bytes, in base64, where they aren't UTF-8.
    #[serde(skip_serializing_if = "Option::is_none")]
    path_b64: Option<String>,
    /// git's verdict.
    verdict: State,
    /// The last rule that matches, tracked or not.
    rule: Option<R>,
    /// Where it comes from; only with `--origin`.
    #[serde(flatten)]
    origin: Option<OriginOut>,
}

impl<'a, R> AnswerOut<'a, R> {
    /// An answer as it is written.
    pub fn new(given: &'a BStr, verdict: State, rule: Option<R>) -> Self {
        let (path, path_b64) = text(given);
        Self {
            path,
            path_b64,
            verdict,
            rule,
            origin: None,
        }
    }

    /// The same, with where the file comes from.
    #[must_use]
    pub fn with_origin(self, origin: Option<OriginOut>) -> Self {
        Self { origin, ..self }
    }
}

/// The rule of an answer.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct RuleOut<'a> {
    /// The file that holds it, as git prints it.
    source: Cow<'a, str>,
    /// The bytes, in base64, where they aren't UTF-8.
    #[serde(skip_serializing_if = "Option::is_none")]
    source_b64: Option<String>,
    /// Its line there, from 1.
    line: u32,
    /// The rule, as git prints it.
    pattern: Cow<'a, str>,
    /// The bytes, in base64, where they aren't UTF-8.
    #[serde(skip_serializing_if = "Option::is_none")]
    pattern_b64: Option<String>,
    /// The rule is an exception: it re-includes.
    negated: bool,
}

impl<'a> From<&'a Ruling> for RuleOut<'a> {
    fn from(ruling: &'a Ruling) -> Self {
        let rule = ruling.rule();
        let (source, source_b64) = text(ruling.source().shown.as_bstr());
        let (pattern, pattern_b64) = text(rule.text.as_bstr());
        Self {
            source,
            source_b64,
            line: rule.line,
            pattern,
            pattern_b64,
            negated: rule.negated,
        }
    }
}
