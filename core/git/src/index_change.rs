//! Changing git's index: on a copy, by git's own commands, and then as a whole under git's own
//! lock.

#![allow(
    clippy::disallowed_methods,
    reason = "git's own folder, by the paths that git tells"
)]

use crate::{Error, Index, Repository, Result};
use bstr::{BStr, BString, ByteSlice};
use std::collections::HashSet;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// An entry of the index as it can be put back.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Entry {
    /// In the form that `git update-index --index-info` reads, without its end: mode, object,
    /// stage, tab, path.
    pub info: BString,
    /// What git has recorded of it.
    pub flags: Vec<Flag>,
}

/// What git can be told of an entry (git-update-index(1), git-add(1)).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Flag {
    /// Its place on disk is left alone.
    SkipWorktree,
    /// No changes on disk are looked for.
    AssumeUnchanged,
    /// It is to be added later (`git add --intent-to-add`).
    IntentToAdd,
}

impl Entry {
    /// Relative to the top.
    pub fn path(&self) -> &BStr {
        self.info
            .split_once_str("\t")
            .map_or("".into(), |(_, path)| path.as_bstr())
    }

    /// The name of its contents in git's object store; nothing for another repository's commit.
    pub fn blob(&self) -> Option<&str> {
        let mut words = self.info.split_str(" ");
        let (mode, blob) = (words.next()?, words.next()?);
        blob.to_str().ok().filter(|_| mode != b"160000")
    }
}

/// An entry that could not be put back, for its place is taken.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NotPutBack {
    /// Relative to the top.
    pub path: BString,
    /// The reason; `app/text` has its sentence.
    pub why: Taken,
}

/// Why an entry of the index can't be put back.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Taken {
    /// The path is staged again.
    StagedAnew,
    /// Something is staged below it, or where a folder above it was.
    OtherKind,
    /// It was to be added later, and isn't on disk any more.
    Gone,
    /// Its contents are nowhere any more.
    WithoutContents,
}

