//! `redshank.toml`, the repository's own settings.

use crate::expect::Expectation;
use crate::findings::Acceptance;
use crate::rules::Names;
use crate::size::Bytes;
use crate::tree::Place;
use crate::{Error, Result, toml_file};
use bstr::BStr;
use serde::Deserialize;
use std::path::Path;

/// The name of the file, at the repository's top.
pub const FILE: &str = "redshank.toml";

/// What a repository can set.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Settings {
    /// From which sizes on a file is reported.
    pub limits: Limits,
    /// What must stay ignored, tracked or a candidate.
    pub expect: Vec<Expectation>,
    /// How template rules are written here.
    pub draft: Choices,
    /// Findings that are all right.
    pub accept: Vec<Acceptance>,
    /// Who gets a copy of the repository.
    pub visibility: Visibility,
    /// What must not go out.
    pub reserved: Vec<Reserved>,
}

/// Who gets a copy of a repository.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Visibility {
    /// The team.
    #[default]
    Private,
    /// Everybody.
    Public,
}

/// Files that others may not be given: bought, licensed or internal ones.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Reserved {
    /// Which: a pattern as in an ignore file at the top.
    pub pattern: String,
    /// Why.
    pub because: String,
}

/// How template rules are written in a repository.
#[derive(Debug, Clone, Default, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Choices {
    /// Where they are written.
    pub layout: Layout,
    /// Variants that are chosen: `TEMPLATE/VARIANT`.
    pub variants: Vec<String>,
    /// Patterns of templates that are not wanted here.
    pub without: Vec<String>,
}

/// Where template rules are written.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Layout {
    /// All in the ignore file at the top, fitted to where each project is.
    #[default]
    Top,
    /// Each project's in an ignore file in its own folder.
    Folders,
}

impl Choices {
    /// The settings file with these choices in place of the ones it held; all else stays as it is.
    ///
    /// # Errors
    /// If the file is not TOML.
    pub fn written_into(&self, text: &str, path: &Path) -> Result<String> {
        let mut document = toml_file::open(text, path)?;
        let mut new = toml_edit::Table::new();
        let known = document
            .get_mut("draft")
            .and_then(toml_edit::Item::as_table_like_mut);
        let is_new = known.is_none();
        let draft = known.unwrap_or(&mut new);
        if self.layout == Layout::Folders || draft.contains_key("layout") {
            let word = if self.layout == Layout::Folders {
                "folders"
            } else {
                "top"
            };
            draft.insert("layout", toml_edit::value(word));
        }
        for (key, values) in [("variants", &self.variants), ("without", &self.without)] {
            if !values.is_empty() {
                draft.insert(
                    key,
                    toml_edit::value(values.iter().collect::<toml_edit::Array>()),
                );
            }
        }
        if is_new {
            return Ok(toml_file::with_table(text, "[draft]", &new));
        }
        Ok(document.to_string())
    }
}

/// Sizes from which on a file is reported.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Limits {
    /// A file larger than this is a warning.
    pub file_warning: Bytes,
    /// A file larger than this is an error; most hosts refuse it.
    pub file_error: Bytes,
    /// A folder whose files come to more than this is a warning.
    pub folder_warning: Bytes,
    /// A folder with more files than this is a warning.
    pub folder_files: u64,
}

impl Default for Limits {
    fn default() -> Self {
        Self {
            file_warning: Bytes(10 << 20),
            file_error: Bytes(100 << 20),
            folder_warning: Bytes(200 << 20),
            folder_files: 5_000,
        }
    }
}

/// The text of a place's settings, if it has some.
///
/// # Errors
/// If it can't be read, is no regular file (a link could lead anywhere), or is not UTF-8.
pub fn text(place: &Place) -> Result<Option<String>> {
    let path = place.path(FILE.into());
    let bytes = place
        .root
        .read_if_there(FILE.into(), LARGEST)
        .map_err(crate::disk::refused(&path))?;
    bytes.map(|bytes| toml_file::text(bytes, &path)).transpose()
}

/// No settings are larger than this, in bytes.
const LARGEST: u64 = 4 << 20;

impl Settings {
    /// Whether a path, or a folder above it, must not go out.
    pub fn reserves(&self, path: &BStr) -> bool {
        self.reserved.iter().any(|row| {
            Names::from(vec![row.pattern.clone()])
                .topmost(path)
                .is_some()
        })
    }

    /// Reads the settings of a place; without the file, the defaults.
    ///
    /// # Errors
    /// If the file can't be read or is not in the format; the error names the line and what was
    /// expected.
    pub fn read(place: &Place) -> Result<Self> {
        let path = place.path(FILE.into());
        text(place)?.map_or_else(|| Ok(Self::default()), |text| Self::parse(&text, &path))
    }

    /// The settings that a text holds; `path` is for messages.
    ///
    /// # Errors
    /// If it is not in the format; the error names the line and what was expected.
    pub fn parse(text: &str, path: &Path) -> Result<Self> {
        let settings: Self = toml_file::read(text, path)?;
        for (nth, expected) in settings.expect.iter().enumerate() {
            if expected.path.is_some() == expected.pattern.is_some() {
                let heads = text.match_indices("[[expect]]").nth(nth);
                let line = heads.map_or(1, |(at, _)| toml_file::line_at(text, at));
                let said = "an expectation has either a `path` or a `pattern`".to_owned();
                return Err(Error::Malformed {
                    path: path.to_owned(),
                    line,
                    said,
                });
            }
        }
        Ok(settings)
    }
}
