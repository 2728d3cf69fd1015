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
    toml::from_str(text).map_err(|error| match conflict_mark(text) {
        Some(line) => unfinished(path, line),
        None => Error::Malformed {
            path: path.to_owned(),
            line: error.span().map_or(1, |span| line_at(text, span.start)),
            said: shortened(error.to_string().trim_end()),
            near: meant(error.message()),
        },
    })
}

/// How much of a complaint is shown, in bytes: it repeats the line that it is about.
const LONGEST_COMPLAINT: usize = 1_000;

/// A complaint without the middle of what is too long to be read.
fn shortened(complaint: &str) -> String {
    let lines = complaint
        .lines()
        .map(|line| match line.char_indices().nth(200) {
            Some((at, _)) => format!("{}…", &line[..at]),
            None => line.to_owned(),
        });
    let mut text = lines.collect::<Vec<_>>().join("\n");
    if let Some((at, _)) = text.char_indices().find(|(at, _)| *at >= LONGEST_COMPLAINT) {
        text.truncate(at);
    }
    text
}

/// The first line, from 1, that a merge left as a mark of a conflict.
pub fn conflict_mark(text: &str) -> Option<usize> {
    text.lines()
        .position(|line| line.starts_with("<<<<<<< ") || line.starts_with(">>>>>>> "))
        .map(|at| at + 1)
}

fn unfinished(path: &Path, line: usize) -> Error {
    Error::Malformed {
        path: path.to_owned(),
        line,
        said: "a merge is unfinished: this is a conflict mark".to_owned(),
        near: None,
    }
}

/// The same, for editing: comments and order are kept.
///
/// # Errors
/// If it is not TOML.
pub fn open(text: &str, path: &Path) -> Result<DocumentMut> {
    text.parse()
        .map_err(|error: toml_edit::TomlError| match conflict_mark(text) {
            Some(line) => unfinished(path, line),
            None => Error::Malformed {
                path: path.to_owned(),
                line: error.span().map_or(1, |span| line_at(text, span.start)),
                said: shortened(error.to_string().trim_end()),
                near: None,
            },
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
