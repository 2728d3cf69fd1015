//! The walk: folders in parallel, excluded folders left out, nothing opened but folders and ignore
//! files.

use crate::size::Bytes;
use crate::tree::{Entry, EntryKind, State, Tree, Unread, UnreadReason};
use crate::{Overlay, Result, Snapshot};
use bstr::{BStr, BString, ByteSlice, ByteVec};
use rayon::prelude::*;
use redshank_files::{FileKind, Folder as OpenFolder, Root};
use redshank_git::{Index, Mode, Span};
use redshank_progress::{Phase, Running};
use redshank_rules::Case;
use redshank_rules::{Chain, IGNORE_FILE, Ruling};
use redshank_rules::{RepoPath, RepoPathBuf};
use std::iter::Peekable;
use std::ops::Range;
use std::path::{Path, PathBuf};
use std::sync::Mutex;

/// How far the walk goes into folders that a rule excludes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Depth {
    /// It lists such a folder and does not enter it.
    StopAtIgnored,
    /// It lists every file in it.
    IntoIgnored,
}

/// What a walk is to bring back.
#[derive(Clone)]
pub struct WalkOptions {
    /// How far it goes.
    pub depth: Depth,
    /// Whether it asks for sizes.
    pub sizes: bool,
    /// Ignore files taken as if they held something else.
    pub overlay: Overlay,
    /// The folder to stay below.
    pub under: RepoPathBuf,
}

impl Default for WalkOptions {
    /// The whole tree, with sizes, stopping at ignored folders.
    fn default() -> Self {
        Self {
            depth: Depth::StopAtIgnored,
            sizes: true,
            overlay: Overlay::new(),
            under: RepoPathBuf::default(),
        }
    }
}

impl Tree {
    /// Walks a snapshot.
    ///
    /// # Errors
    /// If the index can't be read or the top folder can't be listed. What can't be read further
    /// down is in [`Tree::unread`].
    pub fn walk(snapshot: &Snapshot, options: &WalkOptions) -> Result<Self> {
        let index = snapshot.index()?;
        let walk = Walk {
            snapshot,
            options,
            index,
            found: Mutex::default(),
            phase: Phase::Walk.begin(),
        };
        let top = Folder {
            path: RepoPathBuf::default(),
            chain: snapshot.everywhere(&options.overlay),
            ruling: None,
            tracked_above: index.whole(),
        };
        rayon::scope(|threads| walk.enter(threads, top));
        let mut found = walk
            .found
            .into_inner()
            .unwrap_or_else(std::sync::PoisonError::into_inner);
        found.unread.sort_by(|a, b| a.path.cmp(&b.path));
        let mut order = found.order();
        let mut entries = found.entries;
        let untracked = entries.len() as u32;
        entries.extend(tracked(snapshot, options, index));
        if entries.len() > order.len() {
            order = merged(&entries, &order, untracked..entries.len() as u32);
        }
        put_in_order(&mut entries, &mut order);
        Ok(Self {
            entries,
            unread: found.unread,
        })
    }
}

impl Tree {
    /// The same tree, below a folder, with every file in the folders that rules exclude: only these
    /// are walked.
    ///
    /// # Errors
    /// If the index can't be read.
    pub fn with_ignored(&self, snapshot: &Snapshot, under: &RepoPath) -> Result<Self> {
        let options = WalkOptions {
            depth: Depth::IntoIgnored,
            under: under.to_owned(),
            ..WalkOptions::default()
        };
        let index = snapshot.index()?;
        let walk = Walk {
            snapshot,
            options: &options,
            index,
            found: Mutex::default(),
            phase: Phase::Walk.begin(),
        };
        let is_excluded =
            |entry: &&Entry| entry.kind == EntryKind::Folder && entry.state == State::Ignored;
        let here = || {
            self.entries
                .iter()
                .filter(|entry| under.is_top() || entry.path.starts_with(under))
        };
        rayon::scope(|threads| {
            for entry in here().filter(is_excluded) {
                let folder = Folder {
                    path: entry.path.clone(),
                    chain: Chain::new([]),
                    ruling: entry.ruling.clone(),
                    tracked_above: index.whole(),
                };
                threads.spawn(|threads| walk.enter(threads, folder));
            }
        });
        let found = walk
            .found
            .into_inner()
            .unwrap_or_else(std::sync::PoisonError::into_inner);
        let mut entries: Vec<Entry> = here()
            .filter(|entry| !is_excluded(entry))
            .cloned()
            .chain(found.entries)
            .collect();
        entries.sort_by(|a, b| a.path.cmp(&b.path));
        let mut unread = [self.unread.clone(), found.unread].concat();
        unread.sort_by(|a, b| a.path.cmp(&b.path));
        Ok(Self { entries, unread })
    }
}

