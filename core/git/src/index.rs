//! git's index, read directly.

#![allow(
    clippy::disallowed_methods,
    reason = "git's own folder, by the paths that git tells"
)]

use crate::index_change::{Entry as PutBack, Flag};
use crate::{Error, Repository, Result};
use bstr::{BStr, BString, ByteSlice, ByteVec};
use std::collections::HashSet;
use std::ops::Range;
use std::path::Path;

/// What kind of thing the index records, from the file mode of its entry.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mode {
    /// A file.
    File,
    /// A symbolic link.
    Link,
    /// Another repository, by its commit.
    Submodule,
}

/// The paths that git tracks, sorted by bytes. A path in conflict is there once.
#[derive(Debug, Default)]
pub struct Index {
    names: Vec<u8>,
    entries: Vec<Entry>,
    skips_any: bool,
    /// Where case is folded: the lower-case form of every path, and of every folder on the way with
    /// a slash at its end.
    folded: Option<HashSet<Vec<u8>>>,
}

#[derive(Debug)]
struct Entry {
    name: Range<u32>,
    mode: u32,
    object: Object,
    skipped: bool,
    assumed: bool,
    intended: bool,
    conflicted: bool,
}

type Object = gix_index::hash::ObjectId;

/// A run of entries of an index.
#[derive(Debug, Clone, Copy)]
pub struct Span(usize, usize);

/// One tracked path.
#[derive(Debug, Clone, Copy)]
pub struct Tracked<'a> {
    /// Relative to the repository's top.
    pub path: &'a BStr,
    /// File mode, as the index has it.
    pub mode: Mode,
    /// It isn't laid out on disk on purpose (sparse checkout).
    pub skipped: bool,
    /// git is set not to look for changes on disk (`git update-index --assume-unchanged`).
    pub assumed: bool,
    entry: &'a Entry,
}

impl Tracked<'_> {
    /// The name of its contents in git's object store.
    pub fn blob(&self) -> String {
        self.entry.object.to_string()
    }

    /// The entry as it can be put back later.
    pub fn entry_to_put_back(&self) -> PutBack {
        let mut info = BString::from(format!("{:06o} {} 0\t", self.entry.mode, self.entry.object));
        info.push_str(self.path);
        let told = [
            (self.entry.skipped, Flag::SkipWorktree),
            (self.entry.assumed, Flag::AssumeUnchanged),
            (self.entry.intended, Flag::IntentToAdd),
        ];
        PutBack {
            info,
            flags: told
                .into_iter()
                .filter(|(is_told, _)| *is_told)
                .map(|(_, flag)| flag)
                .collect(),
        }
    }

    /// Whether its changes are hidden: git is set not to look, or to leave its place alone, and
    /// not because only a part of the tree is laid out.
    pub fn is_muted(&self, repository: &Repository) -> bool {
        self.assumed || self.skipped && !repository.is_sparse
    }

    /// Whether a merge left it undecided.
    pub fn conflicted(&self) -> bool {
        self.entry.conflicted
    }
}

impl Index {
    pub(crate) fn read(repository: &Repository) -> Result<Self> {
        let mut index = Self::read_exact(repository)?;
        index.folded = repository.ignores_case.then(|| {
            index
                .iter()
                .flat_map(|tracked| folded(tracked.path))
                .collect()
        });
        Ok(index)
    }

    fn read_exact(repository: &Repository) -> Result<Self> {
        Self::read_file(repository, &repository.index_file()?)
    }

