//! What is at a path.

use crate::system::{self, Handle};
use std::fs::File;
use std::io::{Error, Result};
use std::time::SystemTime;

/// What kind of thing is at a path.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
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
    /// Its permission bits, as chmod(2) takes them; on a system without them, those of a file that
    /// everyone may read and start.
    pub mode: u32,
    /// Which disk it is on, and its number there: the same for two names of one file.
    pub identity: (u64, u64),
    /// It is this person's. On Windows everything is taken for it that the person can enter.
    pub is_mine: bool,
    /// Nobody else may read or enter it.
    pub is_private: bool,
}

/// The file, if it is a regular one.
pub(crate) fn regular(handle: Handle) -> Result<File> {
    match system::meta_of(&handle)?.kind {
        FileKind::File => Ok(system::into_file(handle)),
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
