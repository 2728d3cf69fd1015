//! Taking changes back.

use super::record::{FileRecord, IndexRecord, MoveRecord, Record, Stage};
use super::{Done, Journal, RECORD, hash, kept_as};
use crate::disk::{boundary, bring_back, move_to, read_if_there, refused};
use crate::{Error, Result};
use bstr::{BString, ByteSlice};
use std::collections::HashSet;
use std::path::{Path, PathBuf};

impl Journal<'_> {
    /// Takes a change back; the newest that was not taken back yet, without a number. Files and index are as they were, byte
    /// for byte; if the index was changed since by others, only the entries that were taken out come back.
    ///
    /// # Errors
    /// If there is nothing to take back, a later change touches the same, or a file was changed since (then nothing is
    /// touched).
    pub fn undo(&self, number: Option<u32>) -> Result<Done> {
        let _alone = self.alone()?;
        let (number, mut record) = self.find(number)?;
        self.check_last(number, &record)?;
        let was = Done::of(number, &record);
        self.take_back(number, &mut record)?;
        Ok(was)
    }

    /// Takes back a change that was cut short, if there is one.
    ///
    /// # Errors
    /// If it can't be taken back.
    pub fn settle(&self) -> Result<Option<Done>> {
        match self.cut_short()? {
            // Another Redshank may be making it; it ends before this one goes on.
            Some(_) => {
                let _alone = self.alone()?;
                let Some(done) = self.cut_short()? else { return Ok(None) };
                let (_, mut record) = self.find(Some(done.number))?;
                self.take_back(done.number, &mut record)?;
                Ok(Some(done))
            }
            None => Ok(None),
        }
    }

    /// Takes back what a record says, as far as it was done.
    pub(super) fn take_back(&self, number: u32, record: &mut Record) -> Result<()> {
        let folder = self.entry(number);
        record.files.iter().try_for_each(|file| self.check_unchanged(&folder, file))?;
        record.moved.iter().try_for_each(|moved| self.check_free(&folder, moved))?;
        if let Some(index) = &record.index {
            self.put_back_index(&folder, index)?;
        }
        record.moved.iter().try_for_each(|moved| self.move_back(&folder, moved))?;
        record.files.iter().try_for_each(|file| self.put_back(&folder, file))?;
        record.state = Stage::Undone;
        self.put(&folder, record)?;
        if record.index.is_some() {
            self.repository.let_go_of_contents(&kept_as(number))?;
        }
        Ok(())
    }

    /// # Errors
    /// If a later change that stands touches a path that this one does.
    fn check_last(&self, number: u32, record: &Record) -> Result<()> {
        let mine: HashSet<BString> = record.paths().collect();
        let within = |outer: &BString, inner: &BString| outer.ends_with(b"/") && inner.starts_with(outer);
        let folders: Vec<&BString> = mine.iter().filter(|path| path.ends_with(b"/")).collect();
        let touches = |path: &BString| {
            mine.contains(path)
                || folders.iter().any(|folder| within(folder, path))
                || path.ends_with(b"/") && mine.iter().any(|own| within(path, own))
        };
        for (later, other) in self.records()?.into_iter().filter(|(later, _)| *later > number) {
            let shared = other.paths().find(touches).filter(|_| other.state != Stage::Undone);
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
        let saved = file.saved.as_ref().map(|name| folder.join(name));
        let before = match &saved {
            Some(saved) => Some(std::fs::read(saved).map_err(refused(saved))?),
            None => None,
        };
        if now.as_deref().map(hash).as_ref() == Some(&file.written) || now == before {
            return Ok(());
        }
        Err(Error::ChangedSince { path, saved: saved.unwrap_or_else(|| folder.join(RECORD)) })
    }

    fn put_back(&self, folder: &Path, file: &FileRecord) -> Result<()> {
        let path = self.place.path(file.path.as_bstr());
        boundary();
        match &file.saved {
            Some(name) => bring_back(&folder.join(name), &folder.join("back"), &path),
            None if path.exists() => std::fs::remove_file(&path).map_err(refused(&path)),
            None => Ok(()),
        }
    }

    /// Where a file or folder was moved to, if it was, and where it belongs.
    fn moved(&self, folder: &Path, moved: &MoveRecord) -> Option<(PathBuf, PathBuf)> {
        let saved = folder.join(&moved.saved);
        let bare = moved.path.strip_suffix(b"/").unwrap_or(&moved.path).as_bstr();
        std::fs::symlink_metadata(&saved).is_ok().then(|| (saved, self.place.path(bare)))
    }

    /// # Errors
    /// If something else lies now where a file or folder is to come back.
    fn check_free(&self, folder: &Path, moved: &MoveRecord) -> Result<()> {
        match self.moved(folder, moved) {
            Some((saved, path)) if std::fs::symlink_metadata(&path).is_ok() => Err(Error::InTheWay { path, saved }),
            _ => Ok(()),
        }
    }

    fn move_back(&self, folder: &Path, moved: &MoveRecord) -> Result<()> {
        let Some((saved, path)) = self.moved(folder, moved) else { return Ok(()) };
        if let Some(above) = path.parent() {
            std::fs::create_dir_all(above).map_err(refused(above))?;
        }
        move_to(&saved, &path)
    }

    fn put_back_index(&self, folder: &Path, index: &IndexRecord) -> Result<()> {
        let (saved, new) = (folder.join(&index.saved), folder.join(&index.new));
        self.repository.unlock_own(&[saved.clone(), new])?;
        let before = hash(&std::fs::read(&saved).map_err(refused(&saved))?);
        let is = self.index_hash()?;
        if is.as_ref() == Some(&before) {
            return Ok(());
        }
        // The parts of a split index that lie elsewhere may be gone by now.
        let is_own = is.as_ref() == Some(&index.written) && self.repository.can_read_index(&saved);
        let unchanged = |_: &Path| {
            boundary();
            self.index_hash().is_ok_and(|is| is.as_ref() == Some(&index.written))
        };
        if !is_own || !self.repository.put_index(&saved, unchanged)? {
            self.repository.put_entries(index.entries.iter().map(|entry| entry.as_bstr()))?;
        }
        Ok(())
    }
}
