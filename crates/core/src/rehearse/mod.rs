//! What a clone of the next commit would hold, and what a command leaves behind that runs there.

use crate::disk::refused;
use crate::effect::Amount;
use crate::rules::Ruling;
use crate::templates::{exactly, fit};
use crate::tree::{Depth, Entry, Kind, Place, Scope, State, Tree};
use crate::{Error, Result};
use bstr::{BStr, BString, ByteSlice};
use redshank_files::Root;
use scratch::Scratch;
use std::collections::{BTreeMap, HashMap, HashSet};
use std::path::PathBuf;
use std::time::SystemTime;

mod missing;
pub mod scratch;

pub use missing::{Missing, missing, references_in};

/// A clone of the next commit, in a folder of its own that goes with it.
pub struct ScratchClone {
    /// Keeps the folder as long as it is needed.
    _scratch: Scratch,
    /// Where the files lie.
    pub top: PathBuf,
    /// How much it holds.
    pub amount: Amount,
}

impl ScratchClone {
    /// Lays it out, as git would.
    ///
    /// # Errors
    /// If the place is no repository, git would never end, or git or the disk refuses.
    pub fn of(place: &Place, tree: &Tree, staged_only: bool) -> Result<Self> {
        if let Some(path) = tree.endless_attributes(place) {
            return Err(Error::Endless(path));
        }
        let Some(repository) = &place.repository else {
            let what = "there is no next commit to clone";
            return Err(Error::NoRepository {
                top: place.top.clone(),
                what,
            });
        };
        let scratch = Scratch::new()?;
        let folder = scratch.path();
        let name = place.top.file_name().unwrap_or("clone".as_ref());
        let top = folder.join("clone").join(name);
        repository.lay_out_next(&folder, &top, !staged_only)?;
        let tree = Tree::walk(&Place::find(&top)?, &Scope::default())?;
        Ok(Self {
            amount: Amount::of(tree.in_state(State::Tracked)),
            top,
            _scratch: scratch,
        })
    }
}

/// How a working tree was before a run.
pub struct Before(HashMap<BString, (u64, Option<SystemTime>)>);

/// What a run left behind.
#[derive(Default)]
pub struct Left {
    /// New, and kept out: by the rule, how much.
    pub ignored: Vec<(Ruling, Amount)>,
    /// New, and not kept out: a file, or a folder that is new as a whole, how much, and the rule
    /// that would keep it out.
    pub unruled: Vec<New>,
    /// Tracked files that the run changed.
    pub changed: Vec<BString>,
}

/// Something new that no rule keeps out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct New {
    /// A folder ends in a slash; several files of one kind have the path of their folder.
    pub path: BString,
    /// How much.
    pub amount: Amount,
    /// The narrowest rule that keeps it out.
    pub rule: BString,
}

impl Before {
    /// Looks at a working tree before a run, ignored folders too.
    ///
    /// # Errors
    /// If it can't be walked.
    pub fn look(place: &Place) -> Result<Self> {
        let tree = walk(place)?;
        Ok(Self(
            tree.entries
                .iter()
                .map(|entry| (entry.path.clone(), stamp(place, entry)))
                .collect(),
        ))
    }

    /// What came since. A file that was there and changed counts, unless git tracks it: then it is
    /// told as changed.
    ///
    /// # Errors
    /// If it can't be walked or git can't be asked.
    pub fn since(&self, place: &Place) -> Result<Left> {
        let tree = walk(place)?;
        let came: Vec<&Entry> = tree
            .entries
            .iter()
            .filter(|entry| self.0.get(&entry.path) != Some(&stamp(place, entry)))
            .collect();
        let mut left = Left::default();
        let mut by_rule: BTreeMap<(BString, u32), (Ruling, Amount)> = BTreeMap::new();
        for entry in came.iter().filter(|entry| entry.state == State::Ignored) {
            let Some(ruling) = &entry.ruling else {
                continue;
            };
            let key = (ruling.source().shown.clone(), ruling.rule().line);
            by_rule
                .entry(key)
                .or_insert((ruling.clone(), Amount::default()))
                .1 += amount(entry);
        }
        left.ignored = by_rule.into_values().collect();
        left.changed = came
            .iter()
            .filter(|entry| entry.state == State::Tracked)
            .map(|entry| entry.path.clone())
            .collect();
        // What was there before, or is tracked, keeps its folder from being new as a whole.
        let known: HashSet<&BStr> = self
            .0
            .keys()
            .map(|path| path.as_bstr())
            .chain(left.changed.iter().map(|path| path.as_bstr()))
            .flat_map(above)
            .collect();
        left.unruled = unruled(
            came.into_iter()
                .filter(|entry| entry.state == State::Candidate),
            &known,
        );
        Ok(left)
    }
}

