//! Changing what is beneath a root.

use crate::meta::{self, FileKind};
use crate::resolve::{self, Folder};
use crate::{Root, is_absence};
use bstr::{BStr, BString};
use rustix::fs::{AtFlags, FlockOperation, Mode, OFlags, RenameFlags, Timestamps};
use rustix::io::Errno;
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
        let flags =
            OFlags::RDWR | OFlags::CREATE | OFlags::EXCL | OFlags::CLOEXEC | OFlags::NOFOLLOW;
        let folder = Folder::open(self, path)?;
        Ok(rustix::fs::openat(
            &folder,
            resolve::name(path).to_vec(),
            flags,
            permissions(mode),
        )?
        .into())
    }

    /// Makes a symbolic link.
    ///
    /// # Errors
    /// If something is there, or the disk refuses.
    pub fn symlink(&self, target: &BStr, path: &BStr) -> Result<()> {
        Ok(rustix::fs::symlinkat(
            target.to_vec(),
            &Folder::open(self, path)?,
            resolve::name(path).to_vec(),
        )?)
    }

    /// Makes a folder and those on the way to it.
    ///
    /// # Errors
    /// If something else is there, or the disk refuses.
    pub fn create_folders(&self, path: &BStr) -> Result<()> {
        self.folders(path, 0o777)
    }

    /// The same, for their owner only.
    ///
    /// # Errors
    /// If something else is there, or the disk refuses.
    pub fn create_private_folders(&self, path: &BStr) -> Result<()> {
        self.folders(path, 0o700)
    }

    fn folders(&self, path: &BStr, mode: u32) -> Result<()> {
        let bare = path.strip_suffix(b"/").unwrap_or(path);
        let ends = bstr::ByteSlice::find_iter(bare, "/")
            .chain([bare.len()])
            .filter(|end| *end > 0);
        for end in ends {
            let here = BStr::new(&bare[..end]);
            let above = Folder::open(self, here)?;
            match rustix::fs::mkdirat(&above, resolve::name(here).to_vec(), permissions(mode)) {
                Ok(()) => {}
                // What it is shows at the next step, or below.
                Err(Errno::EXIST) => {}
                Err(error) => return Err(error.into()),
            }
        }
        Folder::at(self, path).map(drop)
    }

    /// Gives a file a second name, beneath this root or another on the same disk.
    ///
    /// # Errors
    /// If the disk has no second names, or something is there.
    pub fn link(&self, path: &BStr, to: (&Self, &BStr)) -> Result<()> {
        let (from, into) = (Folder::open(self, path)?, Folder::open(to.0, to.1)?);
        let (name, new) = (resolve::name(path).to_vec(), resolve::name(to.1).to_vec());
        Ok(rustix::fs::linkat(
            &from,
            name,
            &into,
            new,
            AtFlags::empty(),
        )?)
    }

    /// Gives something another name, beneath this root or another on the same disk, in one step.
    ///
    /// # Errors
    /// If it isn't there, the disk refuses, both don't are on one disk, something is there that
    /// may not ([`Put::Free`]), or nothing does ([`Put::Swap`]). Of kind `Unsupported` where the
    /// disk can't do it that way.
    pub fn rename(&self, path: &BStr, to: (&Self, &BStr), put: Put) -> Result<()> {
        let (from, into) = (Folder::open(self, path)?, Folder::open(to.0, to.1)?);
        let (name, new) = (resolve::name(path).to_vec(), resolve::name(to.1).to_vec());
        let flags = match put {
            Put::Over => return Ok(rustix::fs::renameat(&from, name, &into, new)?),
            Put::Free => RenameFlags::NOREPLACE,
            Put::Swap => RenameFlags::EXCHANGE,
        };
        rustix::fs::renameat_with(&from, name, &into, new, flags).map_err(|error| match error {
            Errno::INVAL | Errno::NOSYS | Errno::NOTSUP => {
                Error::new(ErrorKind::Unsupported, "this disk can't do that")
            }
            other => other.into(),
        })
    }

    /// Deletes a file or a link.
    ///
    /// # Errors
    /// If it isn't there, is a folder, or the disk refuses.
    pub fn remove_file(&self, path: &BStr) -> Result<()> {
        Ok(rustix::fs::unlinkat(
            &Folder::open(self, path)?,
            resolve::name(path).to_vec(),
            AtFlags::empty(),
        )?)
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
        Ok(rustix::fs::unlinkat(
            &Folder::open(self, path)?,
            resolve::name(path).to_vec(),
            AtFlags::REMOVEDIR,
        )?)
    }

    /// Deletes a file, a link, or a folder with all in it. What was mounted inside is neither
    /// entered nor deleted, and its folder stays.
    ///
    /// # Errors
    /// If something is mounted inside, or the disk refuses; what was deleted before stays so.
    pub fn remove_tree(&self, path: &BStr) -> Result<()> {
        let above = Folder::open(self, path)?;
        remove_tree(&above, resolve::name(path))
    }

    /// The folders in a folder, and itself, that another file system was mounted on.
    ///
    /// # Errors
    /// If a folder can't be listed.
    pub fn mounts(&self, path: &BStr) -> Result<Vec<BString>> {
        let mut found = Vec::new();
        let above = Folder::open(self, path)?;
        let disk = above.meta(BStr::new(""))?.identity.0;
        let mut waiting = vec![BString::from(path.strip_suffix(b"/").unwrap_or(path))];
        while let Some(path) = waiting.pop() {
            let folder = Folder::open(self, path.as_ref())?;
            if meta::is_mount(&folder, resolve::name(path.as_ref()), disk)? {
                found.push(path);
                continue;
            }
            if folder.meta(resolve::name(path.as_ref()))?.kind == FileKind::Folder {
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
        let folder = Folder::at(self, path)?;
        let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
        Ok(rustix::fs::fsync(rustix::fs::openat(
            &folder,
            ".",
            flags,
            Mode::empty(),
        )?)?)
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
        Ok(rustix::fs::fchmod(self.file(path)?, permissions(mode))?)
    }

    /// Sets when a file's contents changed last; of a link, the link's own time.
    ///
    /// # Errors
    /// If it isn't there, or the disk refuses.
    pub fn set_modified(&self, path: &BStr, time: SystemTime) -> Result<()> {
        let since = time
            .duration_since(SystemTime::UNIX_EPOCH)
            .unwrap_or_default();
        let time = rustix::fs::Timespec {
            tv_sec: i64::try_from(since.as_secs()).unwrap_or(i64::MAX),
            tv_nsec: since.subsec_nanos().into(),
        };
        let times = Timestamps {
            last_access: time,
            last_modification: time,
        };
        let folder = Folder::open(self, path)?;
        Ok(rustix::fs::utimensat(
            &folder,
            resolve::name(path).to_vec(),
            &times,
            AtFlags::SYMLINK_NOFOLLOW,
        )?)
    }

    /// Waits until nobody else holds a folder, and holds it as long as what is given lives.
    ///
    /// # Errors
    /// If it is not a folder. A disk that can't do it keeps nobody waiting.
    pub fn hold(&self, path: &BStr) -> Result<File> {
        let folder = self.for_holding(path)?;
        let _ = rustix::fs::flock(&folder, FlockOperation::LockExclusive);
        Ok(folder)
    }

    /// The same without waiting: nothing if somebody else holds it.
    ///
    /// # Errors
    /// If it is not a folder, or the disk can't do it.
    pub fn hold_if_free(&self, path: &BStr) -> Result<Option<File>> {
        let folder = self.for_holding(path)?;
        match rustix::fs::flock(&folder, FlockOperation::NonBlockingLockExclusive) {
            Ok(()) => Ok(Some(folder)),
            Err(Errno::WOULDBLOCK) => Ok(None),
            Err(error) => Err(error.into()),
        }
    }

    fn for_holding(&self, path: &BStr) -> Result<File> {
        let folder = Folder::at(self, path)?;
        let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
        Ok(rustix::fs::openat(&folder, ".", flags, Mode::empty())?.into())
    }
}

/// Permission bits as the system has them; systems differ in their type.
#[allow(clippy::unnecessary_cast, reason = "it isn't on every system")]
fn permissions(mode: u32) -> Mode {
    Mode::from_raw_mode((mode & 0o7777) as rustix::fs::RawMode)
}

fn remove_tree(above: &Folder, name: &BStr) -> Result<()> {
    let found = above.meta(name)?;
    if found.kind != FileKind::Folder {
        return Ok(rustix::fs::unlinkat(
            above,
            name.to_vec(),
            AtFlags::empty(),
        )?);
    }
    let disk = above.meta(BStr::new(""))?.identity.0;
    if meta::is_mount(above, name, disk)? {
        let said =
            format!("{name} is another file system, mounted there; nothing in it was deleted");
        return Err(Error::new(ErrorKind::CrossesDevices, said));
    }
    let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::NOFOLLOW | OFlags::CLOEXEC;
    let folder = Folder::own(rustix::fs::openat(
        above,
        name.to_vec(),
        flags,
        Mode::empty(),
    )?);
    for (inner, _) in folder.list()? {
        remove_tree(&folder, inner.as_ref())?;
    }
    Ok(rustix::fs::unlinkat(
        above,
        name.to_vec(),
        AtFlags::REMOVEDIR,
    )?)
}
