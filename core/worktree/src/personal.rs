//! What a person set for themselves, in every repository.

use crate::{Result, io_error_at, toml_file};
use etcetera::BaseStrategy;
use serde::de::DeserializeOwned;
use std::io::ErrorKind;
use std::path::PathBuf;

/// The folder of a person's own settings and templates (XDG Base Directory Specification,
/// `$XDG_CONFIG_HOME`); `None` where no home folder is known.
pub fn folder() -> Option<PathBuf> {
    let base = etcetera::choose_base_strategy().ok()?;
    let folder = base.config_dir();
    folder.is_absolute().then(|| folder.join("redshank"))
}

/// The file of a person's own settings; `None` where no home folder is known.
pub fn settings_file() -> Option<PathBuf> {
    Some(folder()?.join("config.toml"))
}

/// A person's own settings; the usual ones without the file.
///
/// # Errors
/// If the file can't be read or is not in the format; the error names the line.
#[allow(
    clippy::disallowed_methods,
    reason = "a file of the person's own: whoever keeps it elsewhere may link it"
)]
pub fn settings<T: DeserializeOwned + Default>() -> Result<T> {
    let Some(path) = settings_file() else {
        return Ok(T::default());
    };
    match std::fs::read(&path) {
        Ok(bytes) => toml_file::read(&toml_file::text(bytes, &path)?, &path),
        Err(error) if error.kind() == ErrorKind::NotFound => Ok(T::default()),
        Err(error) => Err(io_error_at(&path)(error)),
    }
}
