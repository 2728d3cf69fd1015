//! What is at a path.

use rustix::fs::{AtFlags, FileType};
use std::fs::File;
use std::io::{Error, Result};
use std::os::fd::AsFd;
use std::time::{Duration, SystemTime};

/// What kind of thing is at a path.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FileKind {
    /// A regular file.
    File,
    /// A folder.
    Folder,
    /// A symbolic link.
    Link,
    /// A FIFO, a socket or a device.
    Other,
}

impl FileKind {
    pub(crate) fn from_file_type(kind: FileType) -> Self {
        match kind {
            FileType::RegularFile => Self::File,
            FileType::Directory => Self::Folder,
            FileType::Symlink => Self::Link,
            _ => Self::Other,
        }
    }

    /// What it is, in words.
    pub fn word(self) -> &'static str {
        match self {
            Self::File => "a file",
            Self::Folder => "a folder",
            Self::Link => "a symbolic link",
            Self::Other => "a FIFO, a socket or a device",
        }
    }
}

/// What the system says of a path, without following a link there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Meta {
    /// Kind of entry on disk.
    pub kind: FileKind,
    /// Size of the contents in bytes.
    pub size: u64,
    /// When its contents changed last.
    pub modified: SystemTime,
    /// Its permission bits, as chmod(2) takes them.
    pub mode: u32,
    /// Which disk it is on, and its number there: the same for two names of one file.
    pub identity: (u64, u64),
    /// Whose it is, by number.
    pub owner: u32,
}

impl Meta {
    pub(crate) fn from_stat(stat: &rustix::fs::Stat) -> Self {
        let (seconds, nanoseconds) = (
            stat.st_mtime,
            u32::try_from(stat.st_mtime_nsec).unwrap_or(0),
        );
        let modified = match u64::try_from(seconds) {
            Ok(seconds) => SystemTime::UNIX_EPOCH + Duration::new(seconds, nanoseconds),
            Err(_) => SystemTime::UNIX_EPOCH,
        };
        Self {
            kind: FileKind::from_file_type(FileType::from_raw_mode(stat.st_mode)),
            size: u64::try_from(stat.st_size).unwrap_or(0),
            modified,
            mode: permissions_of(stat),
            identity: (disk_of(stat), stat.st_ino),
            owner: stat.st_uid,
        }
    }
}

/// The file, if it is a regular one.
pub(crate) fn regular(file: File) -> Result<File> {
    match FileKind::from_file_type(FileType::from_raw_mode(rustix::fs::fstat(&file)?.st_mode)) {
        FileKind::File => Ok(file),
        other => Err(not_regular(other)),
    }
}

fn not_regular(kind: FileKind) -> Error {
    Error::other(NotRegular(kind))
}

/// Something that is not a regular file where one was to be read.
#[derive(Debug)]
struct NotRegular(FileKind);

impl std::error::Error for NotRegular {}

impl std::fmt::Display for NotRegular {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(
            f,
            "it is {}, not a regular file, and not read",
            self.0.word()
        )
    }
}

/// Whether an error says that something was not a regular file.
pub fn is_not_regular(error: &Error) -> bool {
    error
        .get_ref()
        .is_some_and(|inner| inner.is::<NotRegular>())
}

/// Whether a name in a folder is where another file system was mounted, be it a part of the same
/// disk.
pub(crate) fn is_mount(folder: impl AsFd, name: &[u8], disk: u64) -> Result<bool> {
    // The system knows it by itself where it can say so (statx(2), `STATX_ATTR_MOUNT_ROOT`);
    // elsewhere the disk tells.
    #[cfg(target_os = "linux")]
    match rustix::fs::statx(
        &folder,
        name,
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
        Ok(_) | Err(rustix::io::Errno::NOSYS) => {}
        Err(error) => return Err(error.into()),
    }
    let found = rustix::fs::statat(&folder, name, AtFlags::SYMLINK_NOFOLLOW)?;
    Ok(disk_of(&found) != disk)
}

/// The permission bits; systems differ in their type.
#[allow(clippy::unnecessary_cast, reason = "it isn't on every system")]
fn permissions_of(stat: &rustix::fs::Stat) -> u32 {
    stat.st_mode as u32 & 0o7777
}

/// The number of the disk; systems differ in its type.
#[allow(
    clippy::unnecessary_cast,
    clippy::cast_sign_loss,
    reason = "it is compared and nothing else"
)]
fn disk_of(stat: &rustix::fs::Stat) -> u64 {
    stat.st_dev as u64
}
