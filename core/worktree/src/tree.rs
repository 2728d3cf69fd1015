//! What lies in a working tree, and the verdict on each path.

use crate::rules::Ruling;
use crate::size::Bytes;
use crate::{FileStats, Worktree};
use bstr::{BStr, BString, ByteSlice};
use redshank_files::FileKind;
use serde::Serialize;
use std::collections::BTreeSet;

/// git's verdict on a path.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub enum State {
    /// Untracked, and `git add --all` would take it.
    Candidate,
    /// Untracked, and a rule keeps it out.
    Ignored,
    /// In git's index; rules don't apply.
    Tracked,
}

/// What a path is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum EntryKind {
    /// A regular file.
    File,
    /// A symbolic link.
    Link,
    /// A folder that was not entered, because a rule shuts it.
    Folder,
    /// Another repository, inside this one; git records its commit at most.
    Repository,
}

/// One path of the tree.
#[derive(Clone)]
pub struct Entry {
    /// Relative to the top; a folder or a nested repository ends in a slash.
    pub path: BString,
    /// git's verdict.
    pub state: State,
    /// What it is.
    pub kind: EntryKind,
    /// Size in bytes; of a folder that wasn't entered, or where sizes weren't asked for, zero.
    pub size: Bytes,
    /// The rule that decides about an untracked path, if one matches it or shuts a folder above it.
    pub ruling: Option<Ruling>,
}

impl Entry {
    /// What it comes to, as one file.
    pub fn stats(&self) -> FileStats {
        FileStats::one(self.size)
    }
}

/// A path that could not be looked at, and why.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unread {
    /// Relative to the top.
    pub path: BString,
    /// What the system said.
    pub reason: String,
}

/// The paths of a working tree, sorted by bytes.
#[derive(Default)]
pub struct Tree {
    /// Every path, once.
    pub entries: Vec<Entry>,
    /// What could not be read.
    pub unread: Vec<Unread>,
}

impl Tree {
    /// What lies on disk in the folders on the way to these paths, and in the folders in those that
    /// are `wanted` by name: what may tell what the paths belong to. All counts as tracked, without
    /// sizes; what can't be read tells nothing.
    pub fn around<'p>(
        worktree: &Worktree,
        paths: impl IntoIterator<Item = &'p BStr>,
        wanted: &dyn Fn(&[u8]) -> bool,
    ) -> Self {
        let mut folders: BTreeSet<BString> = BTreeSet::from([BString::default()]);
        for path in paths {
            folders.extend(path.find_iter("/").map(|slash| path[..=slash].into()));
        }
        let mut entries = Vec::new();
        for folder in &folders {
            for inner in list(worktree, folder.as_bstr(), &mut entries) {
                if !folders.contains(&inner) && wanted(&inner[folder.len()..inner.len() - 1]) {
                    list(worktree, inner.as_bstr(), &mut entries);
                }
            }
        }
        entries.sort_by(|a: &Entry, b: &Entry| a.path.cmp(&b.path));
        Self {
            entries,
            unread: Vec::new(),
        }
    }

    /// The entries in that state.
    pub fn in_state(&self, state: State) -> impl Iterator<Item = &Entry> {
        self.entries
            .iter()
            .filter(move |entry| entry.state == state)
    }

    /// What a commit of everything would hold: tracked paths and candidates.
    pub fn to_commit(&self) -> impl Iterator<Item = &Entry> {
        self.entries
            .iter()
            .filter(|entry| entry.state != State::Ignored)
    }

    /// The entry of that path.
    pub fn get(&self, path: &BStr) -> Option<&Entry> {
        let at = self
            .entries
            .binary_search_by(|entry| entry.path.as_bstr().cmp(path))
            .ok()?;
        self.entries.get(at)
    }

    /// The entries below a folder, given with a slash at its end; all for the empty path.
    pub fn below<'a>(&'a self, folder: &'a BStr) -> impl Iterator<Item = &'a Entry> {
        let start = self
            .entries
            .partition_point(|entry| entry.path.as_bstr() < folder);
        self.entries[start..]
            .iter()
            .take_while(move |entry| entry.path.starts_with(folder))
    }
}

/// Adds the files and links of a folder, which has a slash at its end; gives the folders in it.
fn list(worktree: &Worktree, folder: &BStr, entries: &mut Vec<Entry>) -> Vec<BString> {
    let mut inner = Vec::new();
    for (name, kind) in worktree.root.list(folder).unwrap_or_default() {
        let path: BString = [folder.as_bytes(), &name].concat().into();
        if kind == FileKind::Folder && name != ".git" {
            inner.push([path.as_slice(), b"/"].concat().into());
        } else {
            let kind = if kind == FileKind::Link {
                EntryKind::Link
            } else {
                EntryKind::File
            };
            entries.push(Entry {
                path,
                state: State::Tracked,
                kind,
                size: Bytes(0),
                ruling: None,
            });
        }
    }
    inner
}
