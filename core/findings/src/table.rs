//! The tables that come with the program.

use crate::{Error, Result};
use serde::de::DeserializeOwned;

/// A table's rows.
///
/// # Errors
/// If a row isn't in the format: which, and why. The tests read every table.
pub(crate) fn read<T: DeserializeOwned>(
    table: &'static str,
    text: &str,
) -> std::result::Result<T, String> {
    toml::from_str(text).map_err(|error| {
        let at = error.span().map_or(0, |span| span.start);
        let line = text[..at].matches('\n').count() + 1;
        format!("{table}, line {line}: {}", error.message())
    })
}

/// The rows of a table that was read once.
pub(crate) fn rows<T>(
    table: &'static str,
    read: &'static std::result::Result<T, String>,
) -> Result<&'static T> {
    read.as_ref().map_err(|said| Error::Table {
        table,
        said: said.clone(),
    })
}
