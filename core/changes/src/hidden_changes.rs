//! Tracked files whose local changes are hidden from git: for settings that differ from person to
//! person.

use crate::untrack::name_of;
use crate::{Error, Result};
use bstr::{BStr, BString, ByteSlice};
use redshank_rules::PatternSet;
use redshank_rules::RepoPath;
use redshank_worktree::{Purpose, Worktree};
use std::sync::LazyLock;

/// A tracked file whose changes git doesn't see.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Muted {
    /// Relative to the top.
    pub path: BString,
    /// It differs from what git has.
    pub changed: bool,
    /// The branch that this one follows has changed it, too: they will collide.
    pub changed_upstream: bool,
}

/// Files that hold settings, of which a personal one beside the shared one is the better way.
static SETTINGS: LazyLock<PatternSet> = LazyLock::new(|| {
    let names = [
        "*.ini",
        "*.toml",
        "*.json",
        "*.yml",
        "*.yaml",
        "*.properties",
        "*.conf",
        "*.cfg",
        ".env*",
        "*.xml",
    ];
    names.map(str::to_owned).to_vec().into()
});

/// Whether a file holds settings, by its name.
pub fn holds_settings(path: &RepoPath) -> bool {
    SETTINGS.has(path)
}

/// The files that are muted now.
///
/// # Errors
/// If the index can't be read or git refuses.
pub fn muted(worktree: &Worktree) -> Result<Vec<Muted>> {
    let repository = worktree.needs_repository(Purpose::HiddenChanges)?;
    let index = repository.index()?;
    let found: Vec<_> = index
        .iter()
        .filter(|tracked| tracked.is_muted(repository))
        .collect();
    let upstream = repository
        .changed_upstream(&found.iter().map(|tracked| tracked.path).collect::<Vec<_>>())?;
    let told = found.into_iter().map(|tracked| Muted {
        // A file that is gone differs, too.
        changed: repository
            .name_on_disk(tracked.path)
            .map_or(true, |name| name != tracked.blob()),
        changed_upstream: upstream.contains(tracked.path),
        path: tracked.path.to_owned(),
    });
    Ok(told.collect())
}

/// Mutes files, or brings their changes back.
///
/// # Errors
/// If one of them isn't tracked (then none is changed), or git refuses.
pub fn set(worktree: &Worktree, paths: &[BString], mute: bool) -> Result<()> {
    let repository = worktree.needs_repository(Purpose::HiddenChanges)?;
    let index = repository.index()?;
    for path in paths {
        let Some(tracked) = index.get(path.as_bstr()) else {
            return Err(Error::NotTracked {
                path: name_of(RepoPath::new(path)),
            });
        };
        if tracked.conflicted() {
            return Err(Error::Conflicted { path: path.clone() });
        }
    }
    let paths: Vec<&BStr> = paths.iter().map(|path| path.as_bstr()).collect();
    Ok(repository.set_muted(&paths, mute)?)
}
