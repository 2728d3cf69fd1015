//! The table of credential formats.

use super::proof::Proof;
use crate::rules::{RuleList, Source};
use aho_corasick::AhoCorasick;
use bstr::{BStr, BString, ByteSlice};
use redshank_pattern::Case;
use regex::bytes::Regex;
use serde::Deserialize;
use std::sync::LazyLock;

/// A row of the table as it is written.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Row {
    name: String,
    title: String,
    keywords: Vec<String>,
    pattern: String,
    #[serde(default)]
    proof: Proof,
    only: Option<Only>,
}

#[derive(Deserialize, Clone, Copy, PartialEq, Eq)]
#[serde(rename_all = "lowercase")]
pub(super) enum Only {
    Environment,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    format: Vec<Row>,
    file: Vec<FileRow>,
    environment: Names,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct FileRow {
    pub(super) name: String,
    pub(super) title: String,
    patterns: Vec<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Names {
    patterns: Vec<String>,
}

/// A credential format, ready to be looked for.
pub(super) struct Format {
    pub(super) name: String,
    pub(super) title: String,
    pub(super) pattern: Regex,
    pub(super) proof: Proof,
    pub(super) only: Option<Only>,
}

/// The whole table, ready.
pub(super) struct Formats {
    pub(super) formats: Vec<Format>,
    keywords: AhoCorasick,
    /// For each keyword, its format.
    owners: Vec<usize>,
    files: Vec<(FileRow, RuleList)>,
    environment: RuleList,
}

impl Formats {
    /// The table that comes with the program.
    ///
    /// # Errors
    /// If a row is not in the format; the tests see to it that this does not happen.
    pub(super) fn get() -> crate::Result<&'static Self> {
        static READ: LazyLock<Result<Formats, String>> =
            LazyLock::new(|| Formats::read(include_str!("formats.toml")).map_err(|error| error.to_string()));
        READ.as_ref().map_err(|said| crate::Error::Formats(said.clone()))
    }

    fn read(text: &str) -> Result<Self, Box<dyn std::error::Error>> {
        let table: Table = toml::from_str(text)?;
        let mut owners = Vec::new();
        let mut keywords = Vec::new();
        let mut formats = Vec::new();
        for (at, row) in table.format.into_iter().enumerate() {
            owners.extend(row.keywords.iter().map(|_| at));
            keywords.extend(row.keywords);
            let Row { name, title, proof, only, .. } = row;
            formats.push(Format { pattern: Regex::new(&row.pattern)?, name, title, proof, only });
        }
        Ok(Self {
            formats,
            keywords: AhoCorasick::builder().ascii_case_insensitive(true).build(keywords)?,
            owners,
            files: table
                .file
                .into_iter()
                .map(|row| (names(&row.patterns), row))
                .map(|(list, row)| (row, list))
                .collect(),
            environment: names(&table.environment.patterns),
        })
    }

    /// The formats of which a keyword stands in the text.
    pub(super) fn suspected(&self, text: &[u8]) -> Vec<&Format> {
        let mut seen = vec![false; self.formats.len()];
        for hit in self.keywords.find_overlapping_iter(text) {
            seen[self.owners[hit.pattern().as_usize()]] = true;
        }
        self.formats.iter().zip(seen).filter_map(|(format, seen)| seen.then_some(format)).collect()
    }

    /// Whether assignments in the file of that path are looked into.
    pub(super) fn is_environment(&self, path: &BStr) -> bool {
        is_named(&self.environment, path)
    }

    /// What makes the file of that path secret by nature.
    pub(super) fn by_nature(&self, path: &BStr) -> Option<&FileRow> {
        self.files.iter().find(|(_, list)| is_named(list, path)).map(|(row, _)| row)
    }
}

fn names(patterns: &[String]) -> RuleList {
    let source = Source::of_folder(BString::default());
    RuleList::parse(source, patterns.join("\n").as_bytes(), Case::Blind)
}

fn is_named(list: &RuleList, path: &BStr) -> bool {
    let name_at = path.rfind_byte(b'/').map_or(0, |slash| slash + 1);
    list.last_match(path, name_at, &|| false).is_some_and(|at| !list.rules()[at as usize].negated)
}