fn walk(place: &Place) -> Result<Tree> {
    Tree::walk(
        place,
        &Scope {
            depth: Depth::IntoIgnored,
            ..Scope::default()
        },
    )
}

fn amount(entry: &Entry) -> Amount {
    Amount {
        files: 1,
        size: entry.size,
    }
}

/// By what a change of a file shows: its size and its time.
fn stamp(place: &Place, entry: &Entry) -> (u64, Option<SystemTime>) {
    // Nobody writes into the names of links and other repositories.
    let is_file = entry.kind == Kind::File;
    let found = is_file
        .then(|| place.root.meta(entry.path.as_bstr()).ok())
        .flatten();
    (entry.size.0, found.map(|found| found.modified))
}

impl Left {
    /// Keeps, in the git folder, which rules what the run created comes to: those that kept it out,
    /// and those that would. A template can be made of them.
    ///
    /// # Errors
    /// If the disk refuses.
    pub fn remember(&self, place: &Place, command: &str) -> Result<()> {
        let Some((root, folder)) = own_folder(place)? else {
            return Ok(());
        };
        let ruled = self.ignored.iter().map(|(ruling, _)| {
            fit(
                &ruling.rule().text.to_str_lossy(),
                ruling.source().base.as_bstr(),
            )
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

/// The command of the last run, and the rules for what it created, as [`Left::remember`] kept them;
/// none if there was none.
///
/// # Errors
/// If it can't be read.
pub fn remembered(place: &Place) -> Result<Option<(String, Vec<u8>)>> {
    let Some((root, folder)) = own_folder(place)? else {
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
fn own_folder(place: &Place) -> Result<Option<(Root, PathBuf)>> {
    let Some(repository) = &place.repository else {
        return Ok(None);
    };
    let root = Root::open(&repository.git_folder).map_err(refused(&repository.git_folder))?;
    Ok(Some((root, repository.git_folder.join(OWN))))
}

/// The folders above a path, each with its slash.
fn above(path: &BStr) -> impl Iterator<Item = &BStr> {
    path.find_iter("/")
        .filter(|slash| slash + 1 < path.len())
        .map(|slash| path[..=slash].as_bstr())
}

/// How many files of one ending in one folder make a rule for the ending.
const SEVERAL: usize = 3;

/// New files, taken together where their folder is new, or where they end alike.
fn unruled<'e>(entries: impl Iterator<Item = &'e Entry>, known: &HashSet<&BStr>) -> Vec<New> {
    let mut folders: BTreeMap<&BStr, Amount> = BTreeMap::new();
    let mut alike: BTreeMap<(&BStr, &BStr), Vec<&Entry>> = BTreeMap::new();
    for entry in entries {
        let path = entry.path.as_bstr();
        if let Some(new) = above(path).find(|folder| !known.contains(folder)) {
            *folders.entry(new).or_default() += amount(entry);
            continue;
        }
        let name_at = path.rfind_byte(b'/').map_or(0, |slash| slash + 1);
        let ending = path[name_at..]
            .rfind_byte(b'.')
            .filter(|dot| *dot > 0)
            .map_or(path.len(), |dot| name_at + dot);
        alike
            .entry((path[..name_at].as_bstr(), path[ending..].as_bstr()))
            .or_default()
            .push(entry);
    }
    let mut new: Vec<New> = folders
        .into_iter()
        .map(|(folder, amount)| New {
            path: folder.into(),
            amount,
            rule: exactly(folder),
        })
        .collect();
    for ((folder, ending), entries) in alike {
        if entries.len() >= SEVERAL && !ending.is_empty() {
            let rule = [b"/", &exactly(folder)[1..], b"*", ending.as_bytes()]
                .concat()
                .into();
            let path = if folder.is_empty() {
                entries[0].path.clone()
            } else {
                folder.into()
            };
            new.push(New {
                path,
                amount: Amount::of(entries),
                rule,
            });
        } else {
            let one = |entry: &&Entry| New {
                path: entry.path.clone(),
                amount: amount(entry),
                rule: exactly(entry.path.as_bstr()),
            };
            new.extend(entries.iter().map(one));
        }
    }
    new.sort_by(|a, b| a.path.cmp(&b.path));
    new
}
