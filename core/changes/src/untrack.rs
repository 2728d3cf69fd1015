//! Stopping to track what a person names; all of it stays on disk.

use crate::journal::Changes;
use crate::plan::may_change;
use crate::{Error, Result};
use bstr::{BString, ByteSlice};
use redshank_rules::Ruling;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_worktree::size::Bytes;
use redshank_worktree::{FileStats, Overlay, Purpose, Snapshot, Verdicts};
use std::collections::BTreeSet;

/// What is to be untracked.
pub enum Selection<'a> {
    /// These files and folders; a folder's path ends in a slash.
    Paths(&'a [RepoPathBuf]),
    /// All that rules match, though git tracks it.
    Ignored,
}

/// Files that git is to stop tracking.
#[derive(Debug)]
pub struct Untracking {
    /// Paths relative to the repository's top, sorted.
    pub files: Vec<RepoPathBuf>,
    /// How much they are on disk.
    pub stats: FileStats,
    /// Those that the current commit holds: a pull deletes them on a colleague's disk.
    pub committed: Vec<RepoPathBuf>,
    /// Those that no rule ignores: `git add --all` would add them again.
    pub not_ignored: Vec<RepoPathBuf>,
    /// The changes, for the journal.
    pub changes: Changes,
}

/// How a path is named in an error.
pub(crate) fn name_of(path: &RepoPath) -> BString {
    if path.is_top() {
        ".".into()
    } else {
        path.bare().as_bstr().to_owned()
    }
}

impl Untracking {
    /// Finds the files. Nothing is changed.
    ///
    /// # Errors
    /// If there is no repository, a named path holds nothing tracked ([`Error::NotTracked`]), a
    /// file is in conflict, or git is in the middle of something that touches one.
    pub fn find(snapshot: &Snapshot, selection: Selection) -> Result<Self> {
        let repository = snapshot.needs_repository(Purpose::Journal)?;
        let index = snapshot.index()?;
        let verdicts = Verdicts::new(snapshot, Overlay::new())?;
        let is_ignored = |path: &RepoPath| -> Result<bool> {
            let ruling = verdicts.query(path)?.ruling;
            Ok(ruling.as_ref().is_some_and(Ruling::ignores))
        };
        let mut files: BTreeSet<RepoPathBuf> = BTreeSet::new();
        let tracked = || index.iter().map(|tracked| RepoPath::new(tracked.path));
        match selection {
            Selection::Paths(paths) => {
                for path in paths {
                    let before = files.len();
                    let found = tracked()
                        .filter(|one| {
                            path.is_top()
                                || one.as_bstr() == path.bare().as_bstr()
                                || one.is_within(&path.as_folder())
                        })
                        .map(ToOwned::to_owned);
                    let found: Vec<RepoPathBuf> = found.collect();
                    if found.is_empty() && files.len() == before {
                        return Err(Error::NotTracked {
                            path: name_of(path),
                        });
                    }
                    files.extend(found);
                }
            }
            Selection::Ignored => {
                for path in tracked() {
                    if is_ignored(path)? {
                        files.insert(path.to_owned());
                    }
                }
            }
        }
        let files: Vec<RepoPathBuf> = files.into_iter().collect();
        let borrowed: Vec<_> = files.iter().map(|path| path.as_bstr()).collect();
        let held = repository.committed(&borrowed)?;
        let committed = files
            .iter()
            .filter(|path| held.contains(path.as_bstr()))
            .cloned()
            .collect();
        let mut not_ignored = Vec::new();
        for path in &files {
            if !is_ignored(path)? {
                not_ignored.push(path.clone());
            }
        }
        let on_disk = files
            .iter()
            .filter_map(|path| snapshot.root.meta(path).ok());
        let stats = on_disk.map(|meta| FileStats::one(Bytes(meta.size))).sum();
        let changes = Changes {
            untracked: files.iter().cloned().map(Into::into).collect(),
            ..Changes::default()
        };
        may_change(snapshot, &changes)?;
        Ok(Self {
            files,
            stats,
            committed,
            not_ignored,
            changes,
        })
    }
}
