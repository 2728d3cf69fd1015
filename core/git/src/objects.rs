//! Contents that nothing in git names any more, kept outside git's object store: as a pack of their
//! own (gitformat-pack(5)). No push, no clone and no walk through the history sees them there, and
//! git's own clearing doesn't, either.

#![allow(
    clippy::disallowed_methods,
    reason = "git's own folder, by the paths that git tells"
)]

use crate::{Error, Repository, Result};
use bstr::{BStr, ByteSlice};
use std::collections::HashSet;
use std::fs::File;
use std::path::Path;

impl Repository {
    /// Writes at `into` a pack of those of these contents that are here and that the current commit
    /// doesn't hold. Returns whether there were any; nothing is written otherwise.
    ///
    /// # Errors
    /// If git or the disk refuses.
    pub fn pack<'a>(&self, blobs: impl IntoIterator<Item = &'a str>, into: &Path) -> Result<bool> {
        let held = self.blobs_of_commit()?;
        let mut blobs: Vec<&str> = blobs
            .into_iter()
            .filter(|blob| !held.contains(blob.as_bytes().as_bstr()))
            .collect();
        blobs.sort_unstable();
        blobs.dedup();
        let missing = self.missing(blobs.iter().copied())?;
        let listed: String = blobs
            .iter()
            .filter(|blob| !missing.contains(**blob))
            .map(|blob| format!("{blob}\n"))
            .collect();
        if listed.is_empty() {
            return Ok(false);
        }
        let disk = |cause| Error::Disk {
            path: into.to_owned(),
            cause,
        };
        let file = File::create_new(into).map_err(disk)?;
        // Looking for what contents have in common takes longer than writing them.
        let args = [
            "-c",
            "pack.compression=1",
            "pack-objects",
            "--stdout",
            "--quiet",
            "--window=0",
        ];
        self.git().args(args).with_files(
            listed.as_bytes(),
            None,
            Some(file.try_clone().map_err(disk)?),
        )?;
        file.sync_all().map_err(disk)?;
        Ok(true)
    }

    /// Brings the contents of a pack back into git's object store.
    ///
    /// # Errors
    /// If git or the disk refuses.
    pub fn unpack(&self, pack: &Path) -> Result<()> {
        let file = File::open(pack).map_err(|cause| Error::Disk {
            path: pack.to_owned(),
            cause,
        })?;
        self.git()
            .args(["unpack-objects", "-q"])
            .with_files(&[], Some(file), None)
            .map(drop)
    }

    /// Of these contents, the ones that git's object store doesn't hold.
    ///
    /// # Errors
    /// If git refuses.
    pub fn missing<'a>(&self, blobs: impl IntoIterator<Item = &'a str>) -> Result<HashSet<String>> {
        let asked: String = blobs.into_iter().map(|blob| format!("{blob}\n")).collect();
        if asked.is_empty() {
            return Ok(HashSet::new());
        }
        let told = self
            .git()
            .args(["cat-file", "--batch-check=%(objectname)", "--buffer"])
            .with_input(asked.as_bytes())?;
        let missing = ByteSlice::lines(&told[..]).filter_map(|line| line.strip_suffix(b" missing"));
        Ok(missing
            .map(|name| name.to_str_lossy().into_owned())
            .collect())
    }

    /// The names of all contents that the current commit holds.
    fn blobs_of_commit(&self) -> Result<HashSet<bstr::BString>> {
        if !self.has_commit() {
            return Ok(HashSet::new());
        }
        // `mode type object` TAB `path` (git-ls-tree(1)).
        let listed = self
            .git()
            .args(["ls-tree", "-r", "-z", "--full-tree", "HEAD"])
            .output()?;
        let objects = listed.split(|byte| *byte == 0).filter_map(|line| {
            let head: &BStr = line.split_once_str("\t")?.0.as_bstr();
            head.split_str(" ").nth(2).map(bstr::BString::from)
        });
        Ok(objects.collect())
    }

    /// References that an earlier version left behind for contents that were kept; given up now,
    /// for a push could take them.
    ///
    /// # Errors
    /// If git refuses.
    pub fn drop_old_references(&self, still_wanted: &dyn Fn(&str) -> bool) -> Result<()> {
        let listed = self
            .git()
            .args(["for-each-ref", "--format=%(refname)", "refs/redshank/"])
            .output()?;
        for name in listed
            .to_str_lossy()
            .lines()
            .filter(|name| !still_wanted(name))
        {
            self.git().args(["update-ref", "-d", name]).output()?;
        }
        Ok(())
    }
}
