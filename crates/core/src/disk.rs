//! Writing files so that nothing is lost: whole or not at all.

use crate::{Error, Result, platform};
use std::fs::{File, Permissions};
use std::io::Write;
use std::path::Path;
#[cfg(debug_assertions)]
use std::sync::{
    LazyLock,
    atomic::{AtomicU32, Ordering},
};

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
    let permissions = kept.unwrap_or_else(platform::new_file_permissions);
    let mut file = builder.permissions(permissions).tempfile_in(folder).map_err(refused(folder))?;
    file.write_all(contents).and_then(|()| file.as_file().sync_all()).map_err(refused(path))?;
    boundary();
    file.persist(path).map_err(|error| refused(path)(error.error))?;
    make_durable(folder)
}

/// Gives the file at `path` a second name, by which it can be brought back with all that it is: contents, permissions,
/// times. Where the disk has no second names, a copy.
///
/// # Errors
/// If `path` can't be read, or `at` is there already or can't be written.
pub fn keep(path: &Path, at: &Path) -> Result<()> {
    boundary();
    if std::fs::hard_link(path, at).is_ok() {
        return Ok(());
    }
    if let Ok(target) = std::fs::read_link(path) {
        return platform::link(&target, at).map_err(refused(at));
    }
    let modified = std::fs::metadata(path).and_then(|found| found.modified()).map_err(refused(path))?;
    std::fs::copy(path, at).map_err(refused(at))?;
    let file = File::options().write(true).open(at);
    file.and_then(|file| file.set_modified(modified).and_then(|()| file.sync_all())).map_err(refused(at))?;
    Ok(())
}

/// Writes at `at` what `path` is to hold, with the permissions that `path` has or a new file gets, and makes it durable.
///
/// # Errors
/// If the disk refuses.
pub fn prepare(path: &Path, contents: &[u8], at: &Path) -> Result<()> {
    boundary();
    let mut file = File::create(at).map_err(refused(at))?;
    let written = file.write_all(contents).and_then(|()| match std::fs::metadata(path) {
        Ok(found) => file.set_permissions(found.permissions()),
        Err(_) => Ok(()),
    });
    written.and_then(|()| file.sync_all()).map_err(refused(at))
}

/// Puts a file that was prepared elsewhere in the place of another, whole or not at all.
///
/// # Errors
/// If the disk refuses; the file is as it was then.
pub fn put_in_place(prepared: &Path, path: &Path) -> Result<()> {
    boundary();
    match std::fs::rename(prepared, path) {
        Err(error) if error.kind() == std::io::ErrorKind::CrossesDevices => {
            replace(path, &std::fs::read(prepared).map_err(refused(prepared))?)?;
            let modified = std::fs::metadata(prepared).and_then(|found| found.modified()).map_err(refused(prepared))?;
            let file = File::options().write(true).open(path);
            file.and_then(|file| file.set_modified(modified)).map_err(refused(path))
        }
        renamed => {
            renamed.map_err(refused(path))?;
            make_durable(path.parent().unwrap_or(Path::new(".")))
        }
    }
}

/// Puts what was kept at `kept` in the place of `path`, whole or not at all. What was kept stays; `scratch` is a name beside
/// it that may be used.
///
/// # Errors
/// If the disk refuses; the file is as it was then.
pub fn bring_back(kept: &Path, scratch: &Path, path: &Path) -> Result<()> {
    // Renaming one name of a file to another of its names would leave both.
    if same_file::is_same_file(kept, path).unwrap_or(false) {
        return Ok(());
    }
    match std::fs::remove_file(scratch) {
        Err(error) if error.kind() != std::io::ErrorKind::NotFound => return Err(refused(scratch)(error)),
        _ => keep(kept, scratch)?,
    }
    put_in_place(scratch, path)
}

/// Moves a file or folder, of any size, in one step.
///
/// # Errors
/// If the disk refuses, most often because both do not lie on one.
pub fn move_to(path: &Path, to: &Path) -> Result<()> {
    boundary();
    std::fs::rename(path, to).map_err(|error| match error.kind() {
        std::io::ErrorKind::CrossesDevices => Error::OtherDisk(path.to_owned()),
        _ => refused(path)(error),
    })?;
    [path, to].iter().filter_map(|path| path.parent()).try_for_each(make_durable)
}

/// Makes durable which names a folder holds.
fn make_durable(folder: &Path) -> Result<()> {
    boundary();
    File::open(folder).and_then(|folder| folder.sync_all()).map_err(refused(folder))
}

/// Between two steps that change the disk: here the program may be killed, and tests of it do so. With
/// `REDSHANK_KILLED_AT=7` in the environment, a program built without optimisation ends at the seventh.
pub fn boundary() {
    #[cfg(debug_assertions)]
    {
        static PASSED: AtomicU32 = AtomicU32::new(0);
        static KILLED_AT: LazyLock<Option<u32>> =
            LazyLock::new(|| std::env::var("REDSHANK_KILLED_AT").ok().and_then(|number| number.parse().ok()));
        if KILLED_AT.is_some_and(|number| number == PASSED.fetch_add(1, Ordering::Relaxed) + 1) {
            std::process::abort();
        }
    }
}

/// Makes a folder, and those on the way to it, that only its owner can enter.
///
/// # Errors
/// If the disk refuses.
pub fn private_folder(path: &Path) -> Result<()> {
    platform::private_folder(path).map_err(refused(path))
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
