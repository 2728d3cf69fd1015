//! Reading a TOML file that a person wrote: errors name the line, and the key that may have been
//! meant.

use crate::{Error, Result};
use serde::de::DeserializeOwned;
use std::path::Path;
use toml_edit::{DocumentMut, Table};

/// The longest distance, in edits, at which one key is taken for a misspelling of another.
const NEAR_KEY: usize = 3;

/// A file's text.
///
/// # Errors
/// If it is not UTF-8.
pub fn text(bytes: Vec<u8>, path: &Path) -> Result<String> {
    String::from_utf8(bytes).map_err(|error| {
        let upto = error.utf8_error().valid_up_to();
        let line = error.as_bytes()[..upto]
            .iter()
            .filter(|byte| **byte == b'\n')
            .count()
            + 1;
        Error::NotUtf8 {
            path: path.to_owned(),
            line,
        }
    })
}

/// What a file's text holds.
///
/// # Errors
/// If it is not in the format.
pub fn read<T: DeserializeOwned>(text: &str, path: &Path) -> Result<T> {
    toml::from_str(text).map_err(|error| Error::Malformed {
        path: path.to_owned(),
        line: error.span().map_or(1, |span| line_at(text, span.start)),
        said: error.to_string().trim_end().to_owned(),
        near: meant(error.message()),
    })
}

/// The same, for editing: comments and order are kept.
///
/// # Errors
/// If it is not TOML.
pub fn open(text: &str, path: &Path) -> Result<DocumentMut> {
    text.parse()
        .map_err(|error: toml_edit::TomlError| Error::Malformed {
            path: path.to_owned(),
            line: error.span().map_or(1, |span| line_at(text, span.start)),
            said: error.to_string().trim_end().to_owned(),
            near: None,
        })
}

/// A text with a table at its end, under a heading such as `[draft]`.
pub(crate) fn with_table(text: &str, heading: &str, table: &Table) -> String {
    let between = if text.is_empty() { "" } else { "\n" };
    let end = if text.is_empty() || text.ends_with('\n') {
        ""
    } else {
        "\n"
    };
    format!("{text}{end}{between}{heading}\n{table}")
}

/// The line, from 1, of a place in a text.
pub fn line_at(text: &str, at: usize) -> usize {
    text[..at].matches('\n').count() + 1
}

/// Which key may have been meant, from the reader's complaint: the misspelt one in quotes, then all
/// that are known.
fn meant(complaint: &str) -> Option<String> {
    let mut quoted = complaint
        .strip_prefix("unknown field ")?
        .split('`')
        .skip(1)
        .step_by(2);
    let unknown = quoted.next()?;
    let near = quoted.min_by_key(|known| strsim::damerau_levenshtein(unknown, known))?;
    (strsim::damerau_levenshtein(unknown, near) <= NEAR_KEY).then(|| near.to_owned())
}
