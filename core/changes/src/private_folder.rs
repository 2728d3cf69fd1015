//! A folder among the system's temporary files that only this person can enter.

use redshank_files::{FileKind, Root, person};
use std::io::Result;
use std::path::PathBuf;

/// Opens `NAME-UID` among the temporary files, and creates it if it isn't there; `None` if it is
/// somebody else's, or others can enter it.
///
/// # Errors
/// If the disk refuses.
pub(crate) fn open(name: &str) -> Result<Option<Root>> {
    let name = format!("{name}-{}", person());
    let name = name.as_str().into();
    let root = Root::open(&redshank_files::canonical(&std::env::temp_dir())?)?;
    root.create_private_folders(name)?;
    let found = root.meta(name)?;
    if found.kind != FileKind::Folder || !found.is_private {
        return Ok(None);
    }
    root.beneath(name).map(Some)
}

/// The path of that folder, for errors.
pub(crate) fn path(name: &str) -> PathBuf {
    std::env::temp_dir().join(format!("{name}-{}", person()))
}