impl Repository {
    /// Writes at `into` what the index would be without these paths. The index itself is only read.
    ///
    /// # Errors
    /// If git or the disk refuses.
    pub fn index_without<'a>(
        &self,
        paths: impl IntoIterator<Item = &'a BStr>,
        into: &Path,
    ) -> Result<()> {
        self.copy_index(into)?;
        self.on_copy(
            into,
            &["update-index", "--force-remove", "-z", "--stdin"],
            paths,
        )?;
        durable(into)
    }

    /// Writes at `into` what the index would be with these entries, and gives those whose place is
    /// taken. The index itself is only read.
    ///
    /// # Errors
    /// If git or the disk refuses.
    pub fn index_with(&self, entries: &[Entry], into: &Path) -> Result<Vec<NotPutBack>> {
        self.copy_index(into)?;
        let index = Index::read_file(self, into)?;
        let (mut fit, mut left) = (Vec::new(), Vec::new());
        for entry in entries {
            match taken(&index, entry) {
                Some(Ok(())) => {}
                Some(Err(why)) => left.push(NotPutBack {
                    path: entry.path().to_owned(),
                    why,
                }),
                None => fit.push(entry),
            }
        }
        let missing = self.missing(fit.iter().filter_map(|entry| entry.blob()))?;
        let flagged = |flag: Flag| fit.iter().filter(move |entry| entry.flags.contains(&flag));
        let mut infos = Vec::new();
        for entry in fit
            .iter()
            .filter(|entry| !entry.flags.contains(&Flag::IntentToAdd))
        {
            match entry.blob() {
                Some(blob) if missing.contains(blob) => {
                    left.push(NotPutBack {
                        path: entry.path().to_owned(),
                        why: Taken::WithoutContents,
                    });
                }
                _ => infos.push(entry.info.as_bstr()),
            }
        }
        self.on_copy(into, &["update-index", "-z", "--index-info"], infos)?;
        for (flag, option) in [
            (Flag::SkipWorktree, "--skip-worktree"),
            (Flag::AssumeUnchanged, "--assume-unchanged"),
        ] {
            let not_back: HashSet<&BStr> = left.iter().map(|one| one.path.as_bstr()).collect();
            let paths = flagged(flag)
                .map(|entry| entry.path())
                .filter(|path| !not_back.contains(path));
            self.on_copy(into, &["update-index", option, "-z", "--stdin"], paths)?;
        }
        let (there, gone): (Vec<&BStr>, Vec<&BStr>) = flagged(Flag::IntentToAdd)
            .map(|entry| entry.path())
            .partition(|path| {
                self.top
                    .join(path.to_path_lossy())
                    .symlink_metadata()
                    .is_ok()
            });
        left.extend(gone.into_iter().map(|path| NotPutBack {
            path: path.to_owned(),
            why: Taken::Gone,
        }));
        let intend = ["--literal-pathspecs", "add", "--intent-to-add", "--force"];
        self.on_copy(
            into,
            &[
                &intend[..],
                &["--pathspec-from-file=-", "--pathspec-file-nul"],
            ]
            .concat(),
            there,
        )?;
        durable(into)?;
        Ok(left)
    }

    /// Runs a command of git's on a copy of the index, with these items on its standard input; not
    /// at all without any.
    fn on_copy<'a>(
        &self,
        copy: &Path,
        args: &[&str],
        items: impl IntoIterator<Item = &'a BStr>,
    ) -> Result<()> {
        let input = joined(items);
        if input.is_empty() {
            return Ok(());
        }
        self.git()
            .args(args)
            .env("GIT_INDEX_FILE", copy)
            .with_input(&input)
            .map(drop)
    }

    /// Copies the index with its time. An entry that changed on disk as late as the index was
    /// written counts as one that must be looked at again ("racy git" in git's documentation); git
    /// tells so by the index's time, and marks it when it writes.
    fn copy_index(&self, into: &Path) -> Result<()> {
        let index = self.index_file()?;
        if !index.exists() {
            return Ok(());
        }
        let modified = index
            .metadata()
            .and_then(|found| found.modified())
            .map_err(disk(&index))?;
        std::fs::copy(&index, into).map_err(disk(into))?;
        self.make_whole(into)?;
        set_modified(into, modified)
    }

    /// Makes a copy of a split index a whole one: the part that it shares is beside the index only,
    /// and git deletes it when nothing of its own needs it (git-update-index(1), "SPLIT INDEX").
    pub(crate) fn make_whole(&self, copy: &Path) -> Result<()> {
        if !self.is_split()? {
            return Ok(());
        }
        let words = [
            "-c",
            "core.splitIndex=false",
            "update-index",
            "--no-split-index",
        ];
        let git = self.git().args(words).env("GIT_INDEX_FILE", copy);
        git.output().map(drop)
    }

    /// Whether there is a file that split indexes share.
    fn is_split(&self) -> Result<bool> {
        let folder = std::fs::read_dir(&self.git_folder).map_err(disk(&self.git_folder))?;
        let mut names = folder.filter_map(|entry| entry.ok().map(|entry| entry.file_name()));
        Ok(names.any(|name| name.to_string_lossy().starts_with("sharedindex.")))
    }

    /// Gives the index a second name, by which it can be brought back; where the disk has no second
    /// names, a copy.
    ///
    /// # Errors
    /// If the disk refuses.
    pub fn save_index(&self, at: &Path) -> Result<()> {
        let index = self.index_file()?;
        if !index.is_symlink() && std::fs::hard_link(&index, at).is_ok() {
            return Ok(());
        }
        self.copy_index(at)?;
        durable(at)
    }

    /// Whether git can read this file as an index; a split index needs the file that it shares.
    pub fn can_read_index(&self, file: &Path) -> bool {
        // Nothing of that name is ever tracked, so nothing is printed.
        self.git()
            .args(["ls-files", "--", ":/.git"])
            .env("GIT_INDEX_FILE", file)
            .output()
            .is_ok()
    }

    /// Puts the file `new` into the index's place, under git's own lock, if `may` says so once the
    /// lock is held. The lock is a second name of `new`, so that [`Repository::unlock_own`] can
    /// tell it from another git's. `new` stays.
    ///
    /// # Errors
    /// If the lock is held, or the disk refuses.
    pub fn put_index(&self, new: &Path, may: impl FnOnce(&Path) -> bool) -> Result<bool> {
        let index = self.index_file()?;
        let lock = with_suffix(&index, ".lock");
        self.unlocked()?;
        match std::fs::hard_link(new, &lock) {
            Err(cause) if cause.kind() == std::io::ErrorKind::AlreadyExists => {
                return Err(Error::Locked(lock));
            }
            // Not every disk gives a file a second name.
            Err(_) => {
                let modified = new
                    .metadata()
                    .and_then(|found| found.modified())
                    .map_err(disk(new))?;
                let file = std::fs::File::create_new(&lock).map_err(disk(&lock))?;
                let copied = std::fs::copy(new, &lock)
                    .and_then(|_| file.sync_all())
                    .map_err(disk(&lock));
                if let Err(error) = copied.and_then(|()| set_modified(&lock, modified)) {
                    // The lock is ours; leaving it would stop every later git.
                    let _ = std::fs::remove_file(&lock);
                    return Err(error);
                }
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
            let _ = std::fs::remove_file(&lock);
            disk(&index)(cause)
        })?;
        Ok(true)
    }

    /// Takes away a lock on the index that is another name of one of these files: what was left of
    /// a [`Self::put_index`] that was killed.
    ///
    /// # Errors
    /// If the disk refuses.
    pub fn unlock_own(&self, files: &[PathBuf]) -> Result<()> {
        let lock = with_suffix(&self.index_file()?, ".lock");
        if files
            .iter()
            .any(|file| same_file::is_same_file(&lock, file).unwrap_or(false))
        {
            std::fs::remove_file(&lock).map_err(disk(&lock))?;
        }
        Ok(())
    }

    /// Removes a lock that a git of ours left, which had found none when it began.
    pub(crate) fn remove_lock(&self) -> Result<()> {
        let lock = with_suffix(&self.index_file()?, ".lock");
        match std::fs::remove_file(&lock) {
            Err(error) if error.kind() != std::io::ErrorKind::NotFound => Err(disk(&lock)(error)),
            _ => Ok(()),
        }
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

/// Whether the place of an entry is taken: by itself, or by something else.
fn taken(index: &Index, entry: &Entry) -> Option<Result<(), Taken>> {
    let path = entry.path();
    if let Some(now) = index.get(path) {
        return Some(if !now.conflicted() && now.entry_to_put_back() == *entry {
            Ok(())
        } else {
            Err(Taken::StagedAnew)
        });
    }
    let above = path
        .find_iter("/")
        .any(|slash| index.get(path[..slash].as_bstr()).is_some());
    (above || index.below(path).next().is_some()).then_some(Err(Taken::OtherKind))
}

/// How often a lock is looked at before it is reported; together about a second.
const LOOKS_AT_LOCK: u32 = 20;

/// The time between two looks.
const BETWEEN_LOOKS: Duration = Duration::from_millis(50);

/// git wrote it beside and renamed it; it is to be durable before anything depends on it.
fn durable(path: &Path) -> Result<()> {
    // Windows takes this of those only who may write.
    let file = std::fs::File::options().write(true).open(path);
    file.and_then(|file| file.sync_all()).map_err(disk(path))
}

fn set_modified(path: &Path, modified: std::time::SystemTime) -> Result<()> {
    let file = std::fs::File::options().write(true).open(path);
    file.and_then(|file| file.set_modified(modified))
        .map_err(disk(path))
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
pub(crate) fn joined<'a>(items: impl IntoIterator<Item = &'a BStr>) -> Vec<u8> {
    let mut bytes = Vec::new();
    for item in items {
        bytes.extend_from_slice(item);
        bytes.push(0);
    }
    bytes
}
