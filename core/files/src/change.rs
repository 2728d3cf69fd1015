//! Changing what is beneath a root.

use crate::meta::FileKind;
use crate::resolve::{Folder, name};
use crate::system::{self, Purpose};
use crate::{Root, is_absence};
use bstr::{BStr, BString};
use std::fs::File;
use std::io::{Error, ErrorKind, Result};
use std::time::SystemTime;

/// What may lie where something is put.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Put {
    /// Nothing: whatever is there stays, and it is an error.
    Free,
    /// Something, and the two change places, so that nothing is gone whatever it was.
    Swap,
    /// Anything; it is gone then.
    Over,
}

impl Root {
    /// Makes a new file, open for writing; the person's mask takes from `mode`.
    ///
    /// # Errors
    /// If something is there, or the disk refuses.
    pub fn create(&self, path: &BStr, mode: u32) -> Result<File> {
        system::create(Folder::open(self, path)?.handle(), name(path), mode)
    }

    /// Makes a symbolic link.
    ///
    /// # Errors
    /// If something is there, or the disk refuses.
    pub fn symlink(&self, target: &BStr, path: &BStr) -> Result<()> {
        system::symlink(target, Folder::open(self, path)?.handle(), name(path))
    }

    /// Makes a folder and those on the way to it.
    ///
    /// # Errors
    /// If something else is there, or the disk refuses.
    pub fn create_folders(&self, path: &BStr) -> Result<()> {
        self.folders(path, false)
    }

    /// The same, for their owner only.
    ///
    /// # Errors
    /// If something else is there, or the disk refuses.
    pub fn create_private_folders(&self, path: &BStr) -> Result<()> {
        self.folders(path, true)
    }

    fn folders(&self, path: &BStr, is_private: bool) -> Result<()> {
        let bare = path.strip_suffix(b"/").unwrap_or(path);
        let ends = bstr::ByteSlice::find_iter(bare, "/")
            .chain([bare.len()])
            .filter(|end| *end > 0);
        for end in ends {
            let here = BStr::new(&bare[..end]);
            // Whatever is there, what it is shows at the next step, or below.
            system::create_folder(Folder::open(self, here)?.handle(), name(here), is_private)?;
        }
        Folder::at(self, path).map(drop)
    }

    /// Gives a file a second name, beneath this root or another on the same disk.
    ///
    /// # Errors
    /// If the disk has no second names, or something is there.
    pub fn link(&self, path: &BStr, to: (&Self, &BStr)) -> Result<()> {
        let (from, into) = (Folder::open(self, path)?, Folder::open(to.0, to.1)?);
        system::link((from.handle(), name(path)), (into.handle(), name(to.1)))
    }

    /// Gives something another name, beneath this root or another on the same disk, in one step.
    ///
    /// # Errors
    /// If it isn't there, the disk refuses, both don't are on one disk, something is there that
    /// may not ([`Put::Free`]), or nothing does ([`Put::Swap`]). Of kind `Unsupported` where the
    /// disk can't do it that way.
    pub fn rename(&self, path: &BStr, to: (&Self, &BStr), put: Put) -> Result<()> {
        let (from, into) = (Folder::open(self, path)?, Folder::open(to.0, to.1)?);
        system::rename(
            (from.handle(), name(path)),
            (into.handle(), name(to.1)),
            put,
        )
    }

    /// Deletes a file or a link.
    ///
    /// # Errors
    /// If it isn't there, is a folder, or the disk refuses.
    pub fn remove_file(&self, path: &BStr) -> Result<()> {
        system::remove_file(Folder::open(self, path)?.handle(), name(path))
    }

    /// The same, and fine where nothing is.
    ///
    /// # Errors
    /// If the disk refuses.
    pub fn remove_file_if_there(&self, path: &BStr) -> Result<()> {
        match self.remove_file(path) {
            Err(error) if is_absence(&error) => Ok(()),
            removed => removed,
        }
    }

    /// Deletes an empty folder.
    ///
    /// # Errors
    /// If something is in it, it isn't there, or the disk refuses.
    pub fn remove_folder(&self, path: &BStr) -> Result<()> {
        system::remove_folder(Folder::open(self, path)?.handle(), name(path))
    }

