//! Changing git's index: through git's own commands, or as a whole under git's own lock.

use crate::{Error, Repository, Result};
use bstr::{BStr, ByteSlice};
use std::path::{Path, PathBuf};
use std::time::Duration;

impl Repository {
    /// Writes at `into` what the index would be without these paths. The index itself is only read.
    ///
    /// # Errors
    /// If git or the disk refuses.
    pub fn index_without<'a>(&self, paths: impl IntoIterator<Item = &'a BStr>, into: &Path) -> Result<()> {
        let index = self.index_file()?;
        std::fs::copy(&index, into).map_err(disk(&index))?;
        let words = ["update-index", "--force-remove", "-z", "--stdin"];
        self.git().words(words).setting("GIT_INDEX_FILE", into).with_input(&joined(paths))?;
        // git wrote it beside and renamed it; it is to be durable before anything depends on it.
        std::fs::File::open(into).and_then(|file| file.sync_all()).map_err(disk(into))
    }

    /// Whether git can read this file as an index; a split index needs the file that it shares.
    pub fn can_read_index(&self, file: &Path) -> bool {
        // Nothing of that name is ever tracked, so nothing is printed.
        self.git().words(["ls-files", "--", ":/.git"]).setting("GIT_INDEX_FILE", file).output().is_ok()
    }

    /// Puts entries into the index, in the form of [`crate::Tracked::info`].
    ///
    /// # Errors
    /// If git refuses.
    pub fn put_entries<'a>(&self, entries: impl IntoIterator<Item = &'a BStr>) -> Result<()> {
        self.unlocked()?;
        self.git().words(["update-index", "-z", "--index-info"]).with_input(&joined(entries))?;
        Ok(())
    }

    /// Puts the file `new` into the index's place, under git's own lock, if `may` says so once the lock is held. The lock
    /// is a second name of `new`, so that [`Repository::unlock_own`] can tell it from another git's. `new` stays.
    ///
    /// # Errors
    /// If the lock is held, or the disk refuses.
    pub fn put_index(&self, new: &Path, may: impl FnOnce(&Path) -> bool) -> Result<bool> {
        let index = self.index_file()?;
        let lock = with_suffix(&index, ".lock");
        self.unlocked()?;
        match std::fs::hard_link(new, &lock) {
            Err(cause) if cause.kind() == std::io::ErrorKind::AlreadyExists => return Err(Error::Locked(lock)),
            // Not every disk gives a file a second name.
            Err(_) => {
                let file = std::fs::File::create_new(&lock).map_err(disk(&lock))?;
                std::fs::copy(new, &lock).and_then(|_| file.sync_all()).map_err(disk(&lock))?;
            }
            Ok(()) => {}
        }
        let is_there = same_file::is_same_file(new, &index).unwrap_or(false);
        if is_there || !may(&index) {
            // Renaming one name of a file to another of its names would leave both.
            std::fs::remove_file(&lock).map_err(disk(&lock))?;
            return Ok(is_there);
        }
        std::fs::rename(&lock, &index).map_err(|cause| {
            // The lock is ours; leaving it would stop every later git.
            let _ = std::fs::remove_file(&lock);
            disk(&index)(cause)
        })?;
        Ok(true)
    }

    /// Takes away a lock on the index that is another name of one of these files: what was left of a [`Self::put_index`]
    /// that was killed.
    ///
    /// # Errors
    /// If the disk refuses.
    pub fn unlock_own(&self, files: &[PathBuf]) -> Result<()> {
        let lock = with_suffix(&self.index_file()?, ".lock");
        if files.iter().any(|file| same_file::is_same_file(&lock, file).unwrap_or(false)) {
            std::fs::remove_file(&lock).map_err(disk(&lock))?;
        }
        Ok(())
    }

    /// Keeps the contents of these entries, in the form of [`crate::Tracked::info`], from being cleared away by git, though
    /// nothing else names them any more: a reference `refs/redshank/NAME` to a tree of them.
    ///
    /// # Errors
    /// If git refuses.
    pub fn keep_contents<'a>(&self, name: &str, entries: impl IntoIterator<Item = &'a BStr>) -> Result<()> {
        let mut listed = Vec::new();
        for (nth, entry) in entries.into_iter().enumerate() {
            let mut words = entry.split_str(" ");
            let (mode, object) = (words.next().unwrap_or_default(), words.next().unwrap_or_default());
            // Another repository's commit is not kept here.
            if mode != b"160000" {
                listed.extend_from_slice(&[b"100644 blob ", object, format!("\t{nth}\0").as_bytes()].concat());
            }
        }
        let tree = self.git().words(["mktree", "-z", "--missing"]).with_input(&listed)?;
        self.git().words(["update-ref", &kept(name)]).words([tree.trim().to_str_lossy().as_ref()]).output()?;
        Ok(())
    }

    /// Ends what [`Repository::keep_contents`] began.
    ///
    /// # Errors
    /// If git refuses.
    pub fn let_go_of_contents(&self, name: &str) -> Result<()> {
        self.git().words(["update-ref", "-d", &kept(name)]).output()?;
        Ok(())
    }

    /// Waits a moment for another git that holds the index.
    ///
    /// # Errors
    /// If it holds it still.
    pub(crate) fn unlocked(&self) -> Result<()> {
        let lock = with_suffix(&self.index_file()?, ".lock");
        for _ in 0..LOOKS_AT_LOCK {
            if !lock.exists() {
                return Ok(());
            }
            std::thread::sleep(BETWEEN_LOOKS);
        }
        Err(Error::Locked(lock))
    }
}

/// How often a lock is looked at before it is reported; together about a second.
const LOOKS_AT_LOCK: u32 = 20;

/// The time between two looks.
const BETWEEN_LOOKS: Duration = Duration::from_millis(50);

fn kept(name: &str) -> String {
    format!("refs/redshank/{name}")
}

fn disk(path: &Path) -> impl FnOnce(std::io::Error) -> Error {
    let path = path.to_owned();
    move |cause| Error::Disk { path, cause }
}

fn with_suffix(path: &Path, suffix: &str) -> PathBuf {
    let mut name = path.as_os_str().to_owned();
    name.push(suffix);
    name.into()
}

/// The items, each with a NUL behind it.
fn joined<'a>(items: impl IntoIterator<Item = &'a BStr>) -> Vec<u8> {
    let mut bytes = Vec::new();
    for item in items {
        bytes.extend_from_slice(item);
        bytes.push(0);
    }
    bytes
}
