//! The settings that hold.

use serde::Serialize;

/// `settings --format json`.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "redshank.settings/1"))]
pub struct SettingsOut {
    /// Always `redshank.settings/1`.
    pub schema: &'static str,
    /// The repository's top folder, an absolute path.
    pub root: String,
    /// The file of the person's own settings, there or not; null where no home folder is known.
    pub personal: Option<String>,
    /// One entry for each of them, in order.
    pub settings: Vec<SettingOut>,
    /// Whether one was set again.
    pub written: bool,
    /// The program that answers; null where the system doesn't say where it is.
    pub program: Option<ProgramOut>,
}

/// Where the program is, and who put it there.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ProgramOut {
    /// Its file, an absolute path.
    pub path: String,
    /// What installed it: `npm`, `pip`, `Debian package`, `cargo install` …; null where nothing tells.
    pub by: Option<String>,
}

/// A setting with its value and source.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct SettingOut {
    /// Its name, as the files have it.
    pub name: String,
    /// Its value, as people read it.
    pub value: String,
    /// Where it comes from: `option`, `environment`, `repository`, `policy`, `personal` or
    /// `built-in`.
    pub from: String,
}
