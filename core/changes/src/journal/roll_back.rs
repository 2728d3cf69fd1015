//! Taking changes back.

#![allow(
    clippy::disallowed_methods,
    reason = "copies of the index, which git reads and writes by their paths"
)]

use super::change::hash;
use super::file::{FileStatus, FileTransaction};
use super::record::{IndexRecord, Record, RecordState};
use super::{Entry, FOLDER, Journal, Known, in_entry};
use crate::disk::{crash_point, io_error_at};
use crate::journal::Area;
use crate::{EditedSince, Error, Result};
use bstr::{BString, ByteSlice};
use redshank_files::{Put, Root};
use redshank_git::{Entry as IndexEntry, Taken};
use std::collections::HashSet;
use std::path::PathBuf;

/// The folder of the working tree that holds nothing but files of ours.
const OWN_FOLDER: &str = ".redshank";

/// What is done about a file that somebody changed after the change that is to be undone.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum IfEdited {
    /// Nothing is undone at all.
    Refuse,
    /// It stays as it is now; all else is undone.
    Keep,
    /// It gets back what it held; what it holds now is kept in the journal.
    Replace,
}

/// What taking a change back came to.
#[derive(Debug)]
pub struct Undone {
    /// The change, as the journal lists it.
    pub entry: Entry,
    /// What is not as it was before it.
    pub left: Vec<NotRestored>,
}

/// Something that is not as it was before a change, though that was undone.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NotRestored {
    /// Relative to the top; of a person's own file, absolute.
    pub path: BString,
    /// How the file is now.
    pub how: StandsAs,
}

/// How something stands that is not as it was.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum StandsAs {
    /// As somebody made it since; what it held before is kept there, if it was there.
    Edited(Option<PathBuf>),
    /// It holds again what it held; what it held last is kept there.
    Replaced(PathBuf),
    /// With other permissions, which somebody gave it since.
    OtherMode,
    /// Its entry in git's index was not put back.
    NotStaged(Taken),
}

