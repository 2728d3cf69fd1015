//! Reading the tables that come with the program: names, formats, kinds of files.

mod signature;

pub use signature::Signature;

use serde::de::DeserializeOwned;

/// A table that comes with the program can't be used. The tests read every table.
#[derive(Debug, Clone, thiserror::Error)]
#[error("the table of {table}, line {line}: {message}")]
pub struct TableError {
    /// Which, in a few words.
    pub table: &'static str,
    /// Line number, from 1.
    pub line: usize,
    /// What is wrong there.
    pub message: String,
}

/// Parses a table from its text.
///
/// # Errors
/// If a row isn't in the format: which, and why.
pub fn read<T: DeserializeOwned>(table: &'static str, text: &str) -> Result<T, TableError> {
    toml::from_str(text).map_err(|error| {
        let start = error.span().map_or(0, |span| span.start);
        TableError {
            table,
            line: text[..start].matches('\n').count() + 1,
            message: error.message().to_owned(),
        }
    })
}

/// The rows of a table that was read once.
///
/// # Errors
/// The error of [`read`].
pub fn rows<T>(read: &'static Result<T, TableError>) -> Result<&'static T, TableError> {
    read.as_ref().map_err(Clone::clone)
}
