//! Where the contents are read that finders look into: on disk, or as they are staged.

use crate::Result;
use bstr::{BString, ByteSlice};
use parking_lot::Mutex;
use redshank_git::{Blobs, Repository, Staged};
use redshank_rules::RepoPath;
use redshank_worktree::Snapshot;
use redshank_worktree::size::Bytes;
use redshank_worktree::tree::{Entry, EntryKind, State, Tree, Unread, UnreadReason};
use std::collections::HashMap;
use std::io::Read;

/// The contents of files.
pub(crate) enum ContentSource<'a> {
    Disk(&'a Snapshot),
    Staged(Mutex<Blobs>, HashMap<BString, String>),
}

impl ContentSource<'_> {
    /// Hands the contents of a path to `take`.
    ///
    /// # Errors
    /// If it isn't a file any more or can't be read.
    pub(crate) fn read<T>(
        &self,
        path: &RepoPath,
        take: impl FnOnce(&mut dyn Read) -> std::io::Result<T>,
    ) -> std::io::Result<T> {
        match self {
            Self::Disk(snapshot) => {
                if let Some(held) = snapshot.held(path) {
                    return take(&mut held.as_slice());
                }
                // What was a file when the tree was walked may be something else by now; then it is
                // not opened.
                take(&mut snapshot.root.file(path)?)
            }
            Self::Staged(blobs, names) => {
                let blob = names
                    .get(path.as_bstr())
                    .ok_or(std::io::ErrorKind::NotFound)?;
                blobs.lock().read(blob, |_, contents| take(contents))
            }
        }
    }
}

/// What is staged, as a tree of its own with the sizes of the staged contents, and those contents.
pub(crate) fn staged<'a>(
    repository: &Repository,
    staged: Vec<Staged>,
) -> Result<(Tree, ContentSource<'a>)> {
    let mut blobs = repository.blobs()?;
    let (mut entries, mut unread) = (Vec::new(), Vec::new());
    let mut names = HashMap::new();
    for Staged { path, blob } in staged {
        let size = match blobs.read(&blob, |size, _| Ok(size)) {
            Ok(size) => Bytes(size),
            // Contents that are not here, as in a partial clone, are not fetched for this.
            Err(error) => {
                unread.push(Unread {
                    path: path.into(),
                    reason: UnreadReason::Refused(error.to_string()),
                });
                continue;
            }
        };
        entries.push(Entry {
            path: path.clone().into(),
            state: State::Tracked,
            kind: EntryKind::File,
            size,
            ruling: None,
        });
        names.insert(path, blob);
    }
    entries.sort_by(|a, b| a.path.cmp(&b.path));
    Ok((
        Tree { entries, unread },
        ContentSource::Staged(Mutex::new(blobs), names),
    ))
}
