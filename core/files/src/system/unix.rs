//! Unix: folders are file descriptors, and names are looked up in them (openat(2) and its kin).

use super::Purpose;
use crate::change::Put;
use crate::meta::{FileKind, Meta};
use crate::resolve::{OnTheWay, plain};
use bstr::{BStr, BString, ByteSlice};
#[cfg(target_os = "linux")]
use rustix::fs::ResolveFlags;
use rustix::fs::{
    AtFlags, Dir, FileType, FlockOperation, Mode, OFlags, RenameFlags, Stat, Timestamps,
};
use rustix::io::Errno;
use std::borrow::Cow;
use std::fs::File;
use std::io::{Error, ErrorKind, Result};
use std::os::fd::{AsFd, BorrowedFd, OwnedFd};
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
#[cfg(target_os = "linux")]
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, SystemTime};

/// An open file or folder.
pub(crate) type Handle = OwnedFd;

/// Folders are opened only to look things up in them.
#[cfg(target_os = "linux")]
const LOOK_UP: OFlags = OFlags::PATH
    .union(OFlags::DIRECTORY)
    .union(OFlags::CLOEXEC)
    .union(OFlags::NOFOLLOW);
#[cfg(not(target_os = "linux"))]
const LOOK_UP: OFlags = LIST;

const READ: OFlags = OFlags::RDONLY
    .union(OFlags::NONBLOCK)
    .union(OFlags::NOCTTY)
    .union(OFlags::CLOEXEC)
    .union(OFlags::NOFOLLOW);

const LIST: OFlags = OFlags::RDONLY
    .union(OFlags::DIRECTORY)
    .union(OFlags::CLOEXEC)
    .union(OFlags::NOFOLLOW);

fn flags(purpose: Purpose) -> OFlags {
    match purpose {
        Purpose::LookUp => LOOK_UP,
        Purpose::Read => READ,
        Purpose::List => LIST,
    }
}

/// Opens something by a path that the caller vouches for: links are followed.
pub(crate) fn open_trusted(path: &Path, purpose: Purpose) -> Result<Handle> {
    let flags = flags(purpose).difference(OFlags::NOFOLLOW);
    Ok(rustix::fs::open(path, flags, Mode::empty())?)
}

/// Whether the system has no `openat2`, or somebody forbids it.
#[cfg(target_os = "linux")]
static LACKS_OPENAT2: AtomicBool = AtomicBool::new(false);

/// Opens something beneath a folder, through no link.
pub(crate) fn open(root: &Handle, path: &BStr, purpose: Purpose) -> Result<Handle> {
    let bare = plain(path)?;
    let bare = if bare.is_empty() { &b"."[..] } else { bare };
    let (root, flags) = (root.as_fd(), flags(purpose));
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
        found.is_ok_and(|found| kind_of(&found) == FileKind::Link)
    };
    // The system's word for a link that is not followed says nothing to a person.
    if error == Errno::LOOP || error == Errno::NOTDIR && is_link() {
        return Error::new(ErrorKind::NotADirectory, OnTheWay);
    }
    error.into()
}

fn kind_of(stat: &Stat) -> FileKind {
    of_type(FileType::from_raw_mode(stat.st_mode))
}

fn of_type(kind: FileType) -> FileKind {
    match kind {
        FileType::RegularFile => FileKind::File,
        FileType::Directory => FileKind::Folder,
        FileType::Symlink => FileKind::Link,
        _ => FileKind::Other,
    }
}

fn meta(stat: &Stat) -> Meta {
    let nanoseconds = u32::try_from(stat.st_mtime_nsec).unwrap_or(0);
    let modified = match u64::try_from(stat.st_mtime) {
        Ok(seconds) => SystemTime::UNIX_EPOCH + Duration::new(seconds, nanoseconds),
        Err(_) => SystemTime::UNIX_EPOCH,
    };
    let mode = permissions_of(stat);
    let is_mine = stat.st_uid == person();
    Meta {
        kind: kind_of(stat),
        size: u64::try_from(stat.st_size).unwrap_or(0),
        modified,
        mode,
        identity: (disk_of(stat), stat.st_ino),
        is_mine,
        is_private: is_mine && mode & 0o077 == 0,
    }
}

/// The permission bits; systems differ in their type.
#[allow(clippy::unnecessary_cast, reason = "it isn't on every system")]
fn permissions_of(stat: &Stat) -> u32 {
    stat.st_mode as u32 & 0o7777
}

/// The number of the disk; systems differ in its type.
#[allow(
    clippy::unnecessary_cast,
    clippy::cast_sign_loss,
    reason = "it is compared and nothing else"
)]
fn disk_of(stat: &Stat) -> u64 {
    stat.st_dev as u64
}

