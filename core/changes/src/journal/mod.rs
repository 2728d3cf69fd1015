//! Changes, and the way back. Before anything is changed, all that is needed to undo it is
//! safe on disk, in the git folder, where nothing of it is ever tracked or transferred; and what is
//! replaced is still what was read.

mod apply;
mod change;
mod file;
mod forget;
mod record;
mod roll_back;
mod seal;

pub(crate) use apply::write_without_journal;
pub use change::{Area, Changes, Content, FileChange, Mode, ModeChange};
pub use roll_back::{IfEdited, NotRestored, StandsAs, Undone};
pub use seal::KeyPlace;

use crate::disk::io_error_at;
use crate::{Error, Result};
use bstr::{BStr, BString};
use record::{Record, RecordState};
use redshank_files::Root;
use redshank_git::Repository;
use redshank_worktree::{Purpose, Worktree};
use std::fs::File;
use std::path::PathBuf;

const RECORD: &str = "record.json";

/// No record is larger than this, in bytes: a million paths taken out of the index come to less.
const LARGEST_RECORD: u64 = 1 << 30;

/// Where the journal is in the git folder.
const FOLDER: &str = "redshank/journal";

/// The journal of a repository.
pub struct Journal<'a> {
    worktree: &'a Worktree,
    repository: &'a Repository,
    git: Root,
}

/// A change that was made, or undone.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Entry {
    /// Its number in the journal.
    pub number: u32,
    /// When, in seconds since 1970.
    pub time: u64,
    /// Whether the change has been undone.
    pub undone: bool,
    /// The command that had done it.
    pub command: String,
    /// It had been cut short.
    pub cut_short: bool,
    /// Its record is this person's own. Another one is never acted on unasked.
    pub own: bool,
    /// Paths relative to the repository's top, sorted.
    pub files: Vec<BString>,
    /// Those of them that were not there before.
    pub created: Vec<BString>,
    /// The files and folders moved out of the way; a folder ends in a slash.
    pub moved: Vec<BString>,
    /// The files whose permissions were changed.
    pub modes: Vec<BString>,
    /// How many paths were taken out of the index.
    pub untracked: usize,
}

/// A record as it was read.
struct Known {
    number: u32,
    record: Record,
    own: bool,
}

/// The records that can't be read, by their numbers, and why.
type Unreadable = Vec<(u32, Error)>;

impl Known {
    fn entry(&self) -> Entry {
        let record = &self.record;
        let created = record.files.iter().filter(|file| file.before.is_nothing());
        Entry {
            number: self.number,
            time: record.time,
            undone: record.state == RecordState::Undone,
            command: record.command.clone(),
            cut_short: record.state == RecordState::Begun,
            own: self.own,
            files: record.files.iter().map(|file| file.path.clone()).collect(),
            created: created.map(|file| file.path.clone()).collect(),
            moved: record.moved.clone(),
            modes: record.modes.iter().map(|mode| mode.path.clone()).collect(),
            untracked: record.index.as_ref().map_or(0, |index| index.entries.len()),
        }
    }
}

impl<'a> Journal<'a> {
    /// The journal of a worktree.
    ///
    /// # Errors
    /// If the place is not a repository.
    pub fn open(worktree: &'a Worktree) -> Result<Self> {
        let repository = worktree.needs_repository(Purpose::Journal)?;
        let git =
            Root::open(&repository.git_folder).map_err(io_error_at(&repository.git_folder))?;
        Ok(Self {
            worktree,
            repository,
            git,
        })
    }

    /// All changes, the oldest first.
    ///
    /// # Errors
    /// If the journal can't be read.
    pub fn list(&self) -> Result<Vec<Entry>> {
        Ok(self.records()?.iter().map(Known::entry).collect())
    }

    /// What undoing that change would undo; without a number, the newest of this person's own
    /// that was not undone yet.
    ///
    /// # Errors
    /// If there is nothing, or the journal can't be read.
    pub fn at(&self, number: Option<u32>) -> Result<Entry> {
        Ok(self.find(number)?.entry())
    }

    /// The change of this person's own that was cut short and not undone yet.
    ///
    /// # Errors
    /// If the journal can't be read.
    pub fn cut_short(&self) -> Result<Option<Entry>> {
        Ok(self
            .list()?
            .into_iter()
            .find(|entry| entry.cut_short && entry.own))
    }

    /// The folder of the journal, if there is one. A link in its place is refused: what it leads to
    /// is not ours.
    fn store(&self) -> Result<Option<Root>> {
        match self.git.beneath(FOLDER.into()) {
            Ok(store) => Ok(Some(store)),
            Err(error) if redshank_files::is_absence(&error) => Ok(None),
            Err(error) => Err(self.disk(FOLDER)(error)),
        }
    }

