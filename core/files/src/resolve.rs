//! From a path to what it names, beneath a root and through no link.

use crate::meta::{FileKind, Meta};
use crate::{Root, if_there};
use bstr::{BStr, BString, ByteSlice};
#[cfg(target_os = "linux")]
use rustix::fs::ResolveFlags;
use rustix::fs::{AtFlags, Dir, Mode, OFlags};
use rustix::io::Errno;
use std::fs::File;
use std::io::{Error, ErrorKind, Result};
use std::os::fd::{AsFd, BorrowedFd, OwnedFd};
use std::path::Path;
use std::sync::Arc;
#[cfg(target_os = "linux")]
use std::sync::atomic::{AtomicBool, Ordering};

/// Folders are opened only to look things up in them.
#[cfg(target_os = "linux")]
const LOOK_UP: OFlags = OFlags::PATH
    .union(OFlags::DIRECTORY)
    .union(OFlags::CLOEXEC)
    .union(OFlags::NOFOLLOW);
#[cfg(not(target_os = "linux"))]
const LOOK_UP: OFlags = OFlags::RDONLY
    .union(OFlags::DIRECTORY)
    .union(OFlags::CLOEXEC)
    .union(OFlags::NOFOLLOW);

const READ: OFlags = OFlags::RDONLY
    .union(OFlags::NONBLOCK)
    .union(OFlags::NOCTTY)
    .union(OFlags::CLOEXEC)
    .union(OFlags::NOFOLLOW);

const LIST: OFlags = OFlags::RDONLY
    .union(OFlags::DIRECTORY)
    .union(OFlags::CLOEXEC)
    .union(OFlags::NOFOLLOW);

/// Opens a folder by a path that the caller vouches for.
pub(crate) fn open_trusted(path: &Path) -> Result<OwnedFd> {
    Ok(rustix::fs::open(
        path,
        LOOK_UP.difference(OFlags::NOFOLLOW),
        Mode::empty(),
    )?)
}

/// Opens a file for reading by a path that the caller vouches for, whatever it is.
pub(crate) fn file_trusted(path: &Path) -> Result<File> {
    Ok(rustix::fs::open(path, READ.difference(OFlags::NOFOLLOW), Mode::empty())?.into())
}

/// The path without the slash at its end, if each of its parts is a name.
fn plain(path: &BStr) -> Result<&[u8]> {
    let bare = path.strip_suffix(b"/").unwrap_or(path);
    if bare.is_empty() && path.is_empty()
        || bare
            .split_str("/")
            .all(|part| !part.is_empty() && part != b"." && part != b"..")
            && !bare.contains(&0)
    {
        return Ok(bare);
    }
    Err(Error::new(
        ErrorKind::InvalidInput,
        "the path leads outside, or isn't one",
    ))
}

/// The last part of a path.
pub(crate) fn name(path: &BStr) -> &BStr {
    let bare = path.strip_suffix(b"/").unwrap_or(path);
    bare[bare.rfind_byte(b'/').map_or(0, |slash| slash + 1)..].as_bstr()
}

/// All but the last part of a path.
fn parent(path: &BStr) -> &BStr {
    let bare = path.strip_suffix(b"/").unwrap_or(path);
    bare[..bare.rfind_byte(b'/').unwrap_or(0)].as_bstr()
}

/// A folder beneath another.
pub(crate) fn folder(root: &OwnedFd, path: &BStr) -> Result<OwnedFd> {
    open(root.as_fd(), path, LOOK_UP)
}

/// A file beneath a folder, opened for reading, whatever it is.
pub(crate) fn file(root: &OwnedFd, path: &BStr) -> Result<File> {
    Ok(open(root.as_fd(), path, READ)?.into())
}

/// What is at a path beneath a folder; links in its midst are followed.
pub(crate) fn kind(root: &OwnedFd, path: &BStr) -> Result<FileKind> {
    let stat = rustix::fs::statat(root, plain(path)?, AtFlags::SYMLINK_NOFOLLOW)?;
    Ok(Meta::from_stat(&stat).kind)
}

/// Whether the system has no `openat2`, or somebody forbids it.
#[cfg(target_os = "linux")]
static LACKS_OPENAT2: AtomicBool = AtomicBool::new(false);

