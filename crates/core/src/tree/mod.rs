//! What lies in a working tree, and the verdict on each path.

mod query;
mod sources;
mod walk;

pub use query::{Answer, Oracle};
pub use sources::{Overlay, Place};
pub use walk::{Depth, Scope};

use crate::Result;
use crate::rules::Ruling;
use crate::size::Bytes;
use bstr::{BStr, BString, ByteSlice};
use redshank_git::{Mode, Repository};
use schemars::JsonSchema;
use serde::Serialize;

/// git's verdict on a path.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, JsonSchema)]
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
pub enum Kind {
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
    pub kind: Kind,
    /// Size in bytes; of a folder that wasn't entered, or where sizes weren't asked for, zero.
    pub size: Bytes,
    /// The rule that decides about an untracked path, if one matches it or shuts a folder above it.
    pub ruling: Option<Ruling>,
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
    /// What git tracks, without a look at the disk: no sizes, and no untracked paths.
    ///
    /// # Errors
    /// If the index can't be read.
    pub fn tracked(repository: &Repository) -> Result<Self> {
        let index = repository.index()?;
        let entry = |tracked: redshank_git::Tracked| {
            let (kind, end): (_, &[u8]) = match tracked.mode {
                Mode::File => (Kind::File, b""),
                Mode::Link => (Kind::Link, b""),
                Mode::Submodule => (Kind::Repository, b"/"),
            };
            let path = [tracked.path.as_bytes(), end].concat().into();
            Entry { path, state: State::Tracked, kind, size: Bytes(0), ruling: None }
        };
        Ok(Self { entries: index.iter().map(entry).collect(), unread: Vec::new() })
    }

    /// The entries in that state.
    pub fn in_state(&self, state: State) -> impl Iterator<Item = &Entry> {
        self.entries.iter().filter(move |entry| entry.state == state)
    }

    /// What a commit of everything would hold: tracked paths and candidates.
    pub fn to_commit(&self) -> impl Iterator<Item = &Entry> {
        self.entries.iter().filter(|entry| entry.state != State::Ignored)
    }

    /// The entry of that path.
    pub fn get(&self, path: &BStr) -> Option<&Entry> {
        let at = self.entries.binary_search_by(|entry| entry.path.as_bstr().cmp(path)).ok()?;
        self.entries.get(at)
    }

    /// The entries below a folder, given with a slash at its end; all for the empty path.
    pub fn below<'a>(&'a self, folder: &'a BStr) -> impl Iterator<Item = &'a Entry> {
        let start = self.entries.partition_point(|entry| entry.path.as_bstr() < folder);
        self.entries[start..].iter().take_while(move |entry| entry.path.starts_with(folder))
    }
}