    /// Waits until no other Redshank changes this repository, and keeps others waiting as long as
    /// what it gives is held. Nothing where there is no journal.
    fn lock(&self) -> Result<Option<(Root, File)>> {
        let Some(store) = self.store()? else {
            return Ok(None);
        };
        let held = store.hold(BStr::new("")).map_err(self.disk(FOLDER))?;
        Ok(Some((store, held)))
    }

    /// The record of that number, or the newest of this person's own that was not undone.
    fn find(&self, number: Option<u32>) -> Result<Known> {
        let (records, unreadable) = self.all_records()?;
        let foreign = records
            .iter()
            .rev()
            .find(|known| !known.own && known.record.state != RecordState::Undone);
        let unreadable = unreadable
            .into_iter()
            .rev()
            .find(|(at, _)| number.is_none_or(|number| number == *at))
            .map(|(_, error)| error);
        let error = match (unreadable, number, foreign) {
            (_, None, Some(known)) => Error::OnlyForeign {
                number: known.number,
            },
            (Some(error), ..) => error,
            (None, Some(number), _) => Error::NoChange(number),
            (None, None, None) => Error::NothingToUndo,
        };
        records
            .into_iter()
            .rev()
            .find(|known| {
                known.record.state != RecordState::Undone
                    && number.map_or(known.own, |number| number == known.number)
            })
            .ok_or(error)
    }

    /// All records that can be read, the oldest first. One that can't is nothing that this version
    /// wrote.
    fn records(&self) -> Result<Vec<Known>> {
        Ok(self.all_records()?.0)
    }

    /// The records that can be read, and for the others why they can't.
    fn all_records(&self) -> Result<(Vec<Known>, Unreadable)> {
        let Some(store) = self.store()? else {
            return Ok((Vec::new(), Vec::new()));
        };
        let (mut records, mut unreadable) = (Vec::new(), Vec::new());
        for number in numbers(&store)? {
            match self.record(&store, number) {
                Ok(record) => records.extend(record),
                Err(error) => unreadable.push((number, error)),
            }
        }
        Ok((records, unreadable))
    }

    /// One record, if there is one.
    fn record(&self, store: &Root, number: u32) -> Result<Option<Known>> {
        let path = in_entry(number, RECORD);
        let meta = store
            .meta_if_there(path.as_ref())
            .map_err(self.disk(&shown_in_store(&path)))?;
        let is_mine = meta.is_some_and(|meta| meta.is_mine);
        // Killed before the record was written: nothing had been changed yet.
        if meta.is_none() {
            return Ok(None);
        }
        let bytes = store
            .read(path.as_ref(), LARGEST_RECORD)
            .map_err(self.disk(&shown_in_store(&path)))?;
        let (record, sealed) =
            seal::opened::<Record>(&bytes).map_err(|error| Error::BadJournal {
                path: self.path_in(number, RECORD),
                said: error.to_string(),
            })?;
        Ok(Some(Known {
            number,
            record,
            own: sealed && is_mine,
        }))
    }

    fn put(&self, store: &Root, number: u32, record: &Record) -> Result<()> {
        let path = in_entry(number, RECORD);
        let text = seal::sealed(record).map_err(|error| Error::BadJournal {
            path: self.path_in(number, RECORD),
            said: error.to_string(),
        })?;
        crate::disk::replace(store, path.as_ref(), &text).map_err(self.disk(&shown_in_store(&path)))
    }

    /// Where something of an entry lies, for git and for people.
    fn path_in(&self, number: u32, name: &str) -> PathBuf {
        self.repository
            .git_folder
            .join(FOLDER)
            .join(entry(number))
            .join(name)
    }

    /// What the disk said of something in the git folder, as an error.
    fn disk(&self, path: &str) -> impl FnOnce(std::io::Error) -> Error + use<> {
        io_error_at(&self.repository.git_folder.join(path))
    }
}

/// Whether bytes are a record that this version writes, and if so, whether it is sealed with this
/// person's key.
pub fn record_in(bytes: &[u8]) -> Option<bool> {
    seal::opened::<Record>(bytes).ok().map(|(_, own)| own)
}

fn shown_in_store(path: &BString) -> String {
    format!("{FOLDER}/{path}")
}

/// The numbers of the entries, the oldest first.
fn numbers(store: &Root) -> Result<Vec<u32>> {
    let listed = store
        .list(BStr::new(""))
        .map_err(io_error_at(store.path()))?;
    let number = |name: &BString| {
        std::str::from_utf8(name)
            .ok()
            .filter(|name| name.len() == 6)?
            .parse::<u32>()
            .ok()
    };
    let mut numbers: Vec<u32> = listed.iter().filter_map(|(name, _)| number(name)).collect();
    numbers.sort_unstable();
    Ok(numbers)
}

/// The folder of an entry.
fn entry(number: u32) -> String {
    format!("{number:06}")
}

/// Something in the folder of an entry, from the store.
fn in_entry(number: u32, name: &str) -> BString {
    format!("{}/{name}", entry(number)).into()
}
