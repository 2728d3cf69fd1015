//! Freeing what was kept. What is deleted is known by name and by record, one by one; anything else
//! stays and is said.

use super::record::Record;
use super::{FOLDER, Journal, RECORD, entry, in_entry, numbers};
use crate::Result;
use crate::disk::io_error_at;
use bstr::{BStr, BString, ByteSlice};
use redshank_files::{FileKind, Root};
use std::path::PathBuf;

impl Journal<'_> {
    /// Forgets a change, or all of them, and frees what was kept of them. Nothing of them can be
    /// undone then. Returns what is there and is not ours to delete.
    ///
    /// # Errors
    /// If the disk or git refuses.
    pub fn forget(&self, only: Option<u32>) -> Result<Vec<PathBuf>> {
        let Some((store, _lock)) = self.lock()? else {
            return Ok(Vec::new());
        };
        let mut left = Vec::new();
        for number in numbers(&store)?
            .into_iter()
            .filter(|number| only.is_none_or(|only| only == *number))
        {
            // Of one that can't be read, only what has a name of ours goes.
            let record = self
                .record(&store, number)
                .ok()
                .flatten()
                .map(|known| known.record);
            left.extend(self.clear(&store, number, record.as_ref())?);
        }
        self.repository.drop_old_references(&|_| false)?;
        Ok(left)
    }

    /// Clears what was left of a run that was killed before its record was written: nothing had
    /// been changed then.
    pub(super) fn clear_unrecorded(&self, store: &Root) -> Result<()> {
        for number in numbers(store)? {
            if !store.is_there(in_entry(number, RECORD).as_ref()) {
                self.clear(store, number, None)?;
            }
        }
        // An earlier version kept contents by references, which a push could take.
        let known = numbers(store)?;
        let is_known = |name: &str| {
            let number = name
                .rsplit('-')
                .next()
                .and_then(|number| number.parse::<u32>().ok());
            number.is_some_and(|number| known.contains(&number))
        };
        self.repository.drop_old_references(&is_known)?;
        Ok(())
    }

    /// Deletes what is ours of an entry; returns what isn't.
    fn clear(&self, store: &Root, number: u32, record: Option<&Record>) -> Result<Vec<PathBuf>> {
        let folder = entry(number);
        let mut left = Vec::new();
        // The record goes last: as long as it is, it says what else there is.
        let mut names = store
            .list(folder.as_str().into())
            .map_err(self.disk(FOLDER))?;
        names.sort_by_key(|(name, _)| name == RECORD);
        for (name, kind) in names {
            let path = BString::from([folder.as_bytes(), b"/", &name].concat());
            let shown = self.path_in(number, &name.to_str_lossy());
            let deleted = match ours(name.as_bstr(), record) {
                Ours::File if kind != FileKind::Folder => store.remove_file(path.as_bstr()),
                Ours::Tree => store.remove_tree(path.as_bstr()),
                _ => {
                    left.push(shown);
                    continue;
                }
            };
            match deleted {
                // Something was mounted in it.
                Err(error) if error.kind() == std::io::ErrorKind::CrossesDevices => {
                    left.push(shown);
                }
                deleted => deleted.map_err(io_error_at(&shown))?,
            }
        }
        if left.is_empty() {
            store
                .remove_folder(folder.as_str().into())
                .map_err(self.disk(FOLDER))?;
        }
        Ok(left)
    }
}

enum Ours {
    /// A file that we write.
    File,
    /// What was moved away, whatever it is.
    Tree,
    No,
}

fn ours(name: &BStr, record: Option<&Record>) -> Ours {
    let numbered = |prefix: &str| {
        let digits = name.strip_prefix(prefix.as_bytes())?;
        digits.to_str().ok()?.parse::<usize>().ok()
    };
    let is_moved = |prefix: &str| {
        let count = record.map_or(0, |record| record.moved.len());
        numbered(prefix).is_some_and(|nth| nth < count)
    };
    let files = ["file-", "new-", "back-", "edited-"];
    let known = [
        "index",
        "index-new",
        "index-back",
        "index-new.lock",
        "index-back.lock",
        "objects.pack",
        RECORD,
    ];
    if known.iter().any(|known| name == *known)
        || files.iter().any(|prefix| numbered(prefix).is_some())
    {
        return Ours::File;
    }
    // What a write that was killed left behind.
    if name.starts_with(crate::disk::SCRATCH.as_bytes()) {
        return Ours::File;
    }
    if is_moved("moved-") || is_moved("moved-edited-") {
        Ours::Tree
    } else {
        Ours::No
    }
}