/// What a walk found.
#[derive(Default)]
struct Found {
    /// What is right in a folder is together, sorted.
    entries: Vec<Entry>,
    /// The folders, in no order, each with where its entries stand.
    folders: Vec<(RepoPathBuf, Range<u32>)>,
    unread: Vec<Unread>,
}

impl Found {
    /// The order of the entries by path, as where each is.
    fn order(&mut self) -> Vec<u32> {
        self.folders.sort_unstable_by(|a, b| a.0.cmp(&b.0));
        let mut order = Vec::with_capacity(self.entries.len());
        let mut folders = self.folders.iter().peekable();
        while let Some(folder) = folders.next() {
            self.add_folder(folder, &mut folders, &mut order);
        }
        order
    }

    /// Adds a folder and the folders in it, which come next: all of a folder stands where its own
    /// path would.
    fn add_folder<'f>(
        &self,
        (path, own): &(RepoPathBuf, Range<u32>),
        next: &mut Peekable<impl Iterator<Item = &'f (RepoPathBuf, Range<u32>)>>,
        order: &mut Vec<u32>,
    ) {
        let mut own = own.clone().peekable();
        while let Some(inner) = next.next_if(|(inner, _)| inner.is_within(path)) {
            while let Some(before) = own.next_if(|at| self.entries[*at as usize].path < inner.0) {
                order.push(before);
            }
            self.add_folder(inner, next, order);
        }
        order.extend(own);
    }
}

/// One order of two lots of entries, each of which is sorted by path.
fn merged(entries: &[Entry], order: &[u32], more: Range<u32>) -> Vec<u32> {
    let path = |at: u32| &entries[at as usize].path;
    let mut merged = Vec::with_capacity(entries.len());
    let mut more = more.peekable();
    for at in order {
        while let Some(before) = more.next_if(|before| path(*before) < path(*at)) {
            merged.push(before);
        }
        merged.push(*at);
    }
    merged.extend(more);
    merged
}

/// Puts each entry where an order has it. The order is used up.
fn put_in_order(entries: &mut [Entry], order: &mut [u32]) {
    for start in 0..entries.len() {
        let mut here = start;
        loop {
            let wanted = std::mem::replace(&mut order[here], here as u32) as usize;
            if wanted == start {
                break;
            }
            entries.swap(here, wanted);
            here = wanted;
        }
    }
}

/// The tracked paths, with their sizes on disk.
fn tracked(snapshot: &Snapshot, options: &WalkOptions, index: &Index) -> Vec<Entry> {
    let listed: Vec<_> = index.below(options.under.bare()).collect();
    let parts = listed.par_chunks(TRACKED_A_PART).map(|part| {
        let mut sizes = options.sizes.then(|| Sizes {
            root: &snapshot.root,
            open: None,
        });
        let entries = part.iter().map(|tracked| Entry {
            path: tracked.path.into(),
            state: State::Tracked,
            kind: match tracked.mode {
                Mode::File => EntryKind::File,
                Mode::Link => EntryKind::Link,
                Mode::Submodule => EntryKind::Repository,
            },
            size: sizes
                .as_mut()
                .map_or(Bytes(0), |sizes| sizes.of(tracked.path)),
            ruling: None,
        });
        entries.collect::<Vec<_>>()
    });
    parts.flatten().collect()
}

/// How many tracked paths are looked at together: neighbours are in one folder, which is opened
/// once.
const TRACKED_A_PART: usize = 256;

/// The sizes of paths that come sorted.
struct Sizes<'a> {
    root: &'a Root,
    /// The folder that was opened last, if it could be.
    open: Option<(BString, Option<OpenFolder>)>,
}

impl Sizes<'_> {
    fn of(&mut self, path: &BStr) -> Bytes {
        let name_at = path.rfind_byte(b'/').map_or(0, |slash| slash + 1);
        let folder = path[..name_at].as_bstr();
        if self.open.as_ref().is_none_or(|(open, _)| open != folder) {
            self.open = Some((folder.to_owned(), OpenFolder::at(self.root, folder).ok()));
        }
        let open = self.open.as_ref().and_then(|(_, open)| open.as_ref());
        open.map_or(Bytes(0), |open| size_in(open, path[name_at..].as_bstr()))
    }
}

/// How large a file or a link in a folder is.
fn size_in(folder: &OpenFolder, name: &BStr) -> Bytes {
    let found = folder
        .meta(name)
        .ok()
        .filter(|found| found.kind != FileKind::Folder);
    Bytes(found.map_or(0, |found| found.size))
}

struct Walk<'a> {
    snapshot: &'a Snapshot,
    options: &'a WalkOptions,
    index: &'a Index,
    found: Mutex<Found>,
    phase: Running,
}

