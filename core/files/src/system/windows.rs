//! Windows: folders are handles, and each name is opened in the one before. As long as a folder is
//! open nobody can rename or delete it, so that nothing can be put in the way meanwhile. Symbolic
//! links and junctions are met, not followed.
//!
//! What can't be promised there (SECURITY.md): two files don't change places in one step, folders
//! are not made durable by themselves, and permission bits don't exist.

use super::Purpose;
use crate::change::Put;
use crate::meta::{FileKind, Meta};
use crate::resolve::{OnTheWay, plain};
use bstr::{BStr, BString, ByteSlice};
use cap_fs_ext::OpenOptionsFollowExt;
use cap_primitives::ambient_authority;
use cap_primitives::fs::{
    self, _WindowsByHandle, DirOptions, FollowSymlinks, Metadata, OpenOptions, SystemTimeSpec,
};
use std::borrow::Cow;
use std::fs::File;
use std::io::{Error, ErrorKind, Result};
use std::path::{Path, PathBuf};
use std::time::SystemTime;

/// An open file or folder.
pub(crate) type Handle = File;

/// Permission bits of everything: Windows has others.
const MODE: u32 = 0o755;

/// The name of the file in a folder that stands for the folder where it is held.
const HELD: &str = "held";

/// A name as the system has it. What it would take for something else than a name (a stream of a
/// file, a folder above) is none.
fn as_path(name: &[u8]) -> Result<PathBuf> {
    let is_name = !name.is_empty() && !name.iter().any(|byte| b"\\/:".contains(byte));
    match name.to_str() {
        Ok(name) if is_name && name != ".." && name != "." => Ok(PathBuf::from(name)),
        _ => Err(Error::new(
            ErrorKind::InvalidInput,
            "Windows can't have this name",
        )),
    }
}

fn kind_of(kind: fs::FileType) -> FileKind {
    if kind.is_symlink() {
        FileKind::Link
    } else if kind.is_dir() {
        FileKind::Folder
    } else if kind.is_file() {
        FileKind::File
    } else {
        FileKind::Other
    }
}

fn meta(found: &Metadata) -> Meta {
    let disk = found.volume_serial_number().unwrap_or(0);
    Meta {
        kind: kind_of(found.file_type()),
        size: found.len(),
        modified: found.modified().map_or(
            SystemTime::UNIX_EPOCH,
            cap_primitives::time::SystemTime::into_std,
        ),
        mode: MODE,
        identity: (disk.into(), found.file_index().unwrap_or(0)),
        is_mine: true,
        is_private: true,
    }
}

/// Opens something by a path that the caller vouches for: links are followed.
pub(crate) fn open_trusted(path: &Path, purpose: Purpose) -> Result<Handle> {
    match purpose {
        Purpose::Read => fs::open_ambient(path, OpenOptions::new().read(true), ambient_authority()),
        Purpose::LookUp | Purpose::List => fs::open_ambient_dir(path, ambient_authority()),
    }
}

/// Opens something beneath a folder, through no link.
pub(crate) fn open(root: &Handle, path: &BStr, purpose: Purpose) -> Result<Handle> {
    let bare = plain(path)?;
    if bare.is_empty() {
        return root.try_clone();
    }
    let (folders, name) = bare.rsplit_once_str("/").unwrap_or((b"", bare));
    let mut here: Option<Handle> = None;
    for part in folders.split_str("/").filter(|part| !part.is_empty()) {
        here = Some(open_folder(here.as_ref().unwrap_or(root), part)?);
    }
    let at = here.as_ref().unwrap_or(root);
    if purpose != Purpose::Read {
        return open_folder(at, name);
    }
    no_link(at, name)?;
    let mut options = OpenOptions::new();
    options.read(true).follow(FollowSymlinks::No);
    fs::open(at, &as_path(name)?, &options)
}

fn open_folder(at: &Handle, name: &[u8]) -> Result<Handle> {
    if no_link(at, name)? != FileKind::Folder {
        return Err(ErrorKind::NotADirectory.into());
    }
    fs::open_dir_nofollow(at, &as_path(name)?)
}

