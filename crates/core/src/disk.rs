//! Writing files so that nothing is lost: whole or not at all.

use crate::{Error, Result};
use std::fs::{File, Permissions};
use std::io::Write;
use std::path::Path;

/// Replaces a file as a whole: written beside it, made durable, renamed over it. Permissions stay.
///
/// # Errors
/// If the disk refuses; the file is as it was then.
pub fn replace(path: &Path, contents: &[u8]) -> Result<()> {
    let folder = path.parent().unwrap_or(Path::new("."));
    let kept: Option<Permissions> = std::fs::metadata(path).map(|found| found.permissions()).ok();
    let mut builder = tempfile::Builder::new();
    builder.prefix(".redshank-");
    // A new file gets what the person's umask leaves; an old one keeps what it had.
    let permissions = kept.unwrap_or_else(new_file_permissions);
    let mut file = builder.permissions(permissions).tempfile_in(folder).map_err(refused(folder))?;
    file.write_all(contents).and_then(|()| file.as_file().sync_all()).map_err(refused(path))?;
    file.persist(path).map_err(|error| refused(path)(error.error))?;
    Ok(())
}

fn new_file_permissions() -> Permissions {
    use std::os::unix::fs::PermissionsExt;
    Permissions::from_mode(0o666)
}

/// Makes a folder, and those on the way to it, that only its owner can enter.
///
/// # Errors
/// If the disk refuses.
pub fn private_folder(path: &Path) -> Result<()> {
    use std::os::unix::fs::DirBuilderExt;
    std::fs::DirBuilder::new().recursive(true).mode(0o700).create(path).map_err(refused(path))
}

/// Writes a file that isn't there yet, for its owner only, and makes it durable.
///
/// # Errors
/// If it is there, or the disk refuses.
pub fn write_new(path: &Path, contents: &[u8]) -> Result<()> {
    use std::os::unix::fs::OpenOptionsExt;
    let file = File::options().write(true).create_new(true).mode(0o600).open(path);
    file.and_then(|mut file| file.write_all(contents).and_then(|()| file.sync_all())).map_err(refused(path))
}

/// What a file holds, if it is there.
///
/// # Errors
/// If it can't be read.
pub fn read_if_there(path: &Path) -> Result<Option<Vec<u8>>> {
    match std::fs::read(path) {
        Ok(bytes) => Ok(Some(bytes)),
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => Ok(None),
        Err(source) => Err(refused(path)(source)),
    }
}

/// What the disk said of a path, as an error.
pub fn refused(path: &Path) -> impl FnOnce(std::io::Error) -> Error {
    let path = path.to_owned();
    move |cause| Error::Disk { path, cause }
}