/// A folder to be entered.
struct Folder {
    path: RepoPathBuf,
    chain: Chain,
    /// The rule that decides on it; if a folder above is excluded, the one that excludes that.
    ruling: Option<Ruling>,
    /// What is tracked in the folder above it.
    tracked_above: Span,
}

/// git's file of attributes (gitattributes(5)).
const ATTRIBUTES: &str = ".gitattributes";

impl Tree {
    /// A file of attributes that git would wait forever to read, if it is asked about attributes
    /// here.
    pub fn endless_attributes(&self, snapshot: &Snapshot) -> Option<PathBuf> {
        let mut unread = self.unread.iter();
        let met = unread.find(|unread| unread.reason == UnreadReason::Endless)?;
        Some(snapshot.path(&met.path))
    }
}

/// What holds for all that is in a folder.
struct Around<'o> {
    open: &'o OpenFolder,
    chain: &'o Chain,
    excluded: Option<&'o Ruling>,
    tracked: Span,
}

impl<'a> Walk<'a> {
    fn enter<'s>(&'s self, threads: &rayon::Scope<'s>, folder: Folder)
    where
        'a: 's,
    {
        let mut seen = Tree::default();
        let path = folder.path.clone();
        if let Err(reason) = self.list(threads, folder, &mut seen) {
            seen.unread.push(reason);
        }
        let mut entries = seen.entries;
        entries.sort_unstable_by(|a, b| a.path.cmp(&b.path));
        let bytes = entries.iter().map(|entry| entry.size.0).sum();
        self.phase.seen(entries.len() as u64, bytes);
        let mut found = self
            .found
            .lock()
            .unwrap_or_else(std::sync::PoisonError::into_inner);
        found.unread.append(&mut seen.unread);
        if !entries.is_empty() {
            let start = found.entries.len() as u32;
            found.entries.append(&mut entries);
            let end = found.entries.len() as u32;
            found.folders.push((path, start..end));
        }
    }

    fn list<'s>(
        &'s self,
        threads: &rayon::Scope<'s>,
        folder: Folder,
        seen: &mut Tree,
    ) -> Result<(), Unread>
    where
        'a: 's,
    {
        let Folder {
            path,
            mut chain,
            ruling,
            tracked_above,
        } = folder;
        let unread = |at: RepoPathBuf, error: std::io::Error| Unread {
            path: at,
            reason: UnreadReason::Refused(error.to_string()),
        };
        let listed = OpenFolder::listed(&self.snapshot.root, &path);
        let (open, names) = listed.map_err(|error| unread(path.clone(), error))?;
        if self.is_nested_repository(&path, &names) {
            let entry = self.entry(path, EntryKind::Repository, None, ruling);
            seen.entries.push(entry);
            return Ok(());
        }
        let excluded = ruling.filter(Ruling::ignores);
        let overlay = &self.options.overlay;
        let has_rules = !overlay.is_empty()
            || self.index.skips_any()
            || names.iter().any(|(name, _)| name == IGNORE_FILE);
        if has_rules && excluded.is_none() {
            match self.snapshot.rules_of(&path, overlay, self.index) {
                Ok(rules) => chain = rules.into_iter().fold(chain, Chain::with),
                Err(error) => seen.unread.push(unread(path.join(IGNORE_FILE), error)),
            }
        }
        let tracked = self.index.span(path.bare(), tracked_above);
        for (name, kind) in names {
            if kind == FileKind::Other && name == ATTRIBUTES {
                seen.unread.push(Unread {
                    path: path.join(&name),
                    reason: UnreadReason::Endless,
                });
            }
            if is_git_name(name.as_bstr(), self.snapshot.case()) {
                continue;
            }
            // Room for a slash, too, should it be a folder.
            let mut at = BString::from(Vec::with_capacity(path.len() + name.len() + 1));
            at.push_str(&*path);
            at.push_str(&name);
            let around = Around {
                open: &open,
                chain: &chain,
                excluded: excluded.as_ref(),
                tracked,
            };
            self.sort_in(threads, around, (at, kind), seen);
        }
        Ok(())
    }

    /// Whether a folder with these names is another repository, inside this one.
    fn is_nested_repository(&self, folder: &RepoPath, names: &[(BString, FileKind)]) -> bool {
        !folder.is_top()
            && names.iter().any(|(name, _)| name == ".git")
            && !self.index.holds_below(folder.bare())
            && is_repository(&self.snapshot.path(folder).join(".git"))
    }

    /// Returns the verdict on one path, which has no slash at its end yet, and enters it if it's a
    /// folder to be entered.
    fn sort_in<'s>(
        &'s self,
        threads: &rayon::Scope<'s>,
        Around {
            open,
            chain,
            excluded,
            tracked,
        }: Around,
        (mut path, kind): (BString, FileKind),
        seen: &mut Tree,
    ) where
        'a: 's,
    {
        let is_folder = kind == FileKind::Folder;
        // FIFOs, sockets and devices are nothing that git would track.
        if kind == FileKind::Other
            || !self.within(path.as_bstr(), is_folder)
            || self.is_tracked(path.as_bstr(), is_folder, tracked)
        {
            return;
        }
        let ruling = match excluded {
            Some(rule) => Some(rule.clone()),
            None => chain.ruling(path.as_bstr(), &|| is_folder),
        };
        if !is_folder {
            let kind = match kind {
                FileKind::Link => EntryKind::Link,
                _ => EntryKind::File,
            };
            let entry = self.entry(path.into(), kind, Some(open), ruling);
            seen.entries.push(entry);
            return;
        }
        path.push(b'/');
        let path = RepoPathBuf::from(path);
        let is_excluded = ruling.as_ref().is_some_and(Ruling::ignores);
        if is_excluded && self.options.depth == Depth::StopAtIgnored {
            let entry = self.entry(path, EntryKind::Folder, None, ruling);
            seen.entries.push(entry);
        } else {
            let folder = Folder {
                path,
                chain: chain.clone(),
                ruling,
                tracked_above: tracked,
            };
            threads.spawn(move |threads| self.enter(threads, folder));
        }
    }

    /// Whether git tracks a path itself; of a folder, whether it is a submodule.
    fn is_tracked(&self, path: &BStr, is_folder: bool, tracked: Span) -> bool {
        if is_folder {
            let tracked = self.index.get_within(tracked, path);
            tracked.is_some_and(|tracked| tracked.mode == Mode::Submodule)
        } else {
            self.index.holds_file(tracked, path)
        }
    }

    /// Whether the walk is to look there: at or below the folder to stay below, or on the way to
    /// it.
    fn within(&self, path: &BStr, is_folder: bool) -> bool {
        let under = &self.options.under;
        path.starts_with(under.as_bytes())
            || is_folder && under.starts_with(path) && under.get(path.len()) == Some(&b'/')
    }

    /// An entry; `open` is the folder that a file or a link is in.
    fn entry(
        &self,
        path: RepoPathBuf,
        kind: EntryKind,
        open: Option<&OpenFolder>,
        ruling: Option<Ruling>,
    ) -> Entry {
        let ignored = ruling.as_ref().is_some_and(Ruling::ignores);
        let state = if ignored {
            State::Ignored
        } else {
            State::Candidate
        };
        let size = match open.filter(|_| self.options.sizes) {
            Some(open) => size_in(open, path.name()),
            None => Bytes(0),
        };
        Entry {
            path,
            state,
            kind,
            size,
            ruling,
        }
    }
}