/// What the system says of something that is open.
pub(crate) fn meta_of(handle: &Handle) -> Result<Meta> {
    Ok(meta(&rustix::fs::fstat(handle)?))
}

/// A path as git has it.
pub(crate) fn path_bytes(path: &Path) -> Cow<'_, [u8]> {
    path.as_os_str().as_bytes().into()
}

/// The number of the person who runs the program.
pub(crate) fn person() -> u32 {
    rustix::process::geteuid().as_raw()
}

/// A file that is open, as the standard library has it.
pub(crate) fn into_file(handle: Handle) -> File {
    handle.into()
}

/// What a name in a folder is; a link is reported as a link.
pub(crate) fn meta_at(folder: &Handle, name: &BStr) -> Result<Meta> {
    let found = rustix::fs::statat(folder, name.as_bytes(), AtFlags::SYMLINK_NOFOLLOW)?;
    Ok(meta(&found))
}

/// What is at a path beneath a folder; links in its midst are followed.
pub(crate) fn kind_below(root: &Handle, path: &BStr) -> Result<FileKind> {
    let found = rustix::fs::statat(root, plain(path)?, AtFlags::SYMLINK_NOFOLLOW)?;
    Ok(kind_of(&found))
}

/// Whether a name in a folder is where another file system was mounted, be it a part of the same
/// disk.
pub(crate) fn is_mount(folder: &Handle, name: &BStr) -> Result<bool> {
    // The system knows it by itself where it can say so (statx(2), `STATX_ATTR_MOUNT_ROOT`);
    // elsewhere the disk tells.
    #[cfg(target_os = "linux")]
    match rustix::fs::statx(
        folder,
        name.as_bytes(),
        AtFlags::SYMLINK_NOFOLLOW | AtFlags::NO_AUTOMOUNT,
        rustix::fs::StatxFlags::BASIC_STATS,
    ) {
        Ok(told)
            if told
                .stx_attributes_mask
                .contains(rustix::fs::StatxAttributes::MOUNT_ROOT) =>
        {
            return Ok(told
                .stx_attributes
                .contains(rustix::fs::StatxAttributes::MOUNT_ROOT));
        }
        Ok(_) | Err(Errno::NOSYS) => {}
        Err(error) => return Err(error.into()),
    }
    Ok(meta_at(folder, name)?.identity.0 != meta_of(folder)?.identity.0)
}

pub(crate) fn link_target(folder: &Handle, name: &BStr) -> Result<BString> {
    let target = rustix::fs::readlinkat(folder, name.as_bytes(), Vec::new())?;
    Ok(target.into_bytes().into())
}

/// The folder itself, opened to be listed.
pub(crate) fn to_list(folder: &Handle) -> Result<Handle> {
    Ok(rustix::fs::openat(folder, ".", LIST, Mode::empty())?)
}

/// The names in a folder that was opened to be listed, each with what it is as far as the disk says
/// it along with the name.
pub(crate) fn names(folder: Handle) -> Result<Vec<(BString, Option<FileKind>)>> {
    let mut names = Vec::new();
    for entry in Dir::new(folder)? {
        let entry = entry?;
        let name = entry.file_name().to_bytes().as_bstr();
        if name == "." || name == ".." {
            continue;
        }
        let kind = match entry.file_type() {
            FileType::Unknown => None,
            known => Some(of_type(known)),
        };
        names.push((name.to_owned(), kind));
    }
    Ok(names)
}

/// Makes a new file, open for writing; the person's mask takes from `mode`.
pub(crate) fn create(folder: &Handle, name: &BStr, mode: u32) -> Result<File> {
    let flags = OFlags::RDWR | OFlags::CREATE | OFlags::EXCL | OFlags::CLOEXEC | OFlags::NOFOLLOW;
    let file = rustix::fs::openat(folder, name.as_bytes(), flags, permissions(mode))?;
    Ok(file.into())
}

pub(crate) fn symlink(target: &BStr, folder: &Handle, name: &BStr) -> Result<()> {
    Ok(rustix::fs::symlinkat(
        target.as_bytes(),
        folder,
        name.as_bytes(),
    )?)
}

/// Makes a folder, for its owner only if it is `private`; whatever has that name stays.
pub(crate) fn create_folder(folder: &Handle, name: &BStr, is_private: bool) -> Result<()> {
    let mode = if is_private { 0o700 } else { 0o777 };
    match rustix::fs::mkdirat(folder, name.as_bytes(), permissions(mode)) {
        Ok(()) | Err(Errno::EXIST) => Ok(()),
        Err(error) => Err(error.into()),
    }
}

