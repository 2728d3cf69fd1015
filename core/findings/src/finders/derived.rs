//! Folders whose files all seem to be made from those beside them: a hint, for only names and times
//! tell.

use crate::{ByHand, Cause, Finding, Known, Level, Result, ScanContext};
use bstr::ByteSlice;
use foldhash::fast::FixedState;
use rayon::prelude::*;
use redshank_worktree::tree::{Entry, EntryKind, State};
use redshank_worktree::{Class, FileStats, RepoPath};
use std::collections::HashMap;
use std::time::SystemTime;

/// So few files may have their names and times by chance.
const LEAST: usize = 3;

/// How many folders are looked at for what one may be made from.
const MOST_SOURCES: usize = 16;

/// The folders of a tree, each with its files.
type Folders<'t> = HashMap<&'t RepoPath, Vec<&'t Entry>, FixedState>;

/// For a folder and a name without its extension: that folder and the ones right in it that hold a
/// file of that name.
type Holders<'t> = HashMap<(&'t RepoPath, &'t [u8]), Vec<&'t RepoPath>, FixedState>;

pub(super) fn find(scan: &ScanContext, known: &Known) -> Result<Vec<Finding>> {
    let mut folders = Folders::default();
    let is_open = |entry: &&Entry| entry.kind == EntryKind::File && !known.templates.has(entry);
    for entry in scan.tree.to_commit().filter(is_open) {
        folders.entry(entry.path.folder()).or_default().push(entry);
    }
    let is_suspect = |(folder, files): &(&RepoPath, &Vec<&Entry>)| {
        let is_candidate = |entry: &&Entry| entry.state == State::Candidate;
        !folder.is_top() && files.len() >= LEAST && files.iter().all(is_candidate)
    };
    let each = folders.iter().map(|(folder, files)| (*folder, files));
    let mut suspects: Vec<(&RepoPath, &Vec<&Entry>)> = each.filter(is_suspect).collect();
    if suspects.is_empty() {
        return Ok(Vec::new());
    }
    suspects.sort_unstable_by_key(|(folder, _)| *folder);
    let holders = holders(&folders);
    let found = suspects.into_par_iter().filter_map(|(folder, made)| {
        let source = source_of(scan, &folders, &holders, folder, made)?;
        let stats = FileStats::of(made.iter().copied());
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

fn holders<'t>(folders: &Folders<'t>) -> Holders<'t> {
    let mut holders = Holders::default();
    let mut sorted: Vec<&RepoPath> = folders.keys().copied().collect();
    sorted.sort_unstable();
    for folder in sorted {
        let beside = (!folder.is_top()).then(|| folder.folder());
        for file in folders.get(folder).into_iter().flatten() {
            for place in beside.into_iter().chain([folder]) {
                let of_stem = holders.entry((place, parts(file).0)).or_default();
                if of_stem.last() != Some(&folder) {
                    of_stem.push(folder);
                }
            }
        }
    }
    holders
}

/// The folder beside this one, or right above it, from whose files all of its files seem made.
fn source_of<'t>(
    scan: &ScanContext,
    folders: &Folders<'t>,
    holders: &Holders<'t>,
    folder: &'t RepoPath,
    made: &[&'t Entry],
) -> Option<&'t RepoPath> {
    // Whatever it is made from holds its rarest name, too.
    let above = folder.folder();
    let holding = made
        .iter()
        .filter_map(|file| holders.get(&(above, parts(file).0)));
    let rarest = holding.min_by_key(|folders| folders.len())?;
    let is_source = |other: &&RepoPath| {
        let Some(sources) = folders.get(other) else {
            return false;
        };
        let mut stems: HashMap<&[u8], Vec<&Entry>, FixedState> = HashMap::default();
        for source in sources {
            stems.entry(parts(source).0).or_default().push(source);
        }
        let is_made = |file: &&Entry| {
            let of_name = stems.get(parts(file).0);
            of_name.is_some_and(|sources| is_made_from(scan, file, sources))
        };
        made.iter().all(is_made)
    };
    let others = rarest.iter().copied().filter(|other| *other != folder);
    others.take(MOST_SOURCES).find(is_source)
}

/// A file's name without the extension, and that.
fn parts(entry: &Entry) -> (&[u8], &[u8]) {
    let name = entry.path.name().as_bytes();
    let dot = name.rfind_byte(b'.').filter(|dot| *dot > 0);
    name.split_at(dot.unwrap_or(name.len()))
}

/// Whether one of the sources, which all have the file's name, has another extension, and is older.
fn is_made_from(scan: &ScanContext, file: &Entry, sources: &[&Entry]) -> bool {
    let changed = |entry: &Entry| -> Option<SystemTime> {
        scan.snapshot
            .root
            .meta(&entry.path)
            .ok()
            .map(|found| found.modified)
    };
    let (_, extension) = parts(file);
    sources
        .iter()
        .any(|source| parts(source).1 != extension && changed(source) < changed(file))
}
