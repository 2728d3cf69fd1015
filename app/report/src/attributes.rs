//! The attributes of a path.

use super::{PathOut, root};
use bstr::{BStr, ByteSlice};
use redshank_rules::attribute_file::{AttributeLine, Value};
use redshank_secrets::masked;
use redshank_text as text;
use redshank_worktree::FileStats;
use redshank_worktree::attributes::{
    AttributeChange, AttributeEffect, AttributeStatus, AttributeUsage, PathAttributes,
};
use serde::Serialize;
use std::collections::BTreeMap;
use std::path::Path;

/// One row of `why --attributes`.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct AttributesOut {
    /// The path that it is about, as it was given.
    #[serde(flatten)]
    pub path: PathOut,
    /// The attributes that the path has, with git's words for their values: `set`, `unset`, or what
    /// the line gives.
    pub attributes: BTreeMap<String, String>,
    /// The line that decides about each.
    pub decided_by: BTreeMap<String, DecidedOut>,
    /// The lines that match, too, and say something else of it; the one that would be next comes
    /// first.
    pub overridden: BTreeMap<String, Vec<DecidedOut>>,
}

/// A line of an attribute file.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct DecidedOut {
    /// The file: relative to the top inside it, else its whole path.
    pub source: String,
    /// Line number, from 1.
    pub line: u32,
}

impl AttributesOut {
    /// Builds the row of a path.
    pub fn new(path: &BStr, attributes: &PathAttributes) -> Self {
        let text = |bytes: &BStr| bytes.to_str_lossy().into_owned();
        let place = |line: &AttributeLine| DecidedOut {
            source: text(line.source.as_bstr()),
            line: line.line,
        };
        let mut row = Self {
            path: PathOut::new(path),
            attributes: BTreeMap::new(),
            decided_by: BTreeMap::new(),
            overridden: BTreeMap::new(),
        };
        for (name, given) in attributes {
            let name = text(name.as_bstr());
            if let Some(line) = &given.line {
                row.decided_by.insert(name.clone(), place(line));
            }
            if !given.overridden.is_empty() {
                let lines = given.overridden.iter().map(place);
                row.overridden.insert(name.clone(), lines.collect());
            }
            row.attributes.insert(name, text(given.value.as_bstr()));
        }
        row
    }
}

/// `rules --attributes --format json`.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "redshank.attribute-lines/1"))]
pub struct AttributeLinesOut {
    /// Always `redshank.attribute-lines/1`.
    pub schema: &'static str,
    /// The repository's top folder, an absolute path.
    pub root: String,
    /// All lines, file by file.
    pub lines: Vec<AttributeLineOut>,
}

/// A line of an attribute file, with what it does.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct AttributeLineOut {
    /// The file that holds it.
    pub source: String,
    /// Its line, from 1.
    pub line: u32,
    /// The line as it is written there.
    pub text: String,
    /// What it decides about now.
    #[serde(flatten)]
    pub decides: FileStats,
    /// In a word: `works`, `matches-nothing`, `overridden`, `dropped`, `misspelt`, `bad-value`,
    /// `no-driver`.
    pub standing: &'static str,
    /// The same in a sentence; empty where it works.
    pub message: String,
}

impl From<&AttributeUsage> for AttributeLineOut {
    fn from(usage: &AttributeUsage) -> Self {
        Self {
            source: usage.line.source.to_str_lossy().into_owned(),
            line: usage.line.line,
            text: masked(&usage.line.text.to_str_lossy()),
            decides: usage.decides,
            standing: match usage.status {
                AttributeStatus::Works => "works",
                AttributeStatus::MatchesNothing => "matches-nothing",
                AttributeStatus::Overridden { .. } => "overridden",
                AttributeStatus::Faulty(_) => "dropped",
                AttributeStatus::Misspelt { .. } => "misspelt",
                AttributeStatus::BadValue { .. } => "bad-value",
                AttributeStatus::NoDriver { .. } => "no-driver",
            },
            message: text::attribute_status(usage),
        }
    }
}

/// `try --attributes`, `add --attributes` and `drop --attributes`, with `--format json`.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "redshank.attribute-effect/1"))]
pub struct AttributeEffectOut {
    /// Always `redshank.attribute-effect/1`.
    pub schema: &'static str,
    /// The repository's top folder, an absolute path.
    pub root: String,
    /// The lines that it is about.
    pub lines: Vec<String>,
    /// Whether something was written.
    pub written: bool,
    /// What changes for the files that are tracked or would be.
    pub changes: Vec<AttributeChangeOut>,
    /// What else there is to know, each in a sentence.
    pub notes: Vec<String>,
}

/// An attribute that changes in the same way for several files.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct AttributeChangeOut {
    /// The attribute.
    pub attribute: String,
    /// Its value in git's words; null where nothing says anything of it.
    pub before: Option<String>,
    /// What it would be, or is now.
    pub after: Option<String>,
    /// The files.
    pub files: Vec<PathOut>,
}

impl From<&AttributeChange> for AttributeChangeOut {
    fn from(change: &AttributeChange) -> Self {
        let value = |value: &Option<Value>| {
            let value = value.as_ref()?;
            Some(value.as_printed().to_str_lossy().into_owned())
        };
        Self {
            attribute: change.name.to_str_lossy().into_owned(),
            before: value(&change.before),
            after: value(&change.after),
            files: change.paths.iter().map(|path| PathOut::new(path)).collect(),
        }
    }
}

impl AttributeEffectOut {
    /// What a change does, as it is written.
    pub fn new(
        top: &Path,
        lines: Vec<String>,
        written: bool,
        effect: &AttributeEffect,
        notes: Vec<String>,
    ) -> Self {
        Self {
            schema: "redshank.attribute-effect/1",
            root: root(top),
            lines,
            written,
            changes: effect
                .changes
                .iter()
                .map(AttributeChangeOut::from)
                .collect(),
            notes,
        }
    }
}
