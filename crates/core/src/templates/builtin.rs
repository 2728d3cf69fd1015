//! The collection that comes with the program: one file and one row a template.

use super::Template;
use crate::{Error, Result};
use std::sync::LazyLock;

macro_rules! collection {
    ($($name:literal),* $(,)?) => {
        &[$(($name, include_str!(concat!("../../templates/", $name, ".toml")))),*]
    };
}

const FILES: &[(&str, &str)] = collection![
    "c",
    "cmake",
    "environment",
    "gradle",
    "jetbrains",
    "leftovers",
    "linux",
    "macos",
    "node",
    "python",
    "rust",
    "unity",
    "vim",
    "vite",
    "vscode",
    "windows",
];

/// All templates, sorted by name.
///
/// # Errors
/// If one of them is not in the format; the tests see to it that this does not happen.
pub fn builtin() -> Result<&'static [Template]> {
    static READ: LazyLock<Result<Vec<Template>, (String, toml::de::Error)>> = LazyLock::new(|| {
        let read = |(name, text): &(&str, &str)| toml::from_str(text).map_err(|error| ((*name).to_owned(), error));
        FILES.iter().map(read).collect()
    });
    match &*READ {
        Ok(templates) => Ok(templates),
        Err((name, error)) => Err(Error::Template { name: name.clone(), said: error.to_string() }),
    }
}

/// The template of that name.
///
/// # Errors
/// If there is none; the error names the nearest.
pub fn find(name: &str) -> Result<&'static Template> {
    let all = builtin()?;
    all.iter().find(|template| template.name == name).ok_or_else(|| {
        let near = all.iter().min_by_key(|template| strsim::damerau_levenshtein(name, &template.name));
        Error::NoTemplate { name: name.to_owned(), near: near.map_or_else(String::new, |found| found.name.clone()) }
    })
}
