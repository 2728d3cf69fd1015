//! The policies that a repository and a person follow.

use redshank_worktree::policy::{Policy, PolicySource, SETTINGS_FILE};
use serde::Serialize;

/// `policy --format json`.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "redshank.policy/1"))]
pub struct PolicyOut {
    /// Always `redshank.policy/1`.
    pub schema: &'static str,
    /// The repository's top folder, an absolute path.
    pub root: String,
    /// The repository's first, then the person's own.
    pub policies: Vec<PolicyRowOut>,
    /// Whether files were written.
    pub written: bool,
}

/// A policy that counts here, or should.
#[derive(Clone, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct PolicyRowOut {
    /// Who follows it: `team` or `personal`.
    #[serde(rename = "for")]
    pub scope: &'static str,
    /// A folder, or an address that git can fetch from.
    pub from: String,
    /// The branch, tag or commit that was asked for.
    pub revision: Option<String>,
    /// The commit that the copy is of; null of a plain folder, or without a copy.
    pub commit: Option<String>,
    /// `current`; `missing` without a copy; `other` if the copy is of another source or revision
    /// than the settings name; `changed` if somebody changed it here.
    pub state: &'static str,
    /// Names of its templates.
    pub templates: Vec<String>,
    /// Number of limits that it sets.
    pub limits: usize,
    /// Number of its expectations.
    pub expectations: usize,
    /// Number of its patterns for reserved material.
    pub reserved: usize,
}

impl PolicyRowOut {
    /// A policy with its copy, if there is one; `source` is what the settings name.
    pub fn new(scope: &'static str, source: &PolicySource, copy: Option<&Policy>) -> Self {
        let state = match copy {
            None => "missing",
            Some(copy) if !copy.record.is_of(source) => "other",
            Some(copy) if copy.is_changed() => "changed",
            Some(_) => "current",
        };
        let settings = copy.map(|copy| &copy.settings);
        let count = |count: fn(&redshank_worktree::policy::PolicySettings) -> usize| {
            settings.map_or(0, count)
        };
        let files = copy.iter().flat_map(|copy| &copy.files);
        let names = files
            .filter(|(path, _)| *path != SETTINGS_FILE)
            .map(|(path, _)| {
                let name = path.to_string();
                let name = name.rsplit('/').next().unwrap_or_default();
                name.trim_end_matches(".toml").to_owned()
            });
        Self {
            scope,
            from: source.from.clone(),
            revision: source.revision.clone(),
            commit: copy.and_then(|copy| copy.record.commit.clone()),
            state,
            templates: names.collect(),
            limits: count(|settings| settings.limits.count() + settings.limit.len()),
            expectations: count(|settings| settings.expect.len()),
            reserved: count(|settings| settings.reserved.len()),
        }
    }
}