/// Whether git takes nothing of that name, nor anything below it, at any depth.
pub(crate) fn is_git_name(name: &BStr, case: Case) -> bool {
    match case {
        Case::Sensitive => name == ".git",
        Case::Blind => name.eq_ignore_ascii_case(b".git"),
    }
}

/// Whether `.git` there makes its folder a repository of its own, by git's own test
/// (gitrepository-layout(5)): a file that points to a git folder, wherever that is, or a folder
/// with `HEAD`, `objects` and `refs`.
#[allow(
    clippy::disallowed_methods,
    reason = "whether git takes it for another repository, by its own test; nothing is shown"
)]
fn is_repository(git: &Path) -> bool {
    if git.is_dir() {
        return is_git_folder(git);
    }
    let Ok(contents) = redshank_files::read_trusted(git, LARGEST_POINTER) else {
        return true;
    };
    let Some(target) = contents.strip_prefix(b"gitdir: ") else {
        return false;
    };
    let target = target
        .trim_end_with(|c| c == '\n' || c == '\r')
        .to_path_lossy();
    is_git_folder(&git.with_file_name("").join(target))
}

/// Files of a git folder that hold one name or path, in bytes.
const LARGEST_POINTER: u64 = 1 << 16;

#[allow(
    clippy::disallowed_methods,
    reason = "whether git takes it for a git folder, by its own test; nothing is shown"
)]
fn is_git_folder(folder: &Path) -> bool {
    let shared = redshank_files::read_trusted(&folder.join("commondir"), LARGEST_POINTER).ok();
    let shared = shared.map(|path| folder.join(path.trim_end_with(|c| c == '\n').to_path_lossy()));
    let shared = shared.as_deref().unwrap_or(folder);
    let head =
        redshank_files::read_trusted(&folder.join("HEAD"), LARGEST_POINTER).unwrap_or_default();
    let names_commit = head.len() >= 40 && head[..40].iter().all(u8::is_ascii_hexdigit);
    (head.starts_with(b"ref:") || names_commit)
        && shared.join("objects").is_dir()
        && shared.join("refs").is_dir()
}
