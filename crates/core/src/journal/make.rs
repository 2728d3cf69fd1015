//! Making changes.

use super::record::{FileRecord, IndexRecord, MoveRecord, Record, Schema, Stage};
use super::{Changes, Journal, hash, kept_as};
use crate::disk::{boundary, keep, move_to, prepare, private_folder, put_in_place, refused, replace};
use crate::rules::IGNORE_FILE;
use crate::tree::Place;
use crate::{Error, Result};
use bstr::{BStr, ByteSlice};
use std::path::Path;
use std::time::{SystemTime, UNIX_EPOCH};

impl Journal<'_> {
    /// Makes changes, after what they replace is safe. If one of them can't be made, all are taken back.
    ///
    /// # Errors
    /// If the way back can't be saved or a change can't be made; all is as it was then, or the error says what isn't.
    pub fn apply(&self, command: &str, changes: &Changes) -> Result<()> {
        private_folder(&self.folder)?;
        let _alone = self.alone()?;
        if let Some(cut_short) = self.cut_short()? {
            return Err(Error::CutShort { number: cut_short.number, command: cut_short.command });
        }
        let number = self.numbers()?.last().map_or(1, |last| last + 1);
        let folder = self.entry(number);
        private_folder(&folder)?;
        let saved = self.saved(number, &folder, command, changes).and_then(|record| {
            self.put(&folder, &record)?;
            Ok(record)
        });
        let mut record = match saved {
            Ok(record) => record,
            Err(error) => {
                // Nothing was changed yet; what can't be cleared away does no harm.
                let _ = self.repository.let_go_of_contents(&kept_as(number));
                let _ = std::fs::remove_dir_all(&folder);
                return Err(error);
            }
        };
        let made = self.make(&folder, &record).and_then(|()| {
            record.state = Stage::Done;
            self.put(&folder, &record)
        });
        if let Err(error) = made {
            record.state = Stage::Begun;
            return Err(match self.take_back(number, &mut record) {
                Ok(()) => error,
                Err(also) => Error::HalfDone { number, error: error.to_string(), also: also.to_string() },
            });
        }
        if let Some(index) = &record.index {
            // It has another name now, the index's own.
            let _ = std::fs::remove_file(folder.join(&index.new));
        }
        Ok(())
    }

    /// Saves what the changes will replace; gives the record of it.
    fn saved(&self, number: u32, folder: &Path, command: &str, changes: &Changes) -> Result<Record> {
        let mut files = Vec::new();
        for (nth, (path, contents)) in changes.writes.iter().enumerate() {
            let on_disk = self.place.path(path.as_bstr());
            let is_there = std::fs::symlink_metadata(&on_disk).is_ok();
            let saved = is_there.then(|| format!("file-{nth}"));
            if let Some(name) = &saved {
                keep(&on_disk, &folder.join(name))?;
            }
            prepare(&on_disk, contents, &folder.join(prepared(nth)))?;
            files.push(FileRecord { path: path.clone(), saved, written: hash(contents) });
        }
        let moved = changes.moved.iter().enumerate();
        let moved = moved.map(|(nth, path)| MoveRecord { path: path.clone(), saved: format!("moved-{nth}") }).collect();
        let index = if changes.untracked.is_empty() { None } else { Some(self.saved_index(number, folder, changes)?) };
        let time = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default().as_secs();
        Ok(Record { schema: Schema::One, command: command.to_owned(), time, state: Stage::Begun, files, moved, index })
    }

    fn saved_index(&self, number: u32, folder: &Path, changes: &Changes) -> Result<IndexRecord> {
        let index = self.repository.index()?;
        let known = changes.untracked.iter().filter_map(|path| index.get(path.as_bstr()));
        let entries: Vec<_> = known.map(|entry| entry.info()).collect();
        self.repository.keep_contents(&kept_as(number), entries.iter().map(|entry| entry.as_bstr()))?;
        let (saved, new) = ("index".to_owned(), "index-new".to_owned());
        keep(&self.repository.index_file()?, &folder.join(&saved))?;
        boundary();
        let without = folder.join(&new);
        self.repository.index_without(changes.untracked.iter().map(|path| path.as_bstr()), &without)?;
        let written = hash(&std::fs::read(&without).map_err(refused(&without))?);
        Ok(IndexRecord { saved, new, written, entries })
    }

    fn make(&self, folder: &Path, record: &Record) -> Result<()> {
        if let Some(index) = &record.index {
            let saved = folder.join(&index.saved);
            let was = hash(&std::fs::read(&saved).map_err(refused(&saved))?);
            let is_as_saved = |_: &Path| {
                boundary();
                self.index_hash().is_ok_and(|is| is == Some(was))
            };
            if !self.repository.put_index(&folder.join(&index.new), is_as_saved)? {
                return Err(Error::IndexMoved);
            }
        }
        for moved in &record.moved {
            let bare = moved.path.strip_suffix(b"/").unwrap_or(&moved.path).as_bstr();
            move_to(&self.place.path(bare), &folder.join(&moved.saved))?;
        }
        let mut files = record.files.iter().enumerate();
        files.try_for_each(|(nth, file)| {
            put_in_place(&folder.join(prepared(nth)), &self.place.path(file.path.as_bstr()))
        })
    }
}

/// Where a file's new contents are before they take its place.
fn prepared(nth: usize) -> String {
    format!("new-{nth}")
}

/// Writes the ignore file at the top of a place that has no journal. Only adding is allowed there: every line that stood
/// must still stand.
///
/// # Errors
/// If the disk refuses.
pub fn write_without_journal(place: &Place, contents: &[u8]) -> Result<()> {
    replace(&place.path(BStr::new(IGNORE_FILE)), contents)
}
