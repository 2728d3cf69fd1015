//! What a clone of the next commit would hold, and what a command leaves behind that runs there.

mod missing;
pub mod scratch;

pub use missing::{Missing, MissingReason, Reference, missing, references_in};

use crate::disk::refused;
use crate::{Error, Result};
use bstr::{BStr, BString, ByteSlice};
use redshank_files::Root;
use redshank_pattern::{exactly, fit};
use redshank_worktree::rules::Ruling;
use redshank_worktree::tree::{Entry, EntryKind, State};
use redshank_worktree::{FileStats, Purpose, RepoPath, RepoPathBuf, Snapshot, Worktree};
use scratch::Scratch;
use std::collections::{BTreeMap, HashMap, HashSet};
use std::path::PathBuf;
use std::time::SystemTime;

/// A clone of the next commit, in a folder of its own that goes with it.
pub struct ScratchClone {
    /// Keeps the folder as long as it is needed.
    _scratch: Scratch,
    /// Where the files lie.
    pub worktree: Worktree,
    /// How much it holds.
    pub stats: FileStats,
}

impl ScratchClone {
    /// Lays it out, as git would.
    ///
    /// # Errors
    /// If there is no repository, git would never end, or git or the disk refuses.
    pub fn of(snapshot: &Snapshot, staged_only: bool) -> Result<Self> {
        if let Some(path) = snapshot.tree()?.endless_attributes(snapshot) {
            return Err(Error::Endless(path));
        }
        let repository = snapshot.needs_repository(Purpose::NextCommit)?;
        let scratch = Scratch::new()?;
        let folder = scratch.path();
        let name = snapshot.top.file_name().unwrap_or("clone".as_ref());
        let top = folder.join("clone").join(name);
        repository.lay_out_next(&folder, &top, !staged_only)?;
        let clone = Snapshot::of(&top)?;
        Ok(Self {
            stats: FileStats::of(clone.tree()?.in_state(State::Tracked)),
            worktree: clone.worktree().clone(),
            _scratch: scratch,
        })
    }
}

/// How a working tree was before a run.
pub struct RunSnapshot {
    worktree: Worktree,
    stamps: HashMap<RepoPathBuf, Stamp>,
}

/// By what a change of a file shows: its size and its time.
type Stamp = (u64, Option<SystemTime>);

/// What a run left behind.
#[derive(Default)]
pub struct RunDifference {
    /// New, and kept out: by the rule, how much.
    pub ignored: Vec<(Ruling, FileStats)>,
    /// New, and not kept out: a file, or a folder that is new as a whole, how much, and the rule
    /// that would keep it out.
    pub unruled: Vec<NewPath>,
    /// Tracked files that the run changed.
    pub changed: Vec<RepoPathBuf>,
}

/// Something new that no rule keeps out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NewPath {
    /// Several files of one kind have the path of their folder.
    pub path: RepoPathBuf,
    /// How much.
    pub stats: FileStats,
    /// The narrowest rule that keeps it out.
    pub rule: BString,
}

impl RunSnapshot {
    /// Looks at a working tree before a run, ignored folders too.
    ///
    /// # Errors
    /// If it can't be walked.
    pub fn take(worktree: &Worktree) -> Result<Self> {
        let snapshot = Snapshot::from(worktree.clone());
        let entries = snapshot.whole_tree()?.entries.iter();
        Ok(Self {
            worktree: worktree.clone(),
            stamps: entries
                .map(|entry| (entry.path.clone(), stamp(worktree, entry)))
                .collect(),
        })
    }

    /// What came since. A file that was there and changed counts, unless git tracks it: then it is
    /// told as changed.
    ///
    /// # Errors
    /// If it can't be walked or git can't be asked.
    pub fn difference(&self) -> Result<RunDifference> {
        let snapshot = Snapshot::from(self.worktree.clone());
        let came =
            |entry: &&Entry| self.stamps.get(&entry.path) != Some(&stamp(&self.worktree, entry));
        let came: Vec<&Entry> = snapshot.whole_tree()?.entries.iter().filter(came).collect();
        let in_state = |state| {
            came.iter()
                .copied()
                .filter(move |entry| entry.state == state)
        };
        let changed: Vec<RepoPathBuf> = in_state(State::Tracked)
            .map(|entry| entry.path.clone())
            .collect();
        // What was there before, or is tracked, keeps its folder from being new as a whole.
        let stays = self.stamps.keys().chain(&changed);
        let known: HashSet<&RepoPath> = stays.flat_map(|path| path.folders_above()).collect();
        Ok(RunDifference {
            ignored: by_rule(in_state(State::Ignored)),
            unruled: unruled(in_state(State::Candidate), &known),
            changed,
        })
    }
}

/// What each rule keeps out of these.
fn by_rule<'e>(entries: impl Iterator<Item = &'e Entry>) -> Vec<(Ruling, FileStats)> {
    let mut by_rule: BTreeMap<(BString, u32), (Ruling, FileStats)> = BTreeMap::new();
    for entry in entries {
        if let Some(ruling) = &entry.ruling {
            let key = (ruling.source().shown.clone(), ruling.rule().line);
            let none = || (ruling.clone(), FileStats::default());
            by_rule.entry(key).or_insert_with(none).1 += entry.stats();
        }
    }
    by_rule.into_values().collect()
}

