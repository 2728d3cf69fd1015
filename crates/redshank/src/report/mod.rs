//! The machine formats: what is written as JSON, a file for each. docs/schemas/ holds a JSON Schema
//! of each.

mod check;
mod effect;
mod mute;
mod prove;
mod rehearse;
mod rules;
mod survey;
mod tidy;
mod undo;

pub use check::{CheckOut, FindingOut, SummaryOut, UnreadOut};
pub use effect::EffectOut;
pub use mute::{MutedOut, MutesOut};
pub use prove::{ExpectationOut, ProveOut};
pub use rehearse::{LeftOut, MissingOut, RehearseOut, RunOut};
pub use rules::{RuleRowOut, RulesOut, StrayOut};
pub use survey::{FolderOut, ProjectOut, SurveyOut};
pub use tidy::TidyOut;
pub use undo::JournalOut;

use base64::Engine;
use bstr::{BStr, ByteSlice};
use schemars::JsonSchema;
use serde::Serialize;
use std::borrow::Cow;
use std::path::Path;

/// A path. Where its bytes aren't UTF-8, they stand beside it in base64.
#[derive(Serialize, JsonSchema)]
pub struct PathOut {
    /// Relative to the repository's top; a folder ends in a slash. Bytes that aren't UTF-8 are
    /// replaced.
    pub path: String,
    /// The bytes, in base64, where they aren't UTF-8.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub path_b64: Option<String>,
}

impl PathOut {
    /// The path as it is written.
    pub fn of(path: &BStr) -> Self {
        let (path, path_b64) = text(path);
        Self {
            path: path.into_owned(),
            path_b64,
        }
    }
}

/// Bytes as text; and where they aren't UTF-8, in base64 beside it.
pub fn text(bytes: &BStr) -> (Cow<'_, str>, Option<String>) {
    match bytes.to_str() {
        Ok(text) => (text.into(), None),
        Err(_) => (
            bytes.to_str_lossy(),
            Some(base64::engine::general_purpose::STANDARD.encode(bytes)),
        ),
    }
}

/// A top folder as it is written.
pub fn root(top: &Path) -> String {
    top.to_string_lossy().into_owned()
}

#[cfg(test)]
mod tests {
    use super::*;
    use schemars::{Schema, schema_for};
    use std::path::PathBuf;

    /// With `REDSHANK_WRITE_SCHEMAS` set, the files are written instead of compared.
    #[test]
    fn the_published_schemas_are_those_of_the_program() {
        let schemas: [(&str, Schema); 10] = [
            ("undo", schema_for!(JournalOut)),
            ("rehearse", schema_for!(RehearseOut)),
            ("mute", schema_for!(MutesOut)),
            ("check", schema_for!(CheckOut)),
            ("survey", schema_for!(SurveyOut)),
            ("effect", schema_for!(EffectOut)),
            ("tidy", schema_for!(TidyOut)),
            ("rules", schema_for!(RulesOut)),
            ("prove", schema_for!(ProveOut)),
            ("template", schema_for!(redshank_core::templates::Template)),
        ];
        let folder = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../../docs/schemas");
        for (name, schema) in schemas {
            let text = serde_json::to_string_pretty(&schema).unwrap() + "\n";
            let path = folder.join(format!("{name}.json"));
            if std::env::var_os("REDSHANK_WRITE_SCHEMAS").is_some() {
                std::fs::write(path, text).unwrap();
            } else {
                assert_eq!(std::fs::read_to_string(path).unwrap(), text, "{name}");
            }
        }
    }
}
