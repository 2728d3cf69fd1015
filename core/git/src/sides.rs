//! What a state of the tracked files holds: of a commit, of what is staged, or of what a merge would
//! make of two commits.

#![allow(
    clippy::disallowed_methods,
    reason = "a private folder of the caller's"
)]

use crate::{Error, Repository, Result};
use bstr::{BStr, BString, ByteSlice};
use std::collections::{BTreeMap, BTreeSet};
use std::io::Read;
use std::path::Path;

/// A state of the tracked files that git keeps.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum TreeState {
    /// A commit, or a tree.
    Commit(String),
    /// What is staged.
    Staged,
}

/// The tracked files of a state: all their paths, and what some of them hold.
#[derive(Debug, Clone, Default)]
pub struct TrackedFiles {
    /// Every path, of links and submodules, too.
    pub paths: BTreeSet<BString>,
    /// The contents of the files that were asked for. Links aren't among them: git reads neither
    /// rules nor attributes through one.
    pub contents: BTreeMap<BString, Vec<u8>>,
}

/// More of a file isn't read, in bytes.
const LARGEST: u64 = 64 << 20;

impl Repository {
    /// The files of a state, with what those hold that `is_read` names.
    ///
    /// # Errors
    /// If git refuses, or contents are not here.
    pub fn tracked_files(
        &self,
        state: &TreeState,
        is_read: &dyn Fn(&BStr) -> bool,
    ) -> Result<TrackedFiles> {
        // `MODE TYPE OBJECT TAB PATH` of a commit, `MODE OBJECT STAGE TAB PATH` of what is staged.
        let (listed, object_at) = match state {
            TreeState::Commit(commit) => {
                let list = ["ls-tree", "-r", "-z", "--full-tree", commit];
                (self.git().args(list).output()?, 2)
            }
            TreeState::Staged => {
                let list = ["ls-files", "--stage", "-z"];
                (self.git().args(list).output()?, 1)
            }
        };
        let mut blobs = self.blobs()?;
        let mut files = TrackedFiles::default();
        for row in listed.split(|byte| *byte == 0) {
            let Some((head, path)) = row.split_once_str("\t") else {
                continue;
            };
            let words: Vec<&[u8]> = head.fields().collect();
            // Of a path that a merge left open, ours counts: its second stage.
            let is_other_stage =
                *state == TreeState::Staged && !matches!(words.last(), Some(&b"0") | Some(&b"2"));
            if is_other_stage {
                continue;
            }
            files.paths.insert(path.into());
            let is_file = words.first().is_some_and(|mode| mode.starts_with(b"100"));
            let Some(blob) = words.get(object_at).filter(|_| is_file) else {
                continue;
            };
            if !is_read(path.as_bstr()) {
                continue;
            }
            let mut contents = Vec::new();
            let read = blobs.read(&blob.to_str_lossy(), |_, held| {
                held.take(LARGEST).read_to_end(&mut contents)
            });
            read.map_err(|error| Error::Refused {
                command: "git cat-file --batch".to_owned(),
                said: error.to_string(),
            })?;
            files.contents.insert(path.into(), contents);
        }
        Ok(files)
    }

    /// What git makes of two versions of a text that come from a third, as git-merge-file(1) does it
    /// with no program of anybody's; and whether parts of it are open, of which both sides are in
    /// it, one below the other. Works with files in `folder`, which is the caller's own.
    ///
    /// # Errors
    /// If git or the disk refuses.
    pub fn merge_texts(
        &self,
        folder: &Path,
        base: &[u8],
        [ours, theirs]: [&[u8]; 2],
    ) -> Result<(Vec<u8>, bool)> {
        let texts = [("ours", ours), ("base", base), ("theirs", theirs)];
        for (name, text) in texts {
            let path = folder.join(name);
            let written = std::fs::write(&path, text);
            written.map_err(|cause| Error::Disk { path, cause })?;
        }
        let paths = texts.map(|(name, _)| folder.join(name));
        let merge = |more: &[&str]| {
            let merge = self.git().args(["merge-file", "--stdout", "--quiet"]);
            merge.args(more).args(&paths).ended()
        };
        // Its exit code is how many parts are open, up to 127.
        match merge(&[])? {
            (0, merged) => Ok((merged, false)),
            (1..=127, _) => Ok((merge(&["--union"])?.1, true)),
            (code, _) => Err(Error::Refused {
                command: "git merge-file".to_owned(),
                said: format!("it ended with {code}"),
            }),
        }
    }
}
