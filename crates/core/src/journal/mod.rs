//! Changes, and the way back. Before anything is changed, all that is needed to take it back is safe on disk, in the git
//! folder, where nothing of it is ever tracked.

mod make;
mod record;
mod take_back;

pub use make::write_without_journal;

use crate::disk::{read_if_there, refused, replace};
use crate::tree::Place;
use crate::{Error, Result};
use bstr::BString;
use record::{Record, Stage};
use redshank_git::Repository;
use std::fs::File;
use std::path::{Path, PathBuf};

/// Changes to be made.
#[derive(Debug, Default, Clone, PartialEq, Eq)]
pub struct Changes {
    /// Files to write, relative to the top, with what they are to hold.
    pub writes: Vec<(BString, Vec<u8>)>,
    /// Files and folders to move out of the way, into the journal; a folder ends in a slash.
    pub moved: Vec<BString>,
    /// Paths to take out of git's index.
    pub untracked: Vec<BString>,
}

impl Changes {
    /// Changes that only write files.
    pub fn of_files(writes: Vec<(BString, Vec<u8>)>) -> Self {
        Self { writes, ..Self::default() }
    }

    /// Whether there is nothing to do.
    pub fn is_empty(&self) -> bool {
        self.writes.is_empty() && self.moved.is_empty() && self.untracked.is_empty()
    }

    /// The paths that they touch, on disk or in the index.
    pub fn paths(&self) -> impl Iterator<Item = &BString> {
        self.writes.iter().map(|(path, _)| path).chain(&self.moved).chain(&self.untracked)
    }
}

const RECORD: &str = "record.json";

/// The journal of a repository.
pub struct Journal<'a> {
    place: &'a Place,
    repository: &'a Repository,
    folder: PathBuf,
}

/// What was done, or taken back.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Done {
    /// Its number in the journal.
    pub number: u32,
    /// When, in seconds since 1970.
    pub time: u64,
    /// It was taken back.
    pub undone: bool,
    /// The command that had done it.
    pub command: String,
    /// It had been cut short.
    pub cut_short: bool,
    /// The files written.
    pub files: Vec<BString>,
    /// Those of them that were not there before.
    pub created: Vec<BString>,
    /// The files and folders moved out of the way; a folder ends in a slash.
    pub moved: Vec<BString>,
    /// How many paths were taken out of the index.
    pub untracked: usize,
}

impl Done {
    fn of(number: u32, record: &Record) -> Self {
        let created = record.files.iter().filter(|file| file.saved.is_none());
        Self {
            number,
            time: record.time,
            undone: record.state == Stage::Undone,
            command: record.command.clone(),
            cut_short: record.state == Stage::Begun,
            files: record.files.iter().map(|file| file.path.clone()).collect(),
            created: created.map(|file| file.path.clone()).collect(),
            moved: record.moved.iter().map(|moved| moved.path.clone()).collect(),
            untracked: record.index.as_ref().map_or(0, |index| index.entries.len()),
        }
    }
}

impl<'a> Journal<'a> {
    /// The journal of a place.
    ///
    /// # Errors
    /// If the place is not a repository.
    pub fn of(place: &'a Place) -> Result<Self> {
        let Some(repository) = &place.repository else {
            let what = "the journal that makes undo possible lies in the git folder";
            return Err(Error::NoRepository { top: place.top.clone(), what });
        };
        Ok(Self { place, repository, folder: repository.git_folder.join("redshank").join("journal") })
    }

    /// All changes, the oldest first.
    ///
    /// # Errors
    /// If the journal can't be read.
    pub fn list(&self) -> Result<Vec<Done>> {
        Ok(self.records()?.iter().map(|(number, record)| Done::of(*number, record)).collect())
    }

    /// What undoing that change would take back; the newest that was not taken back yet, without a number.
    ///
    /// # Errors
    /// If there is nothing, or the journal can't be read.
    pub fn at(&self, number: Option<u32>) -> Result<Done> {
        let (number, record) = self.find(number)?;
        Ok(Done::of(number, &record))
    }

    /// The change that was cut short and not taken back yet.
    ///
    /// # Errors
    /// If the journal can't be read.
    pub fn cut_short(&self) -> Result<Option<Done>> {
        Ok(self.list()?.into_iter().find(|done| done.cut_short))
    }

    /// Forgets all changes and frees what was kept of them. Nothing of them can be taken back then.
    ///
    /// # Errors
    /// If the disk or git refuses.
    pub fn forget(&self) -> Result<()> {
        let Some(_alone) = self.alone()? else { return Ok(()) };
        for (number, record) in self.records()? {
            if record.index.is_some() && record.state != Stage::Undone {
                self.repository.let_go_of_contents(&kept_as(number))?;
            }
        }
        std::fs::remove_dir_all(&self.folder).map_err(refused(&self.folder))
    }

    /// Waits until no other Redshank changes this repository, and keeps others waiting as long as what it gives is held.
    /// Nothing where there is no journal.
    fn alone(&self) -> Result<Option<File>> {
        match File::open(&self.folder) {
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => Ok(None),
            opened => {
                let folder = opened.map_err(refused(&self.folder))?;
                // A disk that can't do it keeps nobody waiting.
                let _ = folder.lock();
                Ok(Some(folder))
            }
        }
    }

    /// The record of that number, or the newest that was not taken back.
    fn find(&self, number: Option<u32>) -> Result<(u32, Record)> {
        let stands = |(known, record): &(u32, Record)| {
            record.state != Stage::Undone && number.is_none_or(|number| number == *known)
        };
        let mut records = self.records()?.into_iter().rev();
        records.find(stands).ok_or(number.map_or(Error::NothingToUndo, Error::NoChange))
    }

    /// All records, the oldest first.
    fn records(&self) -> Result<Vec<(u32, Record)>> {
        let mut records = Vec::new();
        for number in self.numbers()? {
            let path = self.entry(number).join(RECORD);
            // Killed before the record was written: nothing had been changed yet.
            let Some(bytes) = read_if_there(&path)? else {
                continue;
            };
            let record = serde_json::from_slice(&bytes);
            records.push((number, record.map_err(|error| Error::BadJournal { path, said: error.to_string() })?));
        }
        Ok(records)
    }

    fn numbers(&self) -> Result<Vec<u32>> {
        let listed = match std::fs::read_dir(&self.folder) {
            Ok(listed) => listed,
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(Vec::new()),
            Err(source) => return Err(refused(&self.folder)(source)),
        };
        let mut numbers: Vec<u32> =
            listed.flatten().filter_map(|entry| entry.file_name().to_str()?.parse().ok()).collect();
        numbers.sort_unstable();
        Ok(numbers)
    }

    fn entry(&self, number: u32) -> PathBuf {
        self.folder.join(format!("{number:06}"))
    }

    fn put(&self, folder: &Path, record: &Record) -> Result<()> {
        let path = folder.join(RECORD);
        let text = serde_json::to_vec_pretty(record)
            .map_err(|error| Error::BadJournal { path: path.clone(), said: error.to_string() })?;
        replace(&path, &text)
    }

    fn index_hash(&self) -> Result<Option<String>> {
        Ok(read_if_there(&self.repository.index_file()?)?.map(|bytes| hash(&bytes)))
    }
}

/// Under which name git is told to keep the contents of what a change takes out of its index.
fn kept_as(number: u32) -> String {
    format!("change-{number:06}")
}

fn hash(bytes: &[u8]) -> String {
    blake3::hash(bytes).to_hex().to_string()
}
