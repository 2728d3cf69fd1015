//! What a change of rules does.

use super::{PathOut, root};
use bstr::ByteSlice;
use redshank_core::effect::{Amount, Effect};
use redshank_core::tree::Entry;
use schemars::JsonSchema;
use serde::Serialize;
use std::path::Path;

/// `draft --format json` and `try --format json`.
#[derive(Serialize, JsonSchema)]
#[schemars(rename = "redshank.effect/1")]
pub struct EffectOut {
    /// Always `redshank.effect/1`.
    pub schema: &'static str,
    /// The top folder.
    pub root: String,
    /// The rules that are new.
    pub rules: Vec<String>,
    /// Whether they were written.
    pub written: bool,
    /// What would be committed before.
    pub before: Amount,
    /// What would be committed after.
    pub after: Amount,
    /// Paths that change from candidate to ignored.
    pub kept_out: Vec<PathOut>,
    /// Paths that change from ignored to candidate.
    pub let_in: Vec<PathOut>,
    /// What else there is to know, each in a sentence.
    pub notes: Vec<String>,
}

impl EffectOut {
    /// An effect as it is written.
    pub fn of(top: &Path, rules: Vec<String>, written: bool, effect: &Effect) -> Self {
        let paths = |entries: &[Entry]| {
            entries
                .iter()
                .map(|entry| PathOut::of(entry.path.as_bstr()))
                .collect()
        };
        Self {
            schema: "redshank.effect/1",
            root: root(top),
            rules,
            written,
            before: effect.before,
            after: effect.after,
            kept_out: paths(&effect.kept_out),
            let_in: paths(&effect.let_in),
            notes: Vec::new(),
        }
    }
}
