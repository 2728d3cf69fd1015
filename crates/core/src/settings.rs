//! `redshank.toml`, the repository's own settings.

use crate::expect::Expectation;
use crate::size::Bytes;
use crate::{Error, Result};
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
}

/// Sizes from which on a file is reported.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Limits {
    /// A file larger than this is a warning.
    pub file_warning: Bytes,
    /// A file larger than this is an error; most hosts refuse it.
    pub file_error: Bytes,
}

impl Default for Limits {
    fn default() -> Self {
        Self { file_warning: Bytes(10 << 20), file_error: Bytes(100 << 20) }
    }
}

impl Settings {
    /// Reads the settings of a place; without the file, the defaults.
    ///
    /// # Errors
    /// If the file can't be read or is not in the format; the error names the line and what was expected.
    pub fn read(top: &Path) -> Result<Self> {
        let path = top.join(FILE);
        let text = match std::fs::read_to_string(&path) {
            Ok(text) => text,
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => {
                return Ok(Self::default());
            }
            Err(cause) => return Err(Error::Disk { path, cause }),
        };
        let settings: Self = toml::from_str(&text).map_err(|error| {
            let before = error.span().map_or("", |span| &text[..span.start]);
            Error::Settings { path: path.clone(), line: before.matches('\n').count() + 1, said: error.to_string() }
        })?;
        for (nth, expected) in settings.expect.iter().enumerate() {
            if expected.path.is_some() == expected.pattern.is_some() {
                let heads = text.match_indices("[[expect]]").nth(nth);
                let line = heads.map_or(1, |(at, _)| text[..at].matches('\n').count() + 1);
                let said = "an expectation has either a `path` or a `pattern`".to_owned();
                return Err(Error::Settings { path, line, said });
            }
        }
        Ok(settings)
    }
}