fn stamp(worktree: &Worktree, entry: &Entry) -> Stamp {
    // Nobody writes into the names of links and other repositories.
    let is_file = entry.kind == EntryKind::File;
    let meta = || worktree.root.meta(&entry.path).ok();
    let found = is_file.then(meta).flatten();
    (entry.size.0, found.map(|found| found.modified))
}

impl RunDifference {
    /// Keeps, in the git folder, which rules what the run created comes to: those that kept it out,
    /// and those that would. A template can be made of them.
    ///
    /// # Errors
    /// If the disk refuses.
    pub fn remember(&self, worktree: &Worktree, command: &str) -> Result<()> {
        let Some((root, folder)) = own_folder(worktree)? else {
            return Ok(());
        };
        let ruled = self.ignored.iter().map(|(ruling, _)| {
            let text = ruling.rule().text.to_str_lossy();
            fit(&text, &ruling.source().base)
        });
        let mut rules: Vec<BString> = ruled
            .chain(self.unruled.iter().map(|new| new.rule.clone()))
            .collect();
        rules.sort();
        rules.dedup();
        let text = [
            format!("# {command}\n").into_bytes(),
            bstr::join("\n", rules),
        ]
        .concat();
        root.create_private_folders(OWN.into())
            .map_err(refused(&folder))?;
        crate::disk::replace(&root, LAST_RUN.into(), &text).map_err(refused(&folder))
    }
}

/// The command of the last run, and the rules for what it created, as [`RunDifference::remember`]
/// kept them; none if there was none.
///
/// # Errors
/// If it can't be read.
pub fn remembered(worktree: &Worktree) -> Result<Option<(String, Vec<u8>)>> {
    let Some((root, folder)) = own_folder(worktree)? else {
        return Ok(None);
    };
    let text = root
        .read_if_there(LAST_RUN.into(), LARGEST_RUN)
        .map_err(refused(&folder))?;
    Ok(text.and_then(|text| {
        let (command, rules) = text.split_once_str("\n")?;
        Some((
            command.to_str_lossy().trim_start_matches("# ").to_owned(),
            rules.to_vec(),
        ))
    }))
}

/// Our folder in the git folder, and what is kept there of the last run.
const OWN: &str = "redshank";
const LAST_RUN: &str = "redshank/last-run";

/// No run leaves more rules than this, in bytes.
const LARGEST_RUN: u64 = 16 << 20;

/// The git folder, opened, and where ours lies in it.
fn own_folder(worktree: &Worktree) -> Result<Option<(Root, PathBuf)>> {
    let Some(repository) = &worktree.repository else {
        return Ok(None);
    };
    let root = Root::open(&repository.git_folder).map_err(refused(&repository.git_folder))?;
    Ok(Some((root, repository.git_folder.join(OWN))))
}

/// How many files of one extension in one folder make a rule for the extension.
const SEVERAL: usize = 3;

/// New files, taken together where their folder is new, or where they end alike.
fn unruled<'e>(
    entries: impl Iterator<Item = &'e Entry>,
    known: &HashSet<&RepoPath>,
) -> Vec<NewPath> {
    let mut folders: BTreeMap<&RepoPath, FileStats> = BTreeMap::new();
    let mut alike: BTreeMap<(&RepoPath, &BStr), Vec<&Entry>> = BTreeMap::new();
    for entry in entries {
        let path = &entry.path;
        let new = path.folders_above().find(|folder| !known.contains(folder));
        if let Some(new) = new {
            *folders.entry(new).or_default() += entry.stats();
        } else {
            let extension = path.extension().unwrap_or_default();
            let alike = alike.entry((path.folder(), extension)).or_default();
            alike.push(entry);
        }
    }
    let whole = folders.into_iter().map(|(folder, stats)| NewPath {
        path: folder.to_owned(),
        stats,
        rule: exactly(folder),
    });
    let mut new: Vec<NewPath> = whole.collect();
    for ((folder, extension), entries) in alike {
        if entries.len() >= SEVERAL && !extension.is_empty() {
            new.push(several(folder, extension, &entries));
        } else {
            new.extend(entries.into_iter().map(single));
        }
    }
    new.sort_by(|a, b| a.path.cmp(&b.path));
    new
}

fn several(folder: &RepoPath, extension: &BStr, entries: &[&Entry]) -> NewPath {
    let in_folder = exactly(folder);
    let rule = [b"/", &in_folder[1..], b"*", extension.as_bytes()].concat();
    NewPath {
        path: match folder.is_top() {
            true => entries[0].path.clone(),
            false => folder.to_owned(),
        },
        stats: FileStats::of(entries.iter().copied()),
        rule: rule.into(),
    }
}

fn single(entry: &Entry) -> NewPath {
    NewPath {
        path: entry.path.clone(),
        stats: entry.stats(),
        rule: exactly(&entry.path),
    }
}
