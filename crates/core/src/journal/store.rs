//! The journal on disk, making changes, and taking them back.

use super::Changes;
use super::record::{FileRecord, IndexRecord, Record, Schema, Stage};
use crate::disk::{private_folder, read_if_there, refused, replace, write_new};
use crate::rules::IGNORE_FILE;
use crate::tree::Place;
use crate::{Error, Result};
use bstr::{BStr, BString, ByteSlice};
use redshank_git::Repository;
use std::collections::HashSet;
use std::fs::File;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime, UNIX_EPOCH};

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
    /// How many paths were taken out of the index.
    pub untracked: usize,
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

    /// Makes changes, after what they replace is safe.
    ///
    /// # Errors
    /// If the way back can't be saved (nothing is changed then), or a change can't be made (`undo` takes back the rest).
    pub fn apply(&self, command: &str, changes: &Changes) -> Result<()> {
        let number = self.numbers()?.last().map_or(1, |last| last + 1);
        let folder = self.entry(number);
        private_folder(&folder)?;
        let mut record = self.saved(&folder, command, changes)?;
        self.put(&folder, &record)?;
        if let Some(index) = &mut record.index {
            self.repository.stop_tracking(changes.untracked.iter().map(|path| path.as_bstr()))?;
            index.written = self.index_bytes()?.map(|bytes| hash(&bytes));
            self.put(&folder, &record)?;
        }
        for (path, contents) in &changes.writes {
            replace(&self.place.path(path.as_bstr()), contents)?;
        }
        record.state = Stage::Done;
        self.put(&folder, &record)
    }

    /// Saves what the changes will replace; gives the record of it.
    fn saved(&self, folder: &Path, command: &str, changes: &Changes) -> Result<Record> {
        let mut files = Vec::new();
        for (nth, (path, contents)) in changes.writes.iter().enumerate() {
            let on_disk = self.place.path(path.as_bstr());
            let old = read_if_there(&on_disk)?;
            let modified = std::fs::symlink_metadata(&on_disk).and_then(|found| found.modified()).ok();
            let saved = old.as_ref().map(|_| format!("file-{nth}"));
            if let (Some(old), Some(name)) = (&old, &saved) {
                write_new(&folder.join(name), old)?;
            }
            files.push(FileRecord {
                path: path.clone(),
                saved,
                written: hash(contents),
                modified: modified.map(nanoseconds),
            });
        }
        let index = if changes.untracked.is_empty() { None } else { Some(self.saved_index(folder, changes)?) };
        let time = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default().as_secs();
        Ok(Record { schema: Schema::One, command: command.to_owned(), time, state: Stage::Begun, files, index })
    }

    fn saved_index(&self, folder: &Path, changes: &Changes) -> Result<IndexRecord> {
        let index = self.repository.index()?;
        let entries = changes.untracked.iter().filter_map(|path| Some(index.get(path.as_bstr())?.info())).collect();
        let bytes = self.index_bytes()?;
        let saved = bytes.as_ref().map(|_| "index".to_owned());
        if let (Some(bytes), Some(name)) = (bytes, &saved) {
            write_new(&folder.join(name), &bytes)?;
        }
        Ok(IndexRecord { saved, written: None, entries })
    }

    /// All changes, the oldest first.
    ///
    /// # Errors
    /// If the journal can't be read.
    pub fn list(&self) -> Result<Vec<Done>> {
        Ok(self.records()?.iter().map(|(number, record)| done(*number, record)).collect())
    }

    /// What undoing that change would take back; the newest that was not taken back yet, without a number.
    ///
    /// # Errors
    /// If there is nothing, or the journal can't be read.
    pub fn at(&self, number: Option<u32>) -> Result<Done> {
        let (number, record) = self.find(number)?;
        Ok(done(number, &record))
    }

    /// Takes a change back; the newest that was not taken back yet, without a number. Files and index are as they were, byte
    /// for byte; if the index was changed since by others, only the entries that were taken out come back.
    ///
    /// # Errors
    /// If there is nothing to take back, a later change touches the same, or a file was changed since (then nothing is
    /// touched).
    pub fn undo(&self, number: Option<u32>) -> Result<Done> {
        let (number, mut record) = self.find(number)?;
        let folder = self.entry(number);
        self.check_last(number, &record)?;
        for file in &record.files {
            self.check_unchanged(&folder, file)?;
        }
        if let Some(index) = &record.index {
            self.put_back_index(&folder, index)?;
        }
        for file in &record.files {
            self.put_back(&folder, file)?;
        }
        let was = done(number, &record);
        record.state = Stage::Undone;
        self.put(&folder, &record)?;
        Ok(was)
    }

    /// Forgets all changes and frees what was kept of them. Nothing of them can be taken back then.
    ///
    /// # Errors
    /// If the disk refuses.
    pub fn forget(&self) -> Result<()> {
        match std::fs::remove_dir_all(&self.folder) {
            Err(error) if error.kind() != std::io::ErrorKind::NotFound => Err(refused(&self.folder)(error)),
            _ => Ok(()),
        }
    }

    /// # Errors
    /// If a later change that stands touches a path that this one does.
    fn check_last(&self, number: u32, record: &Record) -> Result<()> {
        let mine: HashSet<BString> = record.paths().collect();
        for (later, other) in self.records()?.into_iter().filter(|(later, _)| *later > number) {
            let shared = other.paths().find(|path| mine.contains(path)).filter(|_| other.state != Stage::Undone);
            if let Some(path) = shared {
                return Err(Error::ChangedLater { number, later, command: other.command, path });
            }
        }
        Ok(())
    }

    /// # Errors
    /// If the file holds neither what was written nor what it held before.
    fn check_unchanged(&self, folder: &Path, file: &FileRecord) -> Result<()> {
        let path = self.place.path(file.path.as_bstr());
        let now = read_if_there(&path)?;
        let before = self.saved_bytes(folder, file)?;
        if now.as_deref().map(hash).as_ref() == Some(&file.written) || now == before {
            return Ok(());
        }
        let saved = file.saved.as_ref().map_or_else(|| folder.join(RECORD), |name| folder.join(name));
        Err(Error::ChangedSince { path, saved })
    }

    fn put_back(&self, folder: &Path, file: &FileRecord) -> Result<()> {
        let path = self.place.path(file.path.as_bstr());
        match self.saved_bytes(folder, file)? {
            Some(bytes) => {
                replace(&path, &bytes)?;
                if let Some(time) = file.modified {
                    let then = UNIX_EPOCH + Duration::from_nanos(time);
                    File::options()
                        .write(true)
                        .open(&path)
                        .and_then(|file| file.set_modified(then))
                        .map_err(refused(&path))?;
                }
                Ok(())
            }
            None if path.exists() => std::fs::remove_file(&path).map_err(refused(&path)),
            None => Ok(()),
        }
    }

    fn saved_bytes(&self, folder: &Path, file: &FileRecord) -> Result<Option<Vec<u8>>> {
        let Some(name) = &file.saved else {
            return Ok(None);
        };
        let path = folder.join(name);
        std::fs::read(&path).map(Some).map_err(refused(&path))
    }

    fn put_back_index(&self, folder: &Path, index: &IndexRecord) -> Result<()> {
        let now = self.index_bytes()?.map(|bytes| hash(&bytes));
        if now.is_some() && now == index.written {
            let saved = match &index.saved {
                Some(name) => Some(std::fs::read(folder.join(name)).map_err(refused(&folder.join(name)))?),
                None => None,
            };
            self.repository.put_index(saved.as_deref())?;
        } else {
            self.repository.put_entries(index.entries.iter().map(|entry| entry.as_bstr()))?;
        }
        Ok(())
    }

    fn index_bytes(&self) -> Result<Option<Vec<u8>>> {
        read_if_there(&self.repository.index_file()?)
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
}

fn done(number: u32, record: &Record) -> Done {
    Done {
        number,
        time: record.time,
        undone: record.state == Stage::Undone,
        command: record.command.clone(),
        cut_short: record.state == Stage::Begun,
        files: record.files.iter().map(|file| file.path.clone()).collect(),
        untracked: record.index.as_ref().map_or(0, |index| index.entries.len()),
    }
}

/// Writes the ignore file at the top of a place that has no journal. Only adding is allowed there: every line that stood
/// must still stand.
///
/// # Errors
/// If the disk refuses.
pub fn write_without_journal(place: &Place, contents: &[u8]) -> Result<()> {
    replace(&place.path(BStr::new(IGNORE_FILE)), contents)
}

fn hash(bytes: &[u8]) -> String {
    blake3::hash(bytes).to_hex().to_string()
}

fn nanoseconds(time: SystemTime) -> u64 {
    time.duration_since(UNIX_EPOCH).map_or(0, |since| since.as_nanos() as u64)
}
