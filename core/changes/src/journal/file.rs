//! One file of a change as a transaction: from what it held to what it is to hold, and back; nothing
//! is lost in between, no matter who else writes to it meanwhile.
//!
//! What is to come waits in a *slot*, and changes places with what is there in one step
//! (renameat2(2), `RENAME_EXCHANGE`). What was there is in the slot then, whatever it was, and is
//! looked at: if it isn't what was read before, somebody changed it in the last moment, and the two
//! change places again. Where a disk can't do that, it is looked at just before.

use super::change::{Content, Digest, FileChange, Mode};
use super::entry;
use super::record::FileRecord;
use crate::disk::{crash_point, io_error_at, stamped_copy, sync};
use crate::{Error, Result};
use bstr::{BStr, BString, ByteSlice};
use redshank_files::{FileKind, Put, Root};
use redshank_worktree::Worktree;
use std::io::ErrorKind;
use std::path::PathBuf;

/// A file of a change, with all that is needed to go forth and back.
pub(super) struct FileTransaction<'a> {
    store: &'a Root,
    number: u32,
    nth: usize,
    root: Root,
    path: BString,
    before: Digest,
    after: Digest,
    original: Option<(u64, u64)>,
    beside: bool,
}

/// How a file is now.
pub(super) enum FileStatus {
    /// The change didn't come to it, or it is as before already.
    AsBefore,
    /// It holds what was written.
    AsWritten,
    /// Somebody changed it since.
    Edited,
}

impl<'a> FileTransaction<'a> {
    /// The transaction of a file that is to be changed: what it holds now is saved, and what it is
    /// to hold waits.
    pub(super) fn prepare(
        worktree: &Worktree,
        store: &'a Root,
        (number, nth): (u32, usize),
        change: &FileChange,
    ) -> Result<(Self, FileRecord)> {
        let (root, path) = change.area.open(worktree, change.path.as_bstr())?;
        if change.before == Content::Nothing
            && let Some(slash) = path.rfind_byte(b'/')
        {
            root.create_folders(path[..slash].as_bstr())
                .map_err(io_error_at(&shown(&root, path.as_bstr())))?;
        }
        let folder = redshank_files::Folder::open(&root, path.as_bstr())
            .and_then(|folder| folder.meta(BStr::new("")));
        let folder = folder.map_err(io_error_at(&shown(&root, path.as_bstr())))?;
        let beside = store
            .meta(BStr::new(""))
            .map_err(io_error_at(store.path()))?
            .identity
            .0
            != folder.identity.0;
        let (before, after) = (change.before.digest(), change.after.digest());
        let found = root
            .meta_if_there(path.as_bstr())
            .map_err(io_error_at(&shown(&root, path.as_bstr())))?;
        let original = found.map(|found| found.identity);
        let record = FileRecord {
            area: change.area,
            path: change.path.clone(),
            before: before.clone(),
            after: after.clone(),
            original,
            beside,
        };
        let transaction = Self {
            store,
            number,
            nth,
            root,
            path,
            before,
            after,
            original,
            beside,
        };
        transaction.save()?;
        transaction.stage_new(change)?;
        Ok((transaction, record))
    }

    /// The transaction of a file that a record tells of.
    pub(super) fn from_record(
        worktree: &Worktree,
        store: &'a Root,
        (number, nth): (u32, usize),
        file: &FileRecord,
    ) -> Result<Self> {
        let (root, path) = file.area.open(worktree, file.path.as_bstr())?;
        let (before, after) = (file.before.clone(), file.after.clone());
        let (original, beside) = (file.original, file.beside);
        Ok(Self {
            store,
            number,
            nth,
            root,
            path,
            before,
            after,
            original,
            beside,
        })
    }

    /// Where the file lies, for people.
    pub(super) fn shown(&self) -> PathBuf {
        shown(&self.root, self.path.as_bstr())
    }

    fn name(&self, what: &str) -> BString {
        format!("{}/{what}-{}", entry(self.number), self.nth).into()
    }

    /// Where the file as it was is kept.
    fn saved(&self) -> BString {
        self.name("file")
    }

    /// Where the earlier contents are kept, for people.
    pub(super) fn saved_shown(&self) -> Option<PathBuf> {
        (!self.before.is_nothing()).then(|| shown(self.store, self.saved().as_bstr()))
    }

    /// A name for what waits to take the file's place: in the journal, or beside the file if that
    /// is on another disk.
    fn slot(&self, what: &str) -> (&Root, BString) {
        if !self.beside {
            return (self.store, self.name(what));
        }
        let name_at = self.path.rfind_byte(b'/').map_or(0, |slash| slash + 1);
        let name = format!(".redshank-{}-{}-{what}", self.number, self.nth);
        (
            &self.root,
            [&self.path[..name_at], name.as_bytes()].concat().into(),
        )
    }

    fn now(&self) -> Result<Digest> {
        self.at(&self.root, self.path.as_bstr())
    }