fn open(root: BorrowedFd, path: &BStr, flags: OFlags) -> Result<OwnedFd> {
    let bare = plain(path)?;
    let bare = if bare.is_empty() { &b"."[..] } else { bare };
    #[cfg(target_os = "linux")]
    if !LACKS_OPENAT2.load(Ordering::Relaxed) {
        let how = ResolveFlags::BENEATH | ResolveFlags::NO_SYMLINKS | ResolveFlags::NO_MAGICLINKS;
        match rustix::fs::openat2(root, bare, flags, Mode::empty(), how) {
            Err(Errno::NOSYS | Errno::PERM) => LACKS_OPENAT2.store(true, Ordering::Relaxed),
            opened => return opened.map_err(|error| met_a_link(root, bare, error)),
        }
    }
    step_by_step(root, bare, flags)
}

/// Opens each folder on the way by itself, so that a link on the way is met, not followed.
fn step_by_step(root: BorrowedFd, bare: &[u8], flags: OFlags) -> Result<OwnedFd> {
    let (folders, name) = bare.rsplit_once_str("/").unwrap_or((b"", bare));
    let mut here: Option<OwnedFd> = None;
    for part in folders.split_str("/").filter(|part| !part.is_empty()) {
        let at = here.as_ref().map_or(root, OwnedFd::as_fd);
        here = Some(
            rustix::fs::openat(at, part, LOOK_UP, Mode::empty())
                .map_err(|error| met_a_link(at, part, error))?,
        );
    }
    let at = here.as_ref().map_or(root, OwnedFd::as_fd);
    rustix::fs::openat(at, name, flags, Mode::empty()).map_err(|error| met_a_link(at, name, error))
}

/// With `O_DIRECTORY` and `O_NOFOLLOW`, a link is reported as "not a directory".
fn met_a_link(at: BorrowedFd, part: &[u8], error: Errno) -> Error {
    let is_link = || {
        let found = rustix::fs::statat(at, part, AtFlags::SYMLINK_NOFOLLOW);
        found.is_ok_and(|found| Meta::from_stat(&found).kind == FileKind::Link)
    };
    told(if error == Errno::NOTDIR && is_link() {
        Errno::LOOP
    } else {
        error
    })
}

/// The system's word for a link that is not followed says nothing to a person.
fn told(error: Errno) -> Error {
    match error {
        Errno::LOOP => Error::new(ErrorKind::NotADirectory, OnTheWay),
        other => other.into(),
    }
}

/// A symbolic link in the place of a file, or of a folder on the way to it.
#[derive(Debug)]
struct OnTheWay;

impl std::error::Error for OnTheWay {}

impl std::fmt::Display for OnTheWay {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("it is a symbolic link, or behind one, and is not followed")
    }
}

/// Whether an error says that a link was in the place of a file or of a folder on the way.
pub fn is_link_on_the_way(error: &Error) -> bool {
    error.get_ref().is_some_and(|inner| inner.is::<OnTheWay>())
}

/// A folder that is open, to ask about several names in it.
#[derive(Debug)]
pub struct Folder(Held);

#[derive(Debug)]
enum Held {
    Root(Arc<OwnedFd>),
    Own(OwnedFd),
}

impl AsFd for Folder {
    fn as_fd(&self) -> BorrowedFd<'_> {
        match &self.0 {
            Held::Root(root) => root.as_fd(),
            Held::Own(own) => own.as_fd(),
        }
    }
}

impl Folder {
    /// That folder; the empty path for the root itself.
    ///
    /// # Errors
    /// If it isn't there, is not a folder, or a link is on the way.
    pub fn at(root: &Root, path: &BStr) -> Result<Self> {
        Ok(Self(if path.is_empty() {
            Held::Root(Arc::clone(&root.handle))
        } else {
            Held::Own(folder(&root.handle, path)?)
        }))
    }

    /// The folder that a path is in.
    ///
    /// # Errors
    /// If it isn't there, is not a folder, or a link is on the way.
    pub fn open(root: &Root, path: &BStr) -> Result<Self> {
        plain(path)?;
        Self::at(root, parent(path))
    }

    pub(crate) fn own(handle: OwnedFd) -> Self {
        Self(Held::Own(handle))
    }

