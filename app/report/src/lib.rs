//! The answers: each for people and as a document, some as rows. The documents are what other
//! programs rely on; docs/schemas/ holds a JSON Schema of each.

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod accept;
mod attributes;
mod check;
mod effect;
mod files;
mod format;
mod hook;
mod mute;
mod outgoing;
mod policy;
mod prove;
mod rehearse;
mod review;
mod rules;
mod settings;
mod survey;
mod templates;
mod tidy;
mod undo;
mod untrack;
mod why;

pub use accept::AcceptOut;
pub use attributes::{
    AttributeChangeOut, AttributeEffectOut, AttributeLineOut, AttributeLinesOut, AttributesOut,
    DecidedOut,
};
pub use check::{CheckOut, FindingOut, SummaryOut, UnreadOut};
pub use effect::{EffectOut, Outcome};
pub use files::{EvidenceOut, FileOut, FolderRowOut, FoldersOut, OriginOut};
pub use format::{DOCUMENT, FILES, FINDINGS, LIST, OutputFormat, REVIEW, TESTS};
pub use hook::HookOut;
pub use mute::{MutedOut, MutesOut};
pub use outgoing::{AuthorOut, CompareOut, MissingFromRemoteOut, OutgoingOut};
pub use policy::{PolicyOut, PolicyRowOut};
pub use prove::{ExpectationOut, ProposedOut, ProveOut, RecordOut};
pub use rehearse::{DifferenceOut, ExportOut, LeftOutOut, MissingOut, RehearseOut, RunOut};
pub use review::{ReviewAfter, ReviewOut, by_rule, rule_change};
pub use rules::{RuleRowOut, RulesOut, StrayOut};
pub use settings::{ProgramOut, SettingOut, SettingsOut};
pub use survey::{ChoiceOut, FolderOut, OriginCountOut, PracticeOut, ProjectOut, SurveyOut};
pub use templates::{ExampleOut, NewTemplateOut, TemplateRowOut, TestOut};
pub use tidy::TidyOut;
pub use undo::{ChangeOut, JournalOut};
pub use untrack::UntrackOut;
pub use why::{AnswerOut, RuleOut};

use anyhow::Result;
use base64::Engine;
use bstr::{BStr, ByteSlice};
use serde::Serialize;
use std::borrow::Cow;
use std::path::Path;

/// An answer of a command.
pub trait Report {
    /// What is written as one document.
    type Document: Serialize;

    /// For people.
    fn text(&self) -> Result<String>;

    /// For programs.
    fn document(&self) -> Self::Document;
}

/// An answer that lists something.
pub trait Listing: Report {
    /// What is written as one line.
    type Row: Serialize;

    /// One entry for each of them, in order.
    fn rows(&self) -> impl Iterator<Item = Self::Row>;
}

/// A path. Where its bytes aren't UTF-8, they are beside it in base64.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
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
    pub fn new(path: &BStr) -> Self {
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
        let schemas: Vec<(&str, Schema)> = vec![
            ("undo", schema_for!(JournalOut)),
            ("untrack", schema_for!(UntrackOut)),
            ("attributes", schema_for!(Vec<AttributesOut>)),
            ("attribute-lines", schema_for!(AttributeLinesOut)),
            ("attribute-effect", schema_for!(AttributeEffectOut)),
            ("outgoing", schema_for!(OutgoingOut)),
            ("policy", schema_for!(PolicyOut)),
            ("review", schema_for!(ReviewOut)),
            ("rehearse", schema_for!(RehearseOut)),
            ("mute", schema_for!(MutesOut)),
            ("check", schema_for!(CheckOut)),
            ("survey", schema_for!(SurveyOut)),
            ("effect", schema_for!(EffectOut)),
            ("tidy", schema_for!(TidyOut)),
            ("rules", schema_for!(RulesOut)),
            ("prove", schema_for!(ProveOut)),
            ("record", schema_for!(RecordOut)),
            ("accept", schema_for!(AcceptOut)),
            ("settings", schema_for!(SettingsOut)),
            ("hook", schema_for!(HookOut)),
            ("files", schema_for!(Vec<FileOut>)),
            ("folders", schema_for!(FoldersOut)),
            ("template", schema_for!(redshank_templates::Template)),
            ("templates", schema_for!(Vec<TemplateRowOut>)),
            ("templates-test", schema_for!(TestOut)),
            ("templates-new", schema_for!(NewTemplateOut)),
            ("why", schema_for!(Vec<AnswerOut<RuleOut>>)),
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
