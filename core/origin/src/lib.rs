//! Where a file comes from: whether somebody wrote it, a tool made it, a package manager fetched it,
//! or it belongs to one machine.
//!
//! Evidence decides; a name is one witness among others. Each witness looks at one file and gives
//! evidence for or against its being made (`witnesses/`, one file each, with a table beside it where
//! it is knowledge). What each kind of evidence is worth is measured (`weights.toml`, written by
//! `evidence/origin.py`), and a judgement is the sum. What is beside a file is heard last: a folder
//! is one thing if all in it is.
//!
//! What a person said (an exception, an accepted finding, an expectation) is policy and no evidence:
//! whoever asks here, asks it first.
//!
//! ```
//! # fn main() -> Result<(), Box<dyn std::error::Error>> {
//! # let folder = tempfile::tempdir()?;
//! use redshank_origin::{Origin, Surroundings};
//! use redshank_worktree::Snapshot;
//!
//! std::fs::write(folder.path().join("tides.y"), "%%\n")?;
//! std::fs::write(folder.path().join("tides.tab.c"), "/* A Bison parser, made by GNU Bison */\n")?;
//! let snapshot = Snapshot::open(folder.path())?;
//! let around = Surroundings::new(&snapshot, snapshot.tree()?);
//! assert_eq!(around.judge("tides.tab.c".into(), None).origin, Origin::Generated);
//! assert_eq!(around.judge("tides.y".into(), None).origin, Origin::Authored);
//! # Ok(())
//! # }
//! ```

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod claims;
mod evidence;
mod judgements;
mod places;
mod weights;
mod witnesses;

pub use claims::Share;
pub use evidence::{Detail, Evidence, Judgement, Origin, Strength, Weight, Witness};
pub use judgements::Judgements;
pub use places::MadePlace;
pub use witnesses::language::is_source_name;
pub use witnesses::place::{
    is_aside, is_in_hidden, is_output_name, is_peoples_name, is_shared_name,
};
pub use witnesses::rebuilt::{REBUILT_FILE, Rebuilt, RebuiltFile};
pub use witnesses::says_so::{Mark, mark};
pub use witnesses::{Basis, Claim};

use bstr::BString;
use foldhash::fast::FixedState;
use parking_lot::Mutex;
use redshank_rules::{PatternSet, RepoPath, RepoPathBuf};
use redshank_worktree::Snapshot;
use redshank_worktree::apart;
use redshank_worktree::size::Bytes;
use redshank_worktree::tree::{EntryKind, State, Tree};
use std::collections::HashMap;
use std::io::{Read, Seek, SeekFrom};
use std::sync::OnceLock;
use witnesses::Subject;
use witnesses::declared::Declared;
use witnesses::linked::Linked;
use witnesses::says_so;

/// How many bytes of a file's start are looked at.
pub const HEAD: u64 = 16 << 10;

/// The files by their name in small letters, as places in the tree.
type ByName = HashMap<BString, Vec<u32>, FixedState>;

/// What is around a file: the tree, and what the project's own texts say. Each is read when it is
/// first asked for.
pub struct Surroundings<'a> {
    snapshot: &'a Snapshot,
    tree: &'a Tree,
    by_name: OnceLock<ByName>,
    by_stem: OnceLock<ByName>,
    declared: OnceLock<Declared>,
    linked: OnceLock<Linked>,
    /// What rehearsals saw come back.
    rebuilt: OnceLock<HashMap<BString, RebuiltFile>>,
    /// For each kind of mark, the first file here that such files are made of.
    sources: Mutex<HashMap<&'static str, Option<RepoPathBuf>>>,
    /// The answers on claims that were asked for before.
    contradicted: Mutex<HashMap<(RepoPathBuf, Basis), bool, FixedState>>,
    /// Whether all sources are of languages that are run as they are.
    interpreted: OnceLock<bool>,
    /// Whether folders with a version in their names are releases of what is beside them.
    releases: Mutex<HashMap<RepoPathBuf, bool, FixedState>>,
    /// Whether people write in the folders that settings name.
    peoples: Mutex<HashMap<RepoPathBuf, bool, FixedState>>,
}

impl<'a> Surroundings<'a> {
    /// Those of a tree of the snapshot.
    pub fn new(snapshot: &'a Snapshot, tree: &'a Tree) -> Self {
        Self {
            snapshot,
            tree,
            by_name: OnceLock::new(),
            by_stem: OnceLock::new(),
            declared: OnceLock::new(),
            linked: OnceLock::new(),
            rebuilt: OnceLock::new(),
            sources: Mutex::default(),
            contradicted: Mutex::default(),
            interpreted: OnceLock::new(),
            releases: Mutex::default(),
            peoples: Mutex::default(),
        }
    }