    /// What a name in it is; a link is reported as a link. The empty name is the folder itself.
    ///
    /// # Errors
    /// If nothing has that name, or it can't be determined.
    pub fn meta(&self, name: &BStr) -> Result<Meta> {
        let stat = if name.is_empty() {
            rustix::fs::fstat(self)?
        } else {
            rustix::fs::statat(self, name.as_bytes(), AtFlags::SYMLINK_NOFOLLOW)?
        };
        Ok(Meta::from_stat(&stat))
    }

    pub(crate) fn link_target(&self, name: &BStr) -> Result<BString> {
        Ok(rustix::fs::readlinkat(self, name.as_bytes(), Vec::new())?
            .into_bytes()
            .into())
    }

    /// The names in it, and what each is.
    ///
    /// # Errors
    /// If it can't be listed.
    pub fn list(&self) -> Result<Vec<(BString, FileKind)>> {
        self.names(rustix::fs::openat(self, ".", LIST, Mode::empty())?)
    }

    /// That folder, the empty path for the root itself, and the names in it with what each is:
    /// opened once for both.
    ///
    /// # Errors
    /// If it isn't there, is not a folder, can't be listed, or a link is on the way.
    pub fn listed(root: &Root, path: &BStr) -> Result<(Self, Vec<(BString, FileKind)>)> {
        let folder = open(root.handle.as_fd(), path, LIST)?;
        let to_list = folder.try_clone()?;
        let folder = Self::own(folder);
        let names = folder.names(to_list)?;
        Ok((folder, names))
    }

    /// The names in it, read through a handle of its own.
    fn names(&self, handle: OwnedFd) -> Result<Vec<(BString, FileKind)>> {
        let mut names = Vec::new();
        for entry in Dir::new(handle)? {
            let entry = entry?;
            let name = entry.file_name().to_bytes().as_bstr();
            if name == "." || name == ".." {
                continue;
            }
            let kind = match entry.file_type() {
                // Not every disk says it along with the name.
                rustix::fs::FileType::Unknown => if_there(self.meta(name))?.map(|meta| meta.kind),
                known => Some(FileKind::from_file_type(known)),
            };
            names.extend(kind.map(|kind| (name.to_owned(), kind)));
        }
        Ok(names)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_names_make_a_path() {
        for path in ["a", "a/b", "a/b/", ""] {
            assert!(plain(path.into()).is_ok(), "{path}");
        }
        for path in [
            "/", "/a", "..", "a/../b", "./a", "a//b", "a/.", "a\0b", "//",
        ] {
            assert!(plain(path.into()).is_err(), "{path}");
        }
        assert_eq!(
            (parent("a/b/".into()), name("a/b/".into())),
            ("a".into(), "b".into())
        );
        assert_eq!(
            (parent("a".into()), name("a".into())),
            ("".into(), "a".into())
        );
    }

    #[test]
    fn step_by_step_is_the_same_as_at_once() {
        let folder = tempfile::tempdir().unwrap();
        let root = Root::open(folder.path()).unwrap();
        root.create_folders("real/deep".into()).unwrap();
        root.create("real/deep/file".into(), 0o600).unwrap();
        root.symlink("real".into(), "link".into()).unwrap();
        root.symlink("real/deep/file".into(), "to-file".into())
            .unwrap();
        for (path, flags) in [
            ("real/deep", LOOK_UP),
            ("real/deep/file", READ),
            ("link/deep", LOOK_UP),
            ("link/deep/file", READ),
            ("to-file", READ),
            ("link", LOOK_UP),
            ("real/none", READ),
            ("real/deep/file/more", READ),
        ] {
            let at_once = open(root.handle.as_fd(), path.into(), flags).map(drop);
            let by_step = step_by_step(root.handle.as_fd(), path.as_bytes(), flags).map(drop);
            let told = |opened: &Result<()>| {
                opened
                    .as_ref()
                    .err()
                    .map(|error| (error.kind(), error.to_string()))
            };
            assert_eq!(told(&at_once), told(&by_step), "{path}");
            assert_eq!(
                at_once.is_err_and(|error| is_link_on_the_way(&error)),
                path.contains("link") || path == "to-file"
            );
        }
    }
}
