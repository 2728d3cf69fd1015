//! The one door to files: a folder is opened once, as a [`Root`], and everything that is read,
//! written, moved or deleted through it is beneath it. No symbolic link is followed on the way,
//! whatever changes while the program runs, and nothing but a regular file is ever read.
//!
//! ```
//! # fn main() -> std::io::Result<()> {
//! # let folder = tempfile::tempdir()?;
//! let root = redshank_files::Root::open(folder.path())?;
//! root.create_folders("gauges/north".into())?;
//! root.create("gauges/north/readings.csv".into(), 0o644)?;
//! assert!(root.read("gauges/north/readings.csv".into(), 1 << 20)?.is_empty());
//! assert!(root.read("../outside".into(), 1 << 20).is_err());
//! # Ok(())
//! # }
//! ```
//!
//! # Why it is written here
//!
//! git takes no path that leads through a link for one of its own (git-add(1): "beyond a symbolic
//! link"), not even where the link stays inside. A capability that follows links as long as they
//! stay beneath, as the libraries for this offer it, would therefore read and write what git does
//! not mean. `openat2(2)` says it in one call: `RESOLVE_BENEATH` with `RESOLVE_NO_SYMLINKS`. Where
//! the system lacks that call, each folder on the way is opened by itself, with `O_NOFOLLOW`.

mod change;
mod meta;
mod resolve;
mod system;

pub use change::Put;
pub use meta::{FileKind, Meta, is_not_regular};
pub use resolve::{Folder, is_link_on_the_way};

use bstr::{BStr, BString};
use std::borrow::Cow;
use std::fs::File;
use std::io::{Error, ErrorKind, Read, Result};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use system::{Handle, Purpose};

/// A folder, opened once. Paths are relative to it, with `/` between their parts; a slash at the
/// end is allowed.
#[derive(Debug, Clone)]
pub struct Root {
    path: PathBuf,
    handle: Arc<Handle>,
}

impl Root {
    /// Opens a folder that the caller vouches for: links on the way to it are followed.
    ///
    /// # Errors
    /// If it is not a folder or can't be entered.
    pub fn open(path: &Path) -> Result<Self> {
        Ok(Self {
            path: path.to_owned(),
            handle: Arc::new(system::open_trusted(path, Purpose::LookUp)?),
        })
    }

    /// Where the folder was when it was opened.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// A folder beneath this one, as a root of its own.
    ///
    /// # Errors
    /// If it isn't there, is not a folder, or a link is on the way.
    pub fn beneath(&self, path: &BStr) -> Result<Self> {
        let handle = system::open(&self.handle, path, Purpose::LookUp)?;
        Ok(Self {
            path: self.path.join(bstr::ByteSlice::to_path_lossy(&**path)),
            handle: Arc::new(handle),
        })
    }

    /// What is there; a link is reported as a link.
    ///
    /// # Errors
    /// If nothing is there, or it can't be determined.
    pub fn meta(&self, path: &BStr) -> Result<Meta> {
        Folder::open(self, path)?.meta(resolve::name(path))
    }

    /// The same, with nothing for what isn't there: neither the path, nor a folder on the way, or
    /// there is a file or a link in the place of such a folder.
    ///
    /// # Errors
    /// If it can't be determined.
    pub fn meta_if_there(&self, path: &BStr) -> Result<Option<Meta>> {
        if_there(self.meta(path))
    }

    /// What kind of thing is there; nothing if there is none or it can't be determined.
    pub fn kind(&self, path: &BStr) -> Option<FileKind> {
        self.meta(path).ok().map(|meta| meta.kind)
    }

    /// The same where every folder on the way is known to be one, and no link: asked in one call,
    /// which nothing but this answer may depend on.
    pub fn kind_below(&self, path: &BStr) -> Option<FileKind> {
        system::kind_below(&self.handle, path).ok()
    }

    /// Whether anything is there, be it a link that leads nowhere.
    pub fn is_there(&self, path: &BStr) -> bool {
        self.kind(path).is_some()
    }