/// What a name is, with an error for a link.
fn no_link(at: &Handle, name: &[u8]) -> Result<FileKind> {
    match meta_at(at, name.as_bstr())?.kind {
        FileKind::Link => Err(Error::new(ErrorKind::NotADirectory, OnTheWay)),
        kind => Ok(kind),
    }
}

/// What the system says of something that is open.
pub(crate) fn meta_of(handle: &Handle) -> Result<Meta> {
    Ok(meta(&Metadata::from_file(handle)?))
}

/// A path as git has it: `/` between the parts.
pub(crate) fn path_bytes(path: &Path) -> Cow<'_, [u8]> {
    path.to_string_lossy()
        .replace('\\', "/")
        .into_bytes()
        .into()
}

/// The temporary files are one person's here.
pub(crate) fn person() -> u32 {
    0
}

/// A file that is open, as the standard library has it.
pub(crate) fn into_file(handle: Handle) -> File {
    handle
}

/// What a name in a folder is; a link is reported as a link.
pub(crate) fn meta_at(folder: &Handle, name: &BStr) -> Result<Meta> {
    let found = fs::stat(folder, &as_path(name)?, FollowSymlinks::No)?;
    Ok(meta(&found))
}

/// What is at a path beneath a folder.
pub(crate) fn kind_below(root: &Handle, path: &BStr) -> Result<FileKind> {
    let bare = plain(path)?;
    let (folders, name) = bare.rsplit_once_str("/").unwrap_or((b"", bare));
    let folder = open(root, folders.as_bstr(), Purpose::LookUp)?;
    Ok(meta_at(&folder, name.as_bstr())?.kind)
}

/// Whether a name in a folder is where another disk was mounted. One is reported as a link, so
/// nothing is entered by accident; the disk tells where it isn't.
pub(crate) fn is_mount(folder: &Handle, name: &BStr) -> Result<bool> {
    Ok(meta_at(folder, name)?.identity.0 != meta_of(folder)?.identity.0)
}

pub(crate) fn link_target(folder: &Handle, name: &BStr) -> Result<BString> {
    let target = fs::read_link_contents(folder, &as_path(name)?)?;
    Ok(path_bytes(&target).into_owned().into())
}

/// The folder itself, opened to be listed.
pub(crate) fn to_list(folder: &Handle) -> Result<Handle> {
    folder.try_clone()
}

/// The names in a folder that was opened to be listed, each with what it is as far as the disk says
/// it along with the name. A name that is no text can't be asked for again, and is left out.
pub(crate) fn names(folder: Handle) -> Result<Vec<(BString, Option<FileKind>)>> {
    let mut names = Vec::new();
    for entry in fs::read_base_dir(&folder)? {
        let entry = entry?;
        let Ok(name) = entry.file_name().into_string() else {
            continue;
        };
        let kind = entry.file_type().ok().map(kind_of);
        names.push((name.into(), kind));
    }
    Ok(names)
}

/// Makes a new file, open for writing.
pub(crate) fn create(folder: &Handle, name: &BStr, _mode: u32) -> Result<File> {
    let mut options = OpenOptions::new();
    options.read(true).write(true).create_new(true);
    fs::open(folder, &as_path(name)?, &options)
}

pub(crate) fn symlink(target: &BStr, folder: &Handle, name: &BStr) -> Result<()> {
    let (target, name) = (target.to_path().map_err(invalid)?, as_path(name)?);
    // Windows tells links to folders from others; where nothing is there, a file is meant.
    match fs::stat(folder, target, FollowSymlinks::Yes) {
        Ok(found) if found.is_dir() => fs::symlink_dir(target, folder, &name),
        _ => fs::symlink_file(target, folder, &name),
    }
}

fn invalid(error: impl std::error::Error + Send + Sync + 'static) -> Error {
    Error::new(ErrorKind::InvalidInput, error)
}