    fn at(&self, root: &Root, path: &BStr) -> Result<Digest> {
        Ok(Content::at(root, path)
            .map_err(io_error_at(&shown(root, path)))?
            .digest())
    }

    /// Gives what the file holds a second name in the journal, if it is what it was when the change
    /// was decided.
    fn save(&self) -> Result<()> {
        if !self.before.is_nothing() {
            stamped_copy(
                (&self.root, self.path.as_bstr()),
                (self.store, self.saved().as_bstr()),
            )?;
            if self.at(self.store, self.saved().as_bstr())? != self.before {
                return Err(self.changed_meanwhile());
            }
        }
        if self.now()? == self.before {
            Ok(())
        } else {
            Err(self.changed_meanwhile())
        }
    }

    fn changed_meanwhile(&self) -> Error {
        Error::ChangedMeanwhile { path: self.shown() }
    }

    fn stage_new(&self, change: &FileChange) -> Result<()> {
        let (root, slot) = self.slot("new");
        let disk = |error| io_error_at(&shown(root, slot.as_bstr()))(error);
        crash_point();
        match &change.after {
            Content::Nothing => Ok(()),
            Content::Link(target) => root.symlink(target.as_bstr(), slot.as_bstr()).map_err(disk),
            Content::File(bytes) => {
                let found = self
                    .root
                    .meta_if_there(self.path.as_bstr())
                    .map_err(io_error_at(&self.shown()))?;
                let had = found
                    .filter(|found| found.kind == FileKind::File)
                    .map(|found| found.mode);
                let (new, mode) = match change.mode {
                    Mode::AsItWas => (0o666, had),
                    Mode::Executable => (0o777, had.map(|had| had | 0o111)),
                    Mode::Exactly(mode) => (0o600, Some(mode)),
                };
                let file = root.create(slot.as_bstr(), new).map_err(disk)?;
                sync(file, bytes).map_err(disk)?;
                if let Some(mode) = mode {
                    root.set_mode(slot.as_bstr(), mode).map_err(disk)?;
                }
                Ok(())
            }
        }
    }

    /// Makes the change.
    ///
    /// # Errors
    /// If the file holds something else by now (then it still does), or the disk refuses.
    pub(super) fn apply(&self) -> Result<()> {
        let (root, slot) = self.slot("new");
        self.exchange((root, slot.as_bstr()), &self.before, &self.after)
    }

    /// Puts what waits in a slot, which may be nothing, in the place of what is there, which goes
    /// into the slot.
    fn exchange(&self, slot: (&Root, &BStr), was: &Digest, is_to_be: &Digest) -> Result<()> {
        crash_point();
        let disk = |error| io_error_at(&self.shown())(error);
        let swap = || match (was.is_nothing(), is_to_be.is_nothing()) {
            (true, true) => Ok(()),
            (true, false) => slot
                .0
                .rename(slot.1, (&self.root, self.path.as_bstr()), Put::Free),
            (false, true) => self.root.rename(self.path.as_bstr(), slot, Put::Free),
            (false, false) => slot
                .0
                .rename(slot.1, (&self.root, self.path.as_bstr()), Put::Swap),
        };
        match swap() {
            Ok(()) => {}
            Err(error) if error.kind() == ErrorKind::Unsupported => {
                return self.put_over(slot, was, is_to_be);
            }
            Err(error)
                if [ErrorKind::AlreadyExists, ErrorKind::NotFound].contains(&error.kind()) =>
            {
                return Err(self.changed_meanwhile());
            }
            Err(error) => return Err(disk(error)),
        }
        crash_point();
        if !was.is_nothing() && self.at(slot.0, slot.1)? != *was {
            // Somebody wrote in the last moment: theirs goes back.
            let back = if is_to_be.is_nothing() {
                slot.0
                    .rename(slot.1, (&self.root, self.path.as_bstr()), Put::Free)
            } else {
                slot.0
                    .rename(slot.1, (&self.root, self.path.as_bstr()), Put::Swap)
            };
            back.map_err(disk)?;
            return Err(self.changed_meanwhile());
        }
        self.root.sync_parent(self.path.as_bstr()).map_err(disk)
    }

    /// The same where the disk can't let two files change places.
    fn put_over(&self, slot: (&Root, &BStr), was: &Digest, is_to_be: &Digest) -> Result<()> {
        if self.now()? != *was {
            return Err(self.changed_meanwhile());
        }
        if is_to_be.is_nothing() {
            self.root.rename(self.path.as_bstr(), slot, Put::Over)
        } else {
            slot.0
                .rename(slot.1, (&self.root, self.path.as_bstr()), Put::Over)
        }
        .and_then(|()| self.root.sync_parent(self.path.as_bstr()))
        .map_err(|error| io_error_at(&self.shown())(error))
    }

    /// Clears the slots after the change was made or undone: what is left there is kept
    /// elsewhere, too.
    pub(super) fn clear(&self) -> Result<()> {
        for what in ["new", "back"] {
            let (root, slot) = self.slot(what);
            root.remove_file_if_there(slot.as_bstr())
                .map_err(io_error_at(&shown(root, slot.as_bstr())))?;
        }
        Ok(())
    }

