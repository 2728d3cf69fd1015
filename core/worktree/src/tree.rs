//! What is in a working tree, and the verdict on each path.

use crate::size::Bytes;
use crate::{FileStats, Worktree};
use redshank_files::FileKind;
use redshank_rules::Ruling;
use redshank_rules::{RepoPath, RepoPathBuf};
use serde::Serialize;
use std::collections::BTreeSet;
use std::fmt;

/// git's verdict on a path.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub enum State {
    /// Untracked, and `git add --all` would take it.
    Candidate,
    /// Untracked, and a rule ignores it.
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
    /// A folder that was not entered, because a rule excludes it.
    Folder,
    /// Another repository, inside this one; git records its commit at most.
    Repository,
}

/// One path of the tree.
#[derive(Clone)]
pub struct Entry {
    /// Relative to the top; a folder or a nested repository ends in a slash.
    pub path: RepoPathBuf,
    /// git's verdict.
    pub state: State,
    /// What the step does.
    pub kind: EntryKind,
    /// Size in bytes; of a folder that wasn't entered, or where sizes weren't asked for, zero.
    pub size: Bytes,
    /// The rule that decides about an untracked path, if one matches it or excludes a folder above
    /// it.
    pub ruling: Option<Ruling>,
}

impl Entry {
    /// What it amounts to, as one file.
    pub fn stats(&self) -> FileStats {
        FileStats::one(self.size)
    }
}

/// A path that could not be looked at, and why.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unread {
    /// Relative to the top.
    pub path: RepoPathBuf,
    /// Why.
    pub reason: UnreadReason,
}

/// Why a path could not be looked at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum UnreadReason {
    /// The system refused; this is what it said.
    Refused(String),
    /// It is something that never ends, such as a FIFO, in the place of an attribute file.
    Endless,
}

impl fmt::Display for UnreadReason {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        match self {
            Self::Refused(said) => f.write_str(said),
            Self::Endless => f.write_str("it is not a file, and git would wait forever to read it"),
        }
    }
}

/// The paths of a working tree, sorted by bytes.
#[derive(Default)]
pub struct Tree {
    /// Every path once, sorted by bytes.
    pub entries: Vec<Entry>,
    /// What could not be read.
    pub unread: Vec<Unread>,
}

impl Tree {
    /// What is on disk in the folders on the way to these paths, and in the folders in those that
    /// are `wanted` by name: what may tell what the paths belong to. All counts as tracked, without
    /// sizes; what can't be read tells nothing.
    pub fn around<'p>(
        worktree: &Worktree,
        paths: impl IntoIterator<Item = &'p RepoPath>,
        wanted: &dyn Fn(&[u8]) -> bool,
    ) -> Self {
        let mut folders: BTreeSet<RepoPathBuf> = BTreeSet::from([RepoPathBuf::default()]);
        for path in paths {
            folders.extend(path.folders_above().map(ToOwned::to_owned));
        }
        let mut entries = Vec::new();
        for folder in &folders {
            for inner in list(worktree, folder, &mut entries) {
                if !folders.contains(&inner) && wanted(inner.name()) {
                    list(worktree, &inner, &mut entries);
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

    /// The regular files of it.
    pub fn to_commit_files(&self) -> impl Iterator<Item = &Entry> {
        self.to_commit()
            .filter(|entry| entry.kind == EntryKind::File)
    }

    /// The entry of that path.
    pub fn get(&self, path: &RepoPath) -> Option<&Entry> {
        self.entries.get(self.position(path)?)
    }

    /// Where among the entries that of a path is.
    pub fn position(&self, path: &RepoPath) -> Option<usize> {
        let found = self
            .entries
            .binary_search_by(|entry| (*entry.path).cmp(path));
        found.ok()
    }

    /// The entries below a folder, given with a slash at its end; all for the empty path.
    pub fn below(&self, folder: &RepoPath) -> impl Iterator<Item = &Entry> {
        self.slice_below(folder).iter()
    }

    pub(crate) fn slice_below(&self, folder: &RepoPath) -> &[Entry] {
        let start = self.entries.partition_point(|entry| *entry.path < *folder);
        let rest = &self.entries[start..];
        let count = rest.partition_point(|entry| entry.path.starts_with(folder));
        &rest[..count]
    }
}

/// Adds the files and links of a folder, which has a slash at its end; returns the folders in it.
fn list(worktree: &Worktree, folder: &RepoPath, entries: &mut Vec<Entry>) -> Vec<RepoPathBuf> {
    let mut inner = Vec::new();
    for (name, kind) in worktree.root.list(folder).unwrap_or_default() {
        let path = folder.join(&name);
        if kind == FileKind::Folder && name != ".git" {
            inner.push(path.as_folder());
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
