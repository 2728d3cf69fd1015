//! Making changes.

#![allow(
    clippy::disallowed_methods,
    reason = "copies of the index, which git reads and writes by their paths"
)]

use super::change::{ModeChange, hash};
use super::file::FileTransaction;
use super::record::{EntryRecord, IndexRecord, Record, RecordState, Schema};
use super::{
    Area, Changes, Content, FOLDER, FileChange, IfEdited, Journal, entry, in_entry, numbers,
};
use crate::disk::{crash_point, io_error_at};
use crate::{Error, Obstacle, Result, removable};
use bstr::{BStr, BString, ByteSlice};
use redshank_files::{FileKind, Put, Root};
use redshank_rules::RepoPath;
use redshank_worktree::Worktree;
use std::path::Path;
use std::time::{SystemTime, UNIX_EPOCH};

/// The bits that are set, as chmod(2) takes them: never those that run a file as somebody else.
const PERMISSIONS: u32 = 0o777;

impl Journal<'_> {
    /// Makes changes, after what they replace is safe. If one of them can't be made, all are taken
    /// back.
    ///
    /// # Errors
    /// If the way back can't be saved, something isn't any more what it was when the
    /// changes were decided ([`Error::ChangedMeanwhile`]), or a change can't be made; all is as it
    /// was then, or the error says what isn't.
    pub fn apply(&self, command: &str, changes: &Changes) -> Result<()> {
        self.git
            .create_private_folders(FOLDER.into())
            .map_err(self.disk(FOLDER))?;
        let Some((store, _lock)) = self.lock()? else {
            return Err(Error::NothingToUndo);
        };
        if let Some(cut_short) = self.cut_short()? {
            return Err(Error::CutShort {
                number: cut_short.number,
                command: cut_short.command,
            });
        }
        let changing = redshank_progress::Phase::Change.begin();
        changing.seen(changes.files.len() as u64, 0);
        self.clear_unrecorded(&store)?;
        let number = numbers(&store)?.last().map_or(1, |last| last + 1);
        store
            .create_private_folders(entry(number).as_str().into())
            .map_err(self.disk(FOLDER))?;
        let saved =
            self.save(&store, number, command, changes)
                .and_then(|(record, transactions)| {
                    self.put(&store, number, &record)?;
                    Ok((record, transactions))
                });
        let (mut record, transactions) = match saved {
            Ok(saved) => saved,
            Err(error) => {
                // Nothing was changed yet; what can't be cleared away is cleared by the next run.
                let _ = self.clear_unrecorded(&store);
                return Err(error);
            }
        };
        let made = self
            .make(&store, number, &record, &transactions)
            .and_then(|()| {
                record.state = RecordState::Done;
                self.put(&store, number, &record)
            });
        if let Err(error) = made {
            record.state = RecordState::Begun;
            return Err(
                match self.roll_back(&store, number, &mut record, IfEdited::Refuse) {
                    Ok(_) => error,
                    Err(also) => Error::HalfDone {
                        number,
                        error: error.to_string(),
                        also: also.to_string(),
                    },
                },
            );
        }
        if record.index.is_some() {
            // It has another name now, the index's own.
            let _ = store.remove_file_if_there(in_entry(number, "index-new").as_ref());
        }
        Ok(())
    }

    /// Saves what the changes will replace; returns the record of it, and the transaction of each
    /// file.
    fn save<'s>(
        &self,
        store: &'s Root,
        number: u32,
        command: &str,
        changes: &Changes,
    ) -> Result<(Record, Vec<FileTransaction<'s>>)> {
        let (mut transactions, mut files) = (Vec::new(), Vec::new());
        for (nth, change) in changes.files.iter().enumerate() {
            match FileTransaction::prepare(self.worktree, store, (number, nth), change) {
                Ok((transaction, file)) => {
                    transactions.push(transaction);
                    files.push(file);
                }
                Err(error) => {
                    // What waits beside files on another disk isn't found again.
                    transactions
                        .iter()
                        .for_each(|transaction| drop(transaction.clear()));
                    return Err(error);
                }
            }
        }
        for path in &changes.moved {
            self.may_move(path.as_bstr(), &changes.untracked)?;
        }
        let index = if changes.untracked.is_empty() {
            None
        } else {
            Some(self.save_index(number, changes)?)
        };
        let time = SystemTime::now()
            .duration_since(UNIX_EPOCH)
            .unwrap_or_default()
            .as_secs();
        let (command, moved) = (command.to_owned(), changes.moved.clone());
        Ok((
            Record {
                schema: Schema::Two,
                command,
                time,
                state: RecordState::Begun,
                files,
                moved,
                modes: changes.modes.clone(),
                index,
            },
            transactions,
        ))
    }

    /// # Errors
    /// If something is in what is to be moved away that nothing makes again.
    fn may_move(&self, path: &BStr, untracked: &[BString]) -> Result<()> {
        Area::Worktree.open(self.worktree, path)?;
        let index = self.repository.index()?;
        let bare = path.strip_suffix(b"/").unwrap_or(path).as_bstr();
        let tracked = index
            .get(bare)
            .into_iter()
            .chain(index.below(bare))
            .find(|tracked| !untracked.iter().any(|path| path == tracked.path));
        let because = match (removable::keeps(&self.worktree.root, path)?, tracked) {
            (Some(because), _) => Some(because),
            (None, Some(tracked)) => Some(Obstacle::Tracked(tracked.path.to_owned())),
            (None, None) => None,
        };
        because.map_or(Ok(()), |because| {
            Err(Error::NotMoved {
                path: path.to_owned(),
                because,
            })
        })
    }

    fn save_index(&self, number: u32, changes: &Changes) -> Result<IndexRecord> {
        let index = self.repository.index()?;
        let known = changes
            .untracked
            .iter()
            .filter_map(|path| index.get(path.as_bstr()));
        let entries: Vec<_> = known.map(|tracked| tracked.entry_to_put_back()).collect();
        crash_point();
        let blobs = entries.iter().filter_map(|entry| entry.blob());
        self.repository
            .pack(blobs, &self.path_in(number, "objects.pack"))?;
        let (saved, new) = (
            self.path_in(number, "index"),
            self.path_in(number, "index-new"),
        );
        crash_point();
        self.repository.save_index(&saved)?;
        crash_point();
        self.repository
            .index_without(changes.untracked.iter().map(|path| path.as_bstr()), &new)?;
        let read = |path: &Path| std::fs::read(path).map_err(io_error_at(path));
        let (before, written) = (hash(&read(&saved)?), hash(&read(&new)?));
        Ok(IndexRecord {
            before,
            written,
            entries: entries.iter().map(EntryRecord::from).collect(),
        })
    }

    fn make(
        &self,
        store: &Root,
        number: u32,
        record: &Record,
        transactions: &[FileTransaction],
    ) -> Result<()> {
        if let Some(index) = &record.index
            && !self
                .repository
                .put_index(&self.path_in(number, "index-new"), |_| {
                    crash_point();
                    self.index_hash()
                        .is_ok_and(|is| is.as_ref() == Some(&index.before))
                })?
        {
            return Err(Error::IndexMoved);
        }
        for (nth, path) in record.moved.iter().enumerate() {
            crash_point();
            let (root, bare) = Area::Worktree.open(
                self.worktree,
                path.strip_suffix(b"/").unwrap_or(path).as_bstr(),
            )?;
            let to = in_entry(number, &format!("moved-{nth}"));
            let shown = self.worktree.path(bare.as_bstr());
            let moved = root.rename(bare.as_bstr(), (store, to.as_bstr()), Put::Over);
            moved.map_err(|error| match error.kind() {
                std::io::ErrorKind::CrossesDevices => Error::OtherDisk(shown.clone()),
                std::io::ErrorKind::NotFound => Error::ChangedMeanwhile {
                    path: shown.clone(),
                },
                _ => io_error_at(&shown)(error),
            })?;
            crash_point();
            root.sync_parent(bare.as_bstr())
                .map_err(io_error_at(&shown))?;
            store.sync_parent(to.as_bstr()).map_err(self.disk(FOLDER))?;
        }
        for change in &record.modes {
            crash_point();
            if self.mode_at(change)? != Some(change.before) {
                let path = self.worktree.path(RepoPath::new(&change.path));
                return Err(Error::ChangedMeanwhile { path });
            }
            self.set_mode(change, change.after)?;
        }
        transactions.iter().try_for_each(FileTransaction::apply)?;
        transactions.iter().try_for_each(FileTransaction::clear)
    }

    /// The permissions of a file, if it is one.
    pub(super) fn mode_at(&self, change: &ModeChange) -> Result<Option<u32>> {
        let (root, path) = Area::Worktree.open(self.worktree, change.path.as_bstr())?;
        let found = root.meta_if_there(path.as_bstr());
        let found = found.map_err(io_error_at(&self.worktree.path(RepoPath::new(&path))))?;
        Ok(found
            .filter(|found| found.kind == FileKind::File)
            .map(|found| found.mode))
    }

    pub(super) fn set_mode(&self, change: &ModeChange, mode: u32) -> Result<()> {
        let (root, path) = Area::Worktree.open(self.worktree, change.path.as_bstr())?;
        let set = root.set_mode(path.as_bstr(), mode & PERMISSIONS);
        set.map_err(io_error_at(&self.worktree.path(RepoPath::new(&path))))
    }

    pub(super) fn index_hash(&self) -> Result<Option<String>> {
        let path = self.repository.index_file()?;
        match std::fs::read(&path) {
            Ok(bytes) => Ok(Some(hash(&bytes))),
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => Ok(None),
            Err(error) => Err(io_error_at(&path)(error)),
        }
    }
}

/// Writes a file at the top of a place that has no journal. Only adding is allowed there: every
/// line that stood must still stand.
///
/// # Errors
/// If the file holds something else by now, or the disk refuses.
pub(crate) fn write_without_journal(worktree: &Worktree, change: &FileChange) -> Result<()> {
    let path = change.path.as_bstr();
    let (Content::File(after), shown) = (&change.after, worktree.path(path)) else {
        return Ok(());
    };
    let disk = |error| io_error_at(&shown)(error);
    let held = Content::at(&worktree.root, path).map_err(disk)?;
    let is_added_to = match &change.before {
        Content::File(before) => after.starts_with(before),
        Content::Nothing => true,
        Content::Link(_) => false,
    };
    if !is_added_to || path.contains(&b'/') {
        return Err(Error::OnlyAdding);
    }
    if held != change.before {
        return Err(Error::ChangedMeanwhile { path: shown });
    }
    crate::disk::replace(&worktree.root, path, after).map_err(disk)
}
