//! All that is not the same on every system, and that could only be tested here on Linux. Another system needs its own of
//! these few, and no change elsewhere.
//!
//! What is handled where it occurs, and tested here: `core.ignoreCase` (matching, the index), CRLF in ignore files, names that
//! clash or can't be held on other systems (`findings/names.rs`), links in the place of folders, file modes and long paths
//! in a rehearsal, which git itself lays out.

use std::fs::{DirBuilder, Permissions};
use std::io::Result;
use std::os::unix::fs::{DirBuilderExt, PermissionsExt, symlink};
use std::path::Path;

/// The permissions of a new file, from which the system takes what the person's mask forbids.
pub(crate) fn new_file_permissions() -> Permissions {
    Permissions::from_mode(0o666)
}

/// Makes a folder, and those on the way to it, that only its owner can enter. Elsewhere, an access list says so.
pub(crate) fn private_folder(path: &Path) -> Result<()> {
    DirBuilder::new().recursive(true).mode(0o700).create(path)
}

/// Makes a file one that can be run. Elsewhere, its name says so.
pub(crate) fn make_executable(path: &Path) -> Result<()> {
    let mut permissions = std::fs::metadata(path)?.permissions();
    permissions.set_mode(permissions.mode() | 0o111);
    std::fs::set_permissions(path, permissions)
}

/// Makes a symbolic link. Elsewhere, one to a folder is another kind, and not everybody may make them.
pub(crate) fn link(target: &Path, at: &Path) -> Result<()> {
    symlink(target, at)
}