    /// Opens a regular file for reading. Nothing else is opened: no FIFO, which would wait for
    /// somebody to write, no device, no link.
    ///
    /// # Errors
    /// If it isn't a regular file or can't be read.
    pub fn file(&self, path: &BStr) -> Result<File> {
        meta::regular(system::open(&self.handle, path, Purpose::Read)?)
    }

    /// What a regular file holds, up to a number of bytes.
    ///
    /// # Errors
    /// If it is larger, isn't a regular file, or can't be read.
    pub fn read(&self, path: &BStr, limit: u64) -> Result<Vec<u8>> {
        read_all(self.file(path)?, limit)
    }

    /// The same, with nothing for a file that isn't there.
    ///
    /// # Errors
    /// If it is there and can't be read, or is not a regular file.
    pub fn read_if_there(&self, path: &BStr, limit: u64) -> Result<Option<Vec<u8>>> {
        if_there(self.read(path, limit))
    }

    /// Where a symbolic link leads, as it says.
    ///
    /// # Errors
    /// If it is not a link or can't be read.
    pub fn link_target(&self, path: &BStr) -> Result<BString> {
        Folder::open(self, path)?.link_target(resolve::name(path))
    }

    /// The names in a folder, the empty path for this one, and what each is; in no order. A name
    /// that goes while it is looked at is left out.
    ///
    /// # Errors
    /// If it is not a folder or can't be listed.
    pub fn list(&self, path: &BStr) -> Result<Vec<(BString, FileKind)>> {
        Folder::at(self, path)?.list()
    }
}

/// Nothing for an error that says that nothing is there, or could be: a path longer than the system
/// takes, too.
fn if_there<T>(read: Result<T>) -> Result<Option<T>> {
    match read {
        Ok(there) => Ok(Some(there)),
        Err(error) if is_absence(&error) => Ok(None),
        Err(error) => Err(error),
    }
}

/// Whether an error says that nothing is there, or could be.
pub fn is_absence(error: &Error) -> bool {
    let kinds = [
        ErrorKind::NotFound,
        ErrorKind::NotADirectory,
        ErrorKind::InvalidFilename,
    ];
    kinds.contains(&error.kind()) && !is_link_on_the_way(error)
}

/// A path as git has it: bytes, with `/` between the parts. Where paths are not bytes, one that is
/// no text loses what can't be written as such.
pub fn path_bytes(path: &Path) -> Cow<'_, [u8]> {
    system::path_bytes(path)
}

/// A path with its links resolved, in the form that git gives paths in.
///
/// # Errors
/// If nothing is there.
pub fn canonical(path: &Path) -> Result<PathBuf> {
    dunce::canonicalize(path)
}

/// The number of the person who runs the program, by which a shared folder tells people's own parts
/// apart. On Windows nothing is shared, and it is 0.
pub fn person() -> u32 {
    system::person()
}

/// Makes a folder of the person's own, and those on the way to it. Symbolic links there are theirs,
/// and followed.
///
/// # Errors
/// If the disk refuses.
pub fn create_own_folder(path: &Path) -> Result<()> {
    std::fs::create_dir_all(path)
}

/// What a regular file holds that the caller vouches for, up to a number of bytes; links are
/// followed.
///
/// # Errors
/// If it is larger, isn't a regular file, or can't be read.
pub fn read_trusted(path: &Path, limit: u64) -> Result<Vec<u8>> {
    read_all(
        meta::regular(system::open_trusted(path, Purpose::Read)?)?,
        limit,
    )
}

/// What a file holds, up to a number of bytes.
fn read_all(file: File, limit: u64) -> Result<Vec<u8>> {
    let mut bytes = Vec::with_capacity(file.metadata()?.len().min(limit) as usize);
    // One byte more tells that there is more.
    file.take(limit + 1).read_to_end(&mut bytes)?;
    if bytes.len() as u64 > limit {
        let said = format!("it is larger than {} KiB, and not read", limit >> 10);
        return Err(Error::new(ErrorKind::FileTooLarge, said));
    }
    Ok(bytes)
}