    /// How the file is now, after what a kill left in the slots is recovered.
    pub(super) fn status(&self, is_begun: bool) -> Result<FileStatus> {
        let (new, back) = (self.slot("new"), self.slot("back"));
        for slot in [&new, &back] {
            self.recover_slot(slot)?;
        }
        if is_begun && !self.was_made(&new)? {
            return Ok(FileStatus::AsBefore);
        }
        let now = self.now()?;
        Ok(
            if now == self.before || self.kept()?.is_some_and(|kept| now == kept) {
                FileStatus::AsBefore
            } else if now == self.after {
                FileStatus::AsWritten
            } else {
                FileStatus::Edited
            },
        )
    }

    /// What is kept of the file: as it was, or as somebody made it who had it open since. Nothing
    /// if it isn't kept any more.
    fn kept(&self) -> Result<Option<Digest>> {
        let saved = self.saved();
        let Some(found) = self
            .store
            .meta_if_there(saved.as_bstr())
            .map_err(io_error_at(&shown(self.store, saved.as_bstr())))?
        else {
            return Ok(None);
        };
        let kept = self.at(self.store, saved.as_bstr())?;
        Ok((kept == self.before || self.original == Some(found.identity)).then_some(kept))
    }

    /// # Errors
    /// If what the file held is to come back, and isn't kept any more.
    pub(super) fn check_saved(&self, status: &FileStatus) -> Result<()> {
        if matches!(status, FileStatus::AsBefore) || self.before.is_nothing() {
            return Ok(());
        }
        match self.kept()? {
            Some(_) => Ok(()),
            None => Err(Error::NotKept {
                path: self.shown(),
                saved: shown(self.store, self.saved().as_bstr()),
            }),
        }
    }

    /// Whether a change that was begun came to this file: what was to come is no longer in its
    /// slot.
    fn was_made(&self, new: &(&Root, BString)) -> Result<bool> {
        let waits = self.at(new.0, new.1.as_bstr())?;
        Ok(match (self.before.is_nothing(), self.after.is_nothing()) {
            (_, false) => waits != self.after,
            (false, true) => !waits.is_nothing(),
            (true, true) => false,
        })
    }

    /// Killed between putting something in a place and looking at what was there: if somebody had
    /// written in that moment, theirs goes back. If they wrote again since, it is kept in the
    /// journal.
    fn recover_slot(&self, slot: &(&Root, BString)) -> Result<()> {
        let held = self.at(slot.0, slot.1.as_bstr())?;
        if held.is_nothing() || held == self.before || held == self.after {
            return Ok(());
        }
        let (slot, now) = ((slot.0, slot.1.as_bstr()), self.now()?);
        if now == self.before || now == self.after {
            let put = if now.is_nothing() {
                Put::Free
            } else {
                Put::Swap
            };
            let to = (&self.root, self.path.as_bstr());
            return slot
                .0
                .rename(slot.1, to, put)
                .map_err(io_error_at(&self.shown()));
        }
        let kept = self.name("edited");
        let disk = |error| io_error_at(&shown(slot.0, slot.1))(error);
        self.store
            .remove_file_if_there(kept.as_bstr())
            .map_err(disk)?;
        stamped_copy(slot, (self.store, kept.as_bstr()))?;
        slot.0.remove_file(slot.1).map_err(disk)
    }

    /// Undoes the change where the file holds what was written.
    ///
    /// # Errors
    /// If it holds something else by now (then it still does), or the disk refuses.
    pub(super) fn revert(&self) -> Result<()> {
        self.back_from(&self.after)
    }

    fn back_from(&self, held: &Digest) -> Result<()> {
        let (root, slot) = self.slot("back");
        let slot = (root, slot.as_bstr());
        slot.0
            .remove_file_if_there(slot.1)
            .map_err(io_error_at(&shown(slot.0, slot.1)))?;
        if !self.before.is_nothing() {
            stamped_copy((self.store, self.saved().as_bstr()), slot)?;
        }
        self.exchange(slot, held, &self.before)
    }

    /// Undoes the change though somebody changed the file since; what it held is kept in the
    /// journal. Returns where.
    pub(super) fn force_revert(&self) -> Result<PathBuf> {
        let held = self.now()?;
        self.back_from(&held)?;
        let (root, slot) = self.slot("back");
        let kept = self.name("edited");
        if !held.is_nothing() {
            self.store
                .remove_file_if_there(kept.as_bstr())
                .map_err(io_error_at(&shown(self.store, kept.as_bstr())))?;
            stamped_copy((root, slot.as_bstr()), (self.store, kept.as_bstr()))?;
        }
        Ok(shown(self.store, kept.as_bstr()))
    }
}

fn shown(root: &Root, path: &BStr) -> PathBuf {
    root.path().join(path.to_path_lossy())
}
