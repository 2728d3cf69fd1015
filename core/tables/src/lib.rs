//! Reading the tables that come with the program: names, formats, kinds of files.

mod signature;

pub use signature::Signature;

use serde::de::DeserializeOwned;
use std::error::Error;
use std::fs;
use std::path::PathBuf;

/// A table that comes with the program can't be used. The tests read every table.
#[derive(Debug, Clone, thiserror::Error)]
#[error("the table of {table}, after `{after}`: {message}")]
pub struct TableError {
    /// Which, in a few words.
    pub table: &'static str,
    /// What is right before the place.
    pub after: String,
    /// What is wrong there.
    pub message: String,
}

/// The text of a table that [`pack`] packed, by the name of its file without the ending.
#[macro_export]
macro_rules! packed {
    ($name:literal) => {
        include_str!(concat!(env!("OUT_DIR"), "/", $name, ".json"))
    };
}

/// Packs all tables in some folders of a crate, for its build script: people write TOML, which takes
/// several times as long to parse as JSON, and every start would parse it.
///
/// # Errors
/// If one can't be read or is no TOML: which, and where.
#[allow(clippy::print_stdout, reason = "so a build script speaks to Cargo")]
pub fn pack(folders: &[&str]) -> Result<(), Box<dyn Error>> {
    let out = PathBuf::from(std::env::var("OUT_DIR")?);
    for folder in folders {
        println!("cargo::rerun-if-changed={folder}");
        for file in fs::read_dir(folder)? {
            let path = file?.path();
            let Some(name) = path
                .file_stem()
                .filter(|_| path.extension() == Some("toml".as_ref()))
            else {
                continue;
            };
            let table: toml::Table = toml::from_str(&fs::read_to_string(&path)?)
                .map_err(|cause| format!("{}: {cause}", path.display()))?;
            fs::write(
                out.join(name).with_extension("json"),
                serde_json::to_string(&table)?,
            )?;
        }
    }
    Ok(())
}

/// How much of a table an error shows, in bytes.
const SHOWN: usize = 60;

/// Parses a table from its packed text.
///
/// # Errors
/// If a row isn't in the format: where, and why.
pub fn read<T: DeserializeOwned>(table: &'static str, text: &str) -> Result<T, TableError> {
    serde_json::from_str(text).map_err(|error| {
        // A packed table is one line.
        let before = &text.as_bytes()[..error.column().min(text.len())];
        let after = &before[before.len().saturating_sub(SHOWN)..];
        TableError {
            table,
            after: String::from_utf8_lossy(after).into_owned(),
            message: error.to_string(),
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