    /// Deletes a file, a link, or a folder with all in it. What was mounted inside is neither
    /// entered nor deleted, and its folder stays.
    ///
    /// # Errors
    /// If something is mounted inside, or the disk refuses; what was deleted before stays so.
    pub fn remove_tree(&self, path: &BStr) -> Result<()> {
        let above = Folder::open(self, path)?;
        remove_tree(&above, name(path))
    }

    /// The folders in a folder, and itself, that another file system was mounted on.
    ///
    /// # Errors
    /// If a folder can't be listed.
    pub fn mounts(&self, path: &BStr) -> Result<Vec<BString>> {
        let mut found = Vec::new();
        let mut waiting = vec![BString::from(path.strip_suffix(b"/").unwrap_or(path))];
        while let Some(path) = waiting.pop() {
            let folder = Folder::open(self, path.as_ref())?;
            if system::is_mount(folder.handle(), name(path.as_ref()))? {
                found.push(path);
                continue;
            }
            if folder.meta(name(path.as_ref()))?.kind == FileKind::Folder {
                let inside = self
                    .list(path.as_ref())?
                    .into_iter()
                    .filter(|(_, kind)| *kind == FileKind::Folder);
                waiting.extend(
                    inside.map(|(name, _)| BString::from([&path[..], b"/", &name].concat())),
                );
            }
        }
        Ok(found)
    }

    /// Makes durable which names a folder holds; the empty path for this one.
    ///
    /// # Errors
    /// If the disk refuses.
    pub(crate) fn sync_folder(&self, path: &BStr) -> Result<()> {
        system::sync(Folder::at(self, path)?.handle())
    }

    /// Makes durable which names the folder holds that a path is in.
    ///
    /// # Errors
    /// If the disk refuses.
    pub fn sync_parent(&self, path: &BStr) -> Result<()> {
        let bare = path.strip_suffix(b"/").unwrap_or(path);
        self.sync_folder(BStr::new(
            &bare[..bstr::ByteSlice::rfind_byte(bare, b'/').unwrap_or(0)],
        ))
    }

    /// Sets a regular file's permission bits, as chmod(2) takes them.
    ///
    /// # Errors
    /// If it is not a regular file, or the disk refuses.
    pub fn set_mode(&self, path: &BStr, mode: u32) -> Result<()> {
        system::set_mode(&self.file(path)?, mode)
    }

    /// Sets when a file's contents changed last; of a link, the link's own time.
    ///
    /// # Errors
    /// If it isn't there, or the disk refuses.
    pub fn set_modified(&self, path: &BStr, time: SystemTime) -> Result<()> {
        system::set_modified(Folder::open(self, path)?.handle(), name(path), time)
    }

    /// Waits until nobody else holds a folder, and holds it as long as what is given lives.
    ///
    /// # Errors
    /// If it is not a folder. A disk that can't do it keeps nobody waiting.
    pub fn hold(&self, path: &BStr) -> Result<File> {
        system::hold(Folder::at(self, path)?.handle())
    }

    /// The same without waiting: nothing if somebody else holds it.
    ///
    /// # Errors
    /// If it is not a folder, or the disk can't do it.
    pub fn hold_if_free(&self, path: &BStr) -> Result<Option<File>> {
        system::hold_if_free(Folder::at(self, path)?.handle())
    }
}

fn remove_tree(above: &Folder, name: &BStr) -> Result<()> {
    let found = above.meta(name)?;
    if found.kind != FileKind::Folder {
        return system::remove_file(above.handle(), name);
    }
    if system::is_mount(above.handle(), name)? {
        let said =
            format!("{name} is another file system, mounted there; nothing in it was deleted");
        return Err(Error::new(ErrorKind::CrossesDevices, said));
    }
    let folder = Folder::own(system::open(above.handle(), name, Purpose::List)?);
    for (inner, _) in folder.list()? {
        remove_tree(&folder, inner.as_ref())?;
    }
    // Windows removes no folder that is open.
    drop(folder);
    system::remove_folder(above.handle(), name)
}