    /// The tree that they are of.
    pub fn tree(&self) -> &'a Tree {
        self.tree
    }

    fn by_name(&self) -> &ByName {
        self.by_name.get_or_init(|| {
            let mut all = ByName::default();
            for (at, entry) in self.tree.entries.iter().enumerate() {
                if entry.state != State::Ignored && entry.kind == EntryKind::File {
                    all.entry(entry.path.name().to_ascii_lowercase().into())
                        .or_default()
                        .push(at as u32);
                }
            }
            all
        })
    }

    fn by_stem(&self) -> &ByName {
        self.by_stem.get_or_init(|| {
            let mut all = ByName::default();
            for (name, places) in self.by_name() {
                let stem = memchr::memrchr(b'.', name).filter(|dot| *dot > 0);
                let stem = &name[..stem.unwrap_or(name.len())];
                all.entry(stem.into()).or_default().extend(places);
            }
            all.values_mut().for_each(|places| places.sort_unstable());
            all
        })
    }

    /// What rehearsals saw come back. What can't be read is no evidence; the next rehearsal says so.
    pub(crate) fn rebuilt(&self) -> &HashMap<BString, RebuiltFile> {
        self.rebuilt.get_or_init(|| {
            let known = Rebuilt::read(self.snapshot.worktree());
            known.map_or_else(|_| HashMap::new(), Rebuilt::by_path)
        })
    }

    /// The first file of the tree that is one of these; kept under a name.
    fn first_of(&self, name: &'static str, of: &PatternSet) -> Option<RepoPathBuf> {
        let mut known = self.sources.lock();
        let first = known.entry(name).or_insert_with(|| {
            let mut files = self
                .tree
                .to_commit()
                .filter(|entry| entry.kind == EntryKind::File);
            let first = files.find(|entry| of.has(&entry.path));
            first.map(|entry| entry.path.clone())
        });
        first.clone()
    }

    fn declared(&self) -> &Declared {
        self.declared.get_or_init(|| apart(|| Declared::read(self)))
    }

    fn linked(&self) -> &Linked {
        self.linked.get_or_init(|| apart(|| Linked::read(self)))
    }

    /// The first bytes of a file; none if it can't be read.
    pub fn head(&self, path: &RepoPath) -> Vec<u8> {
        let known = self.tree.get(path).map(|entry| entry.size);
        self.head_of_size(path, known.filter(|size| size.0 > 0))
    }

    /// The same, of a file whose size may be known.
    pub(crate) fn head_of_size(&self, path: &RepoPath, size: Option<Bytes>) -> Vec<u8> {
        let expected = size.map_or(HEAD, |size| size.0.min(HEAD)) as usize;
        let mut head = self.text(path, HEAD, expected);
        // Pages are marked in their last line.
        if head.len() as u64 == HEAD && says_so::is_signed_at_end(path) {
            let end = self.end(path, says_so::FOOTER as u64).unwrap_or_default();
            head.truncate(HEAD as usize - end.len());
            head.extend(end);
        }
        head
    }

    /// The last bytes of a file.
    fn end(&self, path: &RepoPath, many: u64) -> std::io::Result<Vec<u8>> {
        let mut end = Vec::new();
        if self.snapshot.held(path).is_none() {
            let mut file = self.snapshot.root.file(path)?;
            file.seek(SeekFrom::End(-many.cast_signed()))?;
            file.take(many).read_to_end(&mut end)?;
        }
        Ok(end)
    }

    /// The first bytes of a file, of which so many are expected.
    fn text(&self, path: &RepoPath, limit: u64, expected: usize) -> Vec<u8> {
        if let Some(mut held) = self.snapshot.held(path) {
            held.truncate(limit as usize);
            return held;
        }
        let mut text = Vec::with_capacity(expected + 1);
        let file = self.snapshot.root.file(path);
        let read = file.and_then(|file| file.take(limit).read_to_end(&mut text));
        if read.is_ok() { text } else { Vec::new() }
    }

    /// Judges one file by itself; its neighbours aren't heard. `claim` is what a template says of
    /// it.
    pub fn judge(&self, path: &RepoPath, claim: Option<&Claim>) -> Judgement {
        let known = self.tree.get(path).map(|entry| entry.size);
        let size = known.filter(|size| size.0 > 0);
        let size = size.unwrap_or_else(|| self.size_of(path));
        let head = self.head_of_size(path, Some(size));
        self.judge_by_head(path, size, &head, claim)
    }

    /// Whether a file says of itself that a tool made it.
    pub fn is_marked(&self, path: &RepoPath) -> bool {
        says_so::is_marked(path, &self.head(path))
    }

    /// The same, of a file whose size and first bytes are known.
    pub fn judge_by_head(
        &self,
        path: &RepoPath,
        size: Bytes,
        head: &[u8],
        claim: Option<&Claim>,
    ) -> Judgement {
        let subject = Subject::new(path, size, head, claim, true);
        Judgement::weigh(witnesses::hear(self, &subject))
    }

    /// The same, where it is in question whether a folder's name says something of what is in it.
    fn judge_whatever_the_folder(&self, path: &RepoPath, size: Bytes) -> Judgement {
        let head = self.head_of_size(path, Some(size));
        let subject = Subject::new(path, size, &head, None, false);
        Judgement::weigh(witnesses::hear(self, &subject))
    }
}