/// Gives a file a second name.
pub(crate) fn link(from: (&Handle, &BStr), to: (&Handle, &BStr)) -> Result<()> {
    let (old, new) = (from.1.as_bytes(), to.1.as_bytes());
    Ok(rustix::fs::linkat(
        from.0,
        old,
        to.0,
        new,
        AtFlags::empty(),
    )?)
}

pub(crate) fn rename(from: (&Handle, &BStr), to: (&Handle, &BStr), put: Put) -> Result<()> {
    let (old, new) = (from.1.as_bytes(), to.1.as_bytes());
    let flags = match put {
        Put::Over => return Ok(rustix::fs::renameat(from.0, old, to.0, new)?),
        Put::Free => RenameFlags::NOREPLACE,
        Put::Swap => RenameFlags::EXCHANGE,
    };
    rustix::fs::renameat_with(from.0, old, to.0, new, flags).map_err(|error| match error {
        Errno::INVAL | Errno::NOSYS | Errno::NOTSUP => {
            Error::new(ErrorKind::Unsupported, "this disk can't do that")
        }
        other => other.into(),
    })
}

pub(crate) fn remove_file(folder: &Handle, name: &BStr) -> Result<()> {
    Ok(rustix::fs::unlinkat(
        folder,
        name.as_bytes(),
        AtFlags::empty(),
    )?)
}

/// Removes an empty folder.
pub(crate) fn remove_folder(folder: &Handle, name: &BStr) -> Result<()> {
    Ok(rustix::fs::unlinkat(
        folder,
        name.as_bytes(),
        AtFlags::REMOVEDIR,
    )?)
}

/// Makes durable which names a folder holds.
pub(crate) fn sync(folder: &Handle) -> Result<()> {
    Ok(rustix::fs::fsync(to_list(folder)?)?)
}

/// Sets a file's permission bits, as chmod(2) takes them.
pub(crate) fn set_mode(file: &File, mode: u32) -> Result<()> {
    Ok(rustix::fs::fchmod(file, permissions(mode))?)
}

/// Permission bits as the system has them; systems differ in their type.
#[allow(clippy::unnecessary_cast, reason = "it isn't on every system")]
fn permissions(mode: u32) -> Mode {
    Mode::from_raw_mode((mode & 0o7777) as rustix::fs::RawMode)
}

/// Sets when a file's contents changed last; of a link, the link's own time.
pub(crate) fn set_modified(folder: &Handle, name: &BStr, time: SystemTime) -> Result<()> {
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
    Ok(rustix::fs::utimensat(
        folder,
        name.as_bytes(),
        &times,
        AtFlags::SYMLINK_NOFOLLOW,
    )?)
}

/// Waits until nobody else holds a folder, and holds it as long as what is given lives. A disk that
/// can't do it keeps nobody waiting.
pub(crate) fn hold(folder: &Handle) -> Result<File> {
    let folder = to_list(folder)?;
    let _ = rustix::fs::flock(&folder, FlockOperation::LockExclusive);
    Ok(folder.into())
}

/// The same without waiting: nothing if somebody else holds it.
pub(crate) fn hold_if_free(folder: &Handle) -> Result<Option<File>> {
    let folder = to_list(folder)?;
    match rustix::fs::flock(&folder, FlockOperation::NonBlockingLockExclusive) {
        Ok(()) => Ok(Some(folder.into())),
        Err(Errno::WOULDBLOCK) => Ok(None),
        Err(error) => Err(error.into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Root;
    use crate::resolve::is_link_on_the_way;

    #[test]
    fn step_by_step_is_the_same_as_at_once() {
        let folder = tempfile::tempdir().unwrap();
        let root = Root::open(folder.path()).unwrap();
        root.create_folders("real/deep".into()).unwrap();
        root.create("real/deep/file".into(), 0o600).unwrap();
        root.symlink("real".into(), "link".into()).unwrap();
        root.symlink("real/deep/file".into(), "to-file".into())
            .unwrap();
        for (path, purpose) in [
            ("real/deep", Purpose::LookUp),
            ("real/deep/file", Purpose::Read),
            ("link/deep", Purpose::LookUp),
            ("link/deep/file", Purpose::Read),
            ("to-file", Purpose::Read),
            ("link", Purpose::LookUp),
            ("real/none", Purpose::Read),
            ("real/deep/file/more", Purpose::Read),
        ] {
            let handle = root.handle.as_ref();
            let at_once = open(handle, path.into(), purpose).map(drop);
            let by_step = step_by_step(handle.as_fd(), path.as_bytes(), flags(purpose)).map(drop);
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
