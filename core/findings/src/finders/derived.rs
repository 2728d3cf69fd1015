//! Folders whose files all seem to be made from those beside them: a hint, for only names and times
//! tell.

use crate::{ByHand, Cause, Finding, Known, Level, Result, ScanContext};
use bstr::ByteSlice;
use redshank_worktree::tree::{Entry, EntryKind, State};
use redshank_worktree::{Class, FileStats, RepoPath};
use std::collections::{BTreeMap, HashMap};
use std::time::SystemTime;

/// So few files may have their names and times by chance.
const LEAST: usize = 3;

/// Names without their extension, each with its entries.
type Stems<'t> = HashMap<&'t [u8], Vec<&'t Entry>>;

/// The folders of a tree, each with its files.
type Folders<'t> = BTreeMap<&'t RepoPath, Stems<'t>>;

pub(super) fn find(scan: &ScanContext, known: &Known) -> Result<Vec<Finding>> {
    let mut folders = Folders::new();
    let is_open = |entry: &&Entry| entry.kind == EntryKind::File && !known.templates.has(entry);
    for entry in scan.tree.to_commit().filter(is_open) {
        let (folder, stem, _) = parts(entry);
        let stems = folders.entry(folder).or_default();
        stems.entry(stem).or_default().push(entry);
    }
    let holders = holders(&folders);
    let found = folders.iter().filter_map(|(folder, made)| {
        let source = source_of(scan, &folders, &holders, folder, made)?;
        let stats = FileStats::of(made.values().flatten().copied());
        let cause = Cause::Derived {
            source: source.to_owned(),
        };
        let name = "derived-folder";
        Some(Finding {
            size: Some(stats.size),
            files: stats.files,
            ..Finding::new(Class::Generated, name, Level::Note, folder, cause)
                .by_hand(ByHand::IgnoreFolderIfMade)
        })
    });
    Ok(found.collect())
}

/// For each stem, the folders that hold a file of it.
fn holders<'t>(folders: &Folders<'t>) -> HashMap<&'t [u8], Vec<&'t RepoPath>> {
    let mut holders: HashMap<&[u8], Vec<&RepoPath>> = HashMap::new();
    for (folder, stems) in folders {
        let each = stems.keys();
        each.for_each(|stem| holders.entry(stem).or_default().push(folder));
    }
    holders
}

/// The folder beside this one, or right above it, from whose files all of its files seem made.
fn source_of<'t>(
    scan: &ScanContext,
    folders: &Folders<'t>,
    holders: &HashMap<&[u8], Vec<&'t RepoPath>>,
    folder: &RepoPath,
    made: &Stems,
) -> Option<&'t RepoPath> {
    let files = || made.values().flatten().copied();
    let is_suspect = !folder.is_top()
        && files().count() >= LEAST
        && files().all(|entry| entry.state == State::Candidate);
    if !is_suspect {
        return None;
    }
    let above = folder.folder();
    // Whatever it is made from holds its rarest name, too.
    let holding = made.keys().filter_map(|stem| holders.get(stem));
    let rarest = holding.min_by_key(|folders| folders.len())?;
    let is_source = |other: &&RepoPath| {
        let stems = folders.get(other);
        stems.is_some_and(|stems| files().all(|file| is_made_from(scan, file, stems)))
    };
    let mut beside = rarest
        .iter()
        .copied()
        .filter(|other| *other != folder && is_right_in(other, above));
    beside.find(is_source)
}

/// A file's folder, its name without the extension, and that.
fn parts(entry: &Entry) -> (&RepoPath, &[u8], &[u8]) {
    let name = entry.path.name();
    let dot = name.rfind_byte(b'.').filter(|dot| *dot > 0);
    let (stem, extension) = name.split_at(dot.unwrap_or(name.len()));
    (entry.path.folder(), stem, extension)
}

fn is_right_in(folder: &RepoPath, above: &RepoPath) -> bool {
    folder == above || folder.folder() == above
}

/// Whether one of the sources has the file's name with another extension, and is older.
fn is_made_from(scan: &ScanContext, file: &Entry, sources: &Stems) -> bool {
    let (_, stem, extension) = parts(file);
    let Some(of_name) = sources.get(stem) else {
        return false;
    };
    let changed = |entry: &Entry| -> Option<SystemTime> {
        scan.snapshot
            .root
            .meta(&entry.path)
            .ok()
            .map(|found| found.modified)
    };
    of_name
        .iter()
        .any(|source| parts(source).2 != extension && changed(source) < changed(file))
}