/// Makes a folder; whatever has that name stays.
pub(crate) fn create_folder(folder: &Handle, name: &BStr, _is_private: bool) -> Result<()> {
    match fs::create_dir(folder, &as_path(name)?, &DirOptions::new()) {
        Err(error) if error.kind() != ErrorKind::AlreadyExists => Err(error),
        _ => Ok(()),
    }
}

/// Gives a file a second name.
pub(crate) fn link(from: (&Handle, &BStr), to: (&Handle, &BStr)) -> Result<()> {
    fs::hard_link(from.0, &as_path(from.1)?, to.0, &as_path(to.1)?)
}

pub(crate) fn rename(from: (&Handle, &BStr), to: (&Handle, &BStr), put: Put) -> Result<()> {
    let (old, new) = (as_path(from.1)?, as_path(to.1)?);
    match put {
        Put::Over => fs::rename(from.0, &old, to.0, &new),
        // A second name is refused where something is, in one step.
        Put::Free if meta_at(from.0, from.1)?.kind == FileKind::File => {
            fs::hard_link(from.0, &old, to.0, &new)?;
            fs::remove_file(from.0, &old)
        }
        Put::Free => match meta_at(to.0, to.1) {
            Ok(_) => Err(ErrorKind::AlreadyExists.into()),
            Err(_) => fs::rename(from.0, &old, to.0, &new),
        },
        Put::Swap => Err(Error::new(
            ErrorKind::Unsupported,
            "this disk can't do that",
        )),
    }
}

pub(crate) fn remove_file(folder: &Handle, name: &BStr) -> Result<()> {
    let path = as_path(name)?;
    match fs::remove_file(folder, &path) {
        // git makes the files in its store read-only, and Windows deletes none that is.
        Err(error) if error.kind() == ErrorKind::PermissionDenied => {
            let found = fs::stat(folder, &path, FollowSymlinks::No)?;
            let mut permissions = found.permissions();
            if !found.is_file() || !permissions.readonly() {
                return Err(error);
            }
            permissions.set_readonly(false);
            fs::set_permissions(folder, &path, permissions)?;
            fs::remove_file(folder, &path)
        }
        removed => removed,
    }
}

/// Removes an empty folder.
pub(crate) fn remove_folder(folder: &Handle, name: &BStr) -> Result<()> {
    fs::remove_dir(folder, &as_path(name)?)
}

/// The system keeps a journal of names, and lets nobody wait for it.
pub(crate) fn sync(_folder: &Handle) -> Result<()> {
    Ok(())
}

/// There are no permission bits.
pub(crate) fn set_mode(_file: &File, _mode: u32) -> Result<()> {
    Ok(())
}

/// Sets when a file's contents changed last; of a link, the link's own time.
pub(crate) fn set_modified(folder: &Handle, name: &BStr, time: SystemTime) -> Result<()> {
    let time = SystemTimeSpec::Absolute(cap_primitives::time::SystemTime::from_std(time));
    fs::set_times_nofollow(folder, &as_path(name)?, None, Some(time))
}

/// Waits until nobody else holds a folder, and holds it as long as what is given lives. A disk that
/// can't do it keeps nobody waiting.
pub(crate) fn hold(folder: &Handle) -> Result<File> {
    let file = to_hold(folder)?;
    let _ = file.lock();
    Ok(file)
}

/// The same without waiting: nothing if somebody else holds it.
pub(crate) fn hold_if_free(folder: &Handle) -> Result<Option<File>> {
    let file = to_hold(folder)?;
    match file.try_lock() {
        Ok(()) => Ok(Some(file)),
        Err(std::fs::TryLockError::WouldBlock) => Ok(None),
        Err(std::fs::TryLockError::Error(error)) => Err(error),
    }
}

/// The file that stands for a folder.
fn to_hold(folder: &Handle) -> Result<File> {
    let mut options = OpenOptions::new();
    options.write(true).create(true).follow(FollowSymlinks::No);
    fs::open(folder, Path::new(HELD), &options)
}
