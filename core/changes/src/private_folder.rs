//! A folder among the system's temporary files that only this person can enter.

use redshank_files::{FileKind, Root};
use std::io::Result;
use std::path::PathBuf;

/// Opens `NAME-UID` among the temporary files, and creates it if it isn't there; `None` if it is
/// somebody else's, or others can enter it.
///
/// # Errors
/// If the disk refuses.
pub(crate) fn open(name: &str) -> Result<Option<Root>> {
    let me = rustix::process::geteuid().as_raw();
    let name = format!("{name}-{me}");
    let name = name.as_str().into();
    let root = Root::open(&std::env::temp_dir().canonicalize()?)?;
    root.create_private_folders(name)?;
    let found = root.meta(name)?;
    if found.kind != FileKind::Folder || found.owner != me || found.mode & 0o077 != 0 {
        return Ok(None);
    }
    root.beneath(name).map(Some)
}

/// The path of that folder, for errors.
pub(crate) fn path(name: &str) -> PathBuf {
    let me = rustix::process::geteuid().as_raw();
    std::env::temp_dir().join(format!("{name}-{me}"))
}