    /// Reads a file as an index of that repository; without the file, nothing is tracked.
    pub(crate) fn read_file(repository: &Repository, path: &Path) -> Result<Self> {
        let kind = if repository.uses_sha256() {
            gix_index::hash::Kind::Sha256
        } else {
            gix_index::hash::Kind::Sha1
        };
        let bad = |said: String| Error::BadIndex {
            path: path.to_owned(),
            said,
        };
        match std::fs::metadata(path) {
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => {
                return Ok(Self::default());
            }
            // Reading a FIFO would wait for somebody to write.
            Ok(found) if !found.is_file() => {
                return Err(bad("it is not a regular file".to_owned()));
            }
            _ => {}
        }
        let file = gix_index::File::at(path, kind, true, gix_index::decode::Options::default())
            .map_err(|error| bad(error.to_string()))?;
        let mut index = Self::default();
        // A sparse index names whole folders; only git can tell what they hold.
        if file.is_sparse() {
            let list = repository.git().args(["ls-files", "-z", "--stage", "-v"]);
            let listed = list.env("GIT_INDEX_FILE", path).output()?;
            for line in listed
                .split(|byte| *byte == 0)
                .filter(|line| !line.is_empty())
            {
                index
                    .push_listed(line.as_bstr())
                    .ok_or_else(|| bad("git ls-files printed an unknown line".into()))?;
            }
            return Ok(index);
        }
        for entry in file.entries() {
            let flags = entry.flags;
            let skipped = flags.contains(gix_index::entry::Flags::SKIP_WORKTREE);
            let assumed = flags.contains(gix_index::entry::Flags::ASSUME_VALID);
            let intended = flags.contains(gix_index::entry::Flags::INTENT_TO_ADD);
            let (mode, object, conflicted) = (entry.mode.bits(), entry.id, entry.stage_raw() != 0);
            index.push(
                entry.path(&file),
                Entry {
                    name: 0..0,
                    mode,
                    object,
                    skipped,
                    assumed,
                    intended,
                    conflicted,
                },
            );
        }
        Ok(index)
    }

    /// A line of `git ls-files --stage -v`: tag, mode, object, stage, tab, path.
    fn push_listed(&mut self, line: &BStr) -> Option<()> {
        let (info, path) = line.split_once_str("\t")?;
        let mut words = info.to_str().ok()?.split(' ');
        let tag = words.next()?;
        let (skipped, assumed) = (
            tag.eq_ignore_ascii_case("S"),
            tag.bytes().all(|byte| byte.is_ascii_lowercase()),
        );
        let mode = u32::from_str_radix(words.next()?, 8).ok()?;
        let object = Object::from_hex(words.next()?.as_bytes()).ok()?;
        let (conflicted, intended) = (words.next()? != "0", false);
        self.push(
            path.as_bstr(),
            Entry {
                name: 0..0,
                mode,
                object,
                skipped,
                assumed,
                intended,
                conflicted,
            },
        );
        Some(())
    }

    /// Adds an entry, whose name is filled in here.
    fn push(&mut self, path: &BStr, entry: Entry) {
        if entry.conflicted
            && self
                .entries
                .last()
                .is_some_and(|last| self.name(last) == path)
        {
            return;
        }
        self.skips_any |= entry.skipped;
        let start = self.names.len() as u32;
        self.names.push_str(path);
        self.entries.push(Entry {
            name: start..self.names.len() as u32,
            ..entry
        });
    }

    fn name(&self, entry: &Entry) -> &BStr {
        self.names[entry.name.start as usize..entry.name.end as usize].as_bstr()
    }

    fn tracked<'a>(&'a self, entry: &'a Entry) -> Tracked<'a> {
        let mode = match entry.mode & 0o170_000 {
            0o120_000 => Mode::Link,
            0o160_000 => Mode::Submodule,
            _ => Mode::File,
        };
        Tracked {
            path: self.name(entry),
            mode,
            skipped: entry.skipped,
            assumed: entry.assumed,
            entry,
        }
    }