impl Journal<'_> {
    /// Undoes a change; without a number, the newest of this person's own that was not
    /// undone yet. Files and index are as they were, byte for byte; if the index was changed since
    /// by others, only the entries that were taken out come back, where their place is free.
    ///
    /// # Errors
    /// If there is nothing to undo, a later change touches the same, or a file was changed
    /// since and `if_edited` refuses (then nothing is touched).
    pub fn undo(&self, number: Option<u32>, if_edited: IfEdited) -> Result<Undone> {
        let Some((store, _lock)) = self.lock()? else {
            return Err(Error::NothingToUndo);
        };
        let mut known = self.find(number)?;
        let number = known.number;
        self.check_last(number, &known.record)?;
        // Somebody else's record could put a program where git runs it.
        if !known.own
            && known
                .record
                .files
                .iter()
                .any(|file| file.area != Area::Worktree)
        {
            return Err(Error::ForeignRecord { number });
        }
        let entry = known.entry();
        let left = self.roll_back(&store, number, &mut known.record, if_edited)?;
        Ok(Undone { entry, left })
    }

    /// Undoes a change of this person's own that was cut short, if there is one.
    ///
    /// # Errors
    /// If it can't be undone.
    pub fn recover(&self) -> Result<Option<Undone>> {
        if self.cut_short()?.is_none() {
            return Ok(None);
        }
        // Another Redshank may be making it; it ends before this one goes on.
        let Some((store, _lock)) = self.lock()? else {
            return Ok(None);
        };
        let Some(entry) = self.cut_short()? else {
            return Ok(None);
        };
        let Known {
            number, mut record, ..
        } = self.find(Some(entry.number))?;
        let left = self
            .roll_back(&store, number, &mut record, IfEdited::Refuse)
            .map_err(|error| match error {
                Error::ChangedSince { files, .. } => Error::CutShortAndEdited {
                    number,
                    command: record.command.clone(),
                    files,
                },
                other => other,
            })?;
        Ok(Some(Undone { entry, left }))
    }

    /// Undoes what a record says, as far as it was done.
    pub(super) fn roll_back(
        &self,
        store: &Root,
        number: u32,
        record: &mut Record,
        if_edited: IfEdited,
    ) -> Result<Vec<NotRestored>> {
        let is_begun = record.state == RecordState::Begun;
        let mut transactions = Vec::new();
        for (nth, file) in record.files.iter().enumerate() {
            let transaction =
                FileTransaction::from_record(self.worktree, store, (number, nth), file)?;
            let status = transaction.status(is_begun)?;
            transaction.check_saved(&status)?;
            transactions.push((file, transaction, status));
        }
        let mut edited = Vec::new();
        for (_, transaction, status) in &transactions {
            if matches!(status, FileStatus::Edited) {
                edited.push(EditedSince {
                    path: transaction.shown(),
                    kept: transaction.saved_shown(),
                });
            }
        }
        let mut away = Vec::new();
        for (nth, path) in record.moved.iter().enumerate() {
            away.extend(self.moved_away(store, (number, nth), path)?);
        }
        let in_the_way = away.iter().filter(|moved| moved.is_taken);
        edited.extend(in_the_way.map(|moved| EditedSince {
            path: self.worktree.path(moved.bare.as_bstr()),
            kept: Some(moved.shown.clone()),
        }));
        if if_edited == IfEdited::Refuse && !edited.is_empty() {
            return Err(Error::ChangedSince {
                number,
                files: edited,
            });
        }
        let mut left = match &record.index {
            Some(index) => self.put_back_index(number, index)?,
            None => Vec::new(),
        };
        for moved in &away {
            left.extend(self.move_back(store, number, moved, if_edited)?);
        }
        for change in &record.modes {
            // Whoever set them otherwise since, or took the file away, meant it.
            match self.mode_at(change)? {
                Some(now) if now == change.after => self.set_mode(change, change.before)?,
                Some(now) if now == change.before => {}
                _ => left.push(NotRestored {
                    path: change.path.clone(),
                    how: StandsAs::OtherMode,
                }),
            }
        }
        for (file, transaction, status) in &transactions {
            let how = match (status, if_edited) {
                (FileStatus::AsBefore, _) => None,
                (FileStatus::AsWritten, _) => {
                    transaction.revert()?;
                    None
                }
                (FileStatus::Edited, IfEdited::Replace) => {
                    Some(StandsAs::Replaced(transaction.force_revert()?))
                }
                (FileStatus::Edited, _) => Some(StandsAs::Edited(transaction.saved_shown())),
            };
            left.extend(how.map(|how| NotRestored {
                path: file.path.clone(),
                how,
            }));
        }
        for (_, transaction, _) in &transactions {
            transaction.clear()?;
        }
        // Our own folder, if nothing is left in it; else the disk refuses.
        let _ = self.worktree.root.remove_folder(OWN_FOLDER.into());
        record.state = RecordState::Undone;
        self.put(store, number, record)?;
        Ok(left)
    }

    /// # Errors
    /// If a later change that isn't undone touches a path that this one does.
    fn check_last(&self, number: u32, record: &Record) -> Result<()> {
        let mine: HashSet<BString> = record.paths().collect();
        let within =
            |outer: &BString, inner: &BString| outer.ends_with(b"/") && inner.starts_with(outer);
        let folders: Vec<&BString> = mine.iter().filter(|path| path.ends_with(b"/")).collect();
        let later = self
            .records()?
            .into_iter()
            .filter(|known| known.number > number && known.own);
        for Known {
            number: later,
            record: other,
            ..
        } in later.filter(|known| known.record.state != RecordState::Undone)
        {
            let shared = other.paths().find(|path| {
                mine.contains(path)
                    || folders.iter().any(|folder| within(folder, path))
                    || path.ends_with(b"/") && mine.iter().any(|own| within(path, own))
            });
            if let Some(path) = shared {
                return Err(Error::ChangedLater {
                    number,
                    later,
                    command: other.command,
                    path,
                });
            }
        }
        Ok(())
    }

    /// What was moved away and still is.
    fn moved_away(
        &self,
        store: &Root,
        (number, nth): (u32, usize),
        path: &BString,
    ) -> Result<Option<Moved>> {
        let (root, bare) = Area::Worktree.open(
            self.worktree,
            path.strip_suffix(b"/").unwrap_or(path).as_bstr(),
        )?;
        let saved = in_entry(number, &format!("moved-{nth}"));
        let shown = self.path_in(number, &format!("moved-{nth}"));
        if !store.is_there(saved.as_bstr()) {
            return Ok(None);
        }
        let is_taken = root.is_there(bare.as_bstr());
        Ok(Some(Moved {
            nth,
            bare,
            saved,
            shown,
            is_taken,
        }))
    }

    fn move_back(
        &self,
        store: &Root,
        number: u32,
        moved: &Moved,
        if_edited: IfEdited,
    ) -> Result<Option<NotRestored>> {
        let (root, bare) = (&self.worktree.root, moved.bare.as_bstr());
        let disk = |error| io_error_at(&self.worktree.path(bare))(error);
        let left = |how| {
            Ok(Some(NotRestored {
                path: moved.bare.clone(),
                how,
            }))
        };
        if moved.is_taken && if_edited == IfEdited::Keep {
            return left(StandsAs::Edited(Some(moved.shown.clone())));
        }
        if let Some(slash) = bare.rfind_byte(b'/') {
            root.create_folders(bare[..slash].as_bstr()).map_err(disk)?;
        }
        crash_point();
        if moved.is_taken {
            let name = format!("moved-edited-{}", moved.nth);
            root.rename(bare, (store, in_entry(number, &name).as_bstr()), Put::Free)
                .map_err(disk)?;
        }
        match store.rename(moved.saved.as_bstr(), (root, bare), Put::Free) {
            Err(error) if error.kind() == std::io::ErrorKind::Unsupported => {
                store
                    .rename(moved.saved.as_bstr(), (root, bare), Put::Over)
                    .map_err(disk)?;
            }
            renamed => renamed.map_err(disk)?,
        }
        crash_point();
        root.sync_parent(bare).map_err(disk)?;
        store
            .sync_parent(moved.saved.as_bstr())
            .map_err(self.disk(FOLDER))?;
        if moved.is_taken {
            left(StandsAs::Replaced(
                self.path_in(number, &format!("moved-edited-{}", moved.nth)),
            ))
        } else {
            Ok(None)
        }
    }

    /// Puts back what was taken out of the index; returns the entries whose place is taken by now.
    fn put_back_index(&self, number: u32, index: &IndexRecord) -> Result<Vec<NotRestored>> {
        let [saved, new, back] =
            ["index", "index-new", "index-back"].map(|name| self.path_in(number, name));
        self.repository
            .unlock_own(&[saved.clone(), new, back.clone()])?;
        let is = self.index_hash()?;
        if is.as_ref() == Some(&index.before) {
            return Ok(Vec::new());
        }
        let entries: Vec<IndexEntry> = index.entries.iter().map(IndexEntry::from).collect();
        let missing = self
            .repository
            .missing(entries.iter().filter_map(|entry| entry.blob()))?;
        let pack = self.path_in(number, "objects.pack");
        let mut is_whole = missing.is_empty();
        if !is_whole && pack.exists() {
            self.repository.unpack(&pack)?;
            is_whole = self
                .repository
                .missing(missing.iter().map(String::as_str))?
                .is_empty();
        }
        // The parts of a split index that are elsewhere may be gone by now, and the saved one is
        // only what it was.
        let is_sound = || std::fs::read(&saved).is_ok_and(|bytes| hash(&bytes) == index.before);
        let is_own = is.as_ref() == Some(&index.written) && is_whole && is_sound();
        let unchanged = |hash: &Option<String>| {
            crash_point();
            self.index_hash().is_ok_and(|is| is == *hash)
        };
        if is_own && self.repository.can_read_index(&saved) {
            let written = Some(index.written.clone());
            if self.repository.put_index(&saved, |_| unchanged(&written))? {
                return Ok(Vec::new());
            }
        }
        for _ in 0..TRIES {
            let now = self.index_hash()?;
            let left = self.repository.index_with(&entries, &back)?;
            if self.repository.put_index(&back, |_| unchanged(&now))? {
                let _ = std::fs::remove_file(&back);
                return Ok(left
                    .into_iter()
                    .map(|one| NotRestored {
                        path: one.path,
                        how: StandsAs::NotStaged(one.why),
                    })
                    .collect());
            }
        }
        Err(Error::IndexMoved)
    }
}

/// How often the index is read again when others keep changing it.
const TRIES: u32 = 5;

/// Something that was moved away.
struct Moved {
    nth: usize,
    /// Where it belongs, without a slash at its end.
    bare: BString,
    /// Where it is, from the store.
    saved: BString,
    /// The same, for people.
    shown: PathBuf,
    /// Something else lies where it belongs.
    is_taken: bool,
}