    /// All tracked paths, sorted by bytes.
    pub fn iter(&self) -> impl Iterator<Item = Tracked<'_>> {
        self.entries.iter().map(|entry| self.tracked(entry))
    }

    /// Where the entries below a folder stand (given without a slash at its end), among those of a
    /// folder above it.
    pub fn span(&self, folder: &BStr, above: Span) -> Span {
        if above.0 == above.1 {
            return above;
        }
        let prefix = [
            folder.as_bytes(),
            if folder.is_empty() { b"" } else { b"/" },
        ]
        .concat();
        let entries = &self.entries[above.0..above.1];
        let start =
            entries.partition_point(|entry| self.name(entry).as_bytes() < prefix.as_slice());
        let count = entries[start..].partition_point(|entry| self.name(entry).starts_with(&prefix));
        Span(above.0 + start, above.0 + start + count)
    }

    /// The span of all entries.
    pub fn whole(&self) -> Span {
        Span(0, self.entries.len())
    }

    /// Whether git takes this path for a tracked one, or a folder with something tracked in it.
    /// `span` is that of the folder that the path is in.
    pub fn holds_within(&self, span: Span, path: &BStr) -> bool {
        if self.folded.is_some() {
            return self.holds(path) || self.holds_below(path);
        }
        let entries = &self.entries[span.0..span.1];
        let at = entries.partition_point(|entry| self.name(entry) < path);
        // Between a file and what is in a folder of that name other names may be: `a`, `a-b`,
        // `a/c`.
        let below = |entry: &Entry| {
            self.name(entry)
                .strip_prefix(path.as_bytes())
                .is_some_and(|rest| rest.starts_with(b"/"))
        };
        match entries.get(at) {
            None => false,
            Some(entry) if self.name(entry) == path || below(entry) => true,
            Some(entry) if self.name(entry).starts_with(path) => self.holds_below(path),
            Some(_) => false,
        }
    }

    /// Whether git takes this path itself for a tracked one. `span` is that of the folder that the
    /// path is in.
    pub fn holds_file(&self, span: Span, path: &BStr) -> bool {
        if self.folded.is_some() {
            return self.holds(path);
        }
        self.get_within(span, path).is_some()
    }

    /// Whether git takes this path for a tracked one; upper and lower case are the same where git is
    /// set so.
    pub fn holds(&self, path: &BStr) -> bool {
        match &self.folded {
            Some(folded) => folded.contains(&path.to_ascii_lowercase()),
            None => self.get(path).is_some(),
        }
    }

    /// Whether git tracks anything below a folder (given without a slash at its end).
    pub fn holds_below(&self, folder: &BStr) -> bool {
        match &self.folded {
            Some(folded) => folded.contains(&[&folder.to_ascii_lowercase()[..], b"/"].concat()),
            None => self.below(folder).next().is_some(),
        }
    }

    /// Whether anything is kept off the disk on purpose.
    pub fn skips_any(&self) -> bool {
        self.skips_any
    }

    /// How many paths are tracked.
    pub fn len(&self) -> usize {
        self.entries.len()
    }

    /// Whether nothing is tracked.
    pub fn is_empty(&self) -> bool {
        self.entries.is_empty()
    }

    /// The entry of that path.
    pub fn get(&self, path: &BStr) -> Option<Tracked<'_>> {
        self.get_within(self.whole(), path)
    }

    /// The same, looked for in the span of the folder that the path is in.
    pub fn get_within(&self, span: Span, path: &BStr) -> Option<Tracked<'_>> {
        let entries = &self.entries[span.0..span.1];
        let at = entries
            .binary_search_by(|entry| self.name(entry).cmp(path))
            .ok()?;
        Some(self.tracked(&entries[at]))
    }

    /// The entries below a folder (given without a slash at its end); all of them for the empty
    /// path.
    pub fn below(&self, folder: &BStr) -> impl Iterator<Item = Tracked<'_>> {
        let mut prefix = folder.to_owned();
        if !prefix.is_empty() {
            prefix.push(b'/');
        }
        let start = self
            .entries
            .partition_point(|entry| self.name(entry) < prefix.as_bstr());
        let below = self.entries[start..]
            .iter()
            .map(|entry| self.tracked(entry));
        below.take_while(move |tracked| tracked.path.starts_with(&prefix))
    }
}

/// The lower-case forms of a path and of the folders on the way to it.
fn folded(path: &BStr) -> impl Iterator<Item = Vec<u8>> {
    let lower = path.to_ascii_lowercase();
    let ends: Vec<usize> = lower
        .find_iter("/")
        .map(|slash| slash + 1)
        .chain([lower.len()])
        .collect();
    ends.into_iter().map(move |end| lower[..end].to_owned())
}
