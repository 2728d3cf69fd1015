//! Writing files so that nothing is lost: whole or not at all.

use crate::{Error, Result};
use bstr::{BStr, BString, ByteSlice};
use redshank_files::{FileKind, Put, Root};
use std::fs::File;
use std::io::{Read, Write};
use std::path::Path;
#[cfg(debug_assertions)]
use std::sync::{
    LazyLock,
    atomic::{AtomicU32, Ordering},
};

/// How the name of a file starts that is to be renamed over another.
pub(crate) const SCRATCH: &str = ".redshank-";

/// Replaces a file as a whole: written beside it, made durable, renamed over it. Permissions stay.
///
/// # Errors
/// If the disk refuses; the file is as it was then.
pub(crate) fn replace(root: &Root, path: &BStr, contents: &[u8]) -> std::io::Result<()> {
    let name_at = path.rfind_byte(b'/').map_or(0, |slash| slash + 1);
    let scratch = format!(
        "{SCRATCH}{}-{}",
        std::process::id(),
        &path[name_at..].as_bstr()
    );
    let scratch = BString::from([&path[..name_at], scratch.as_bytes()].concat());
    let mode = root.meta_if_there(path)?.map(|found| found.mode);
    root.remove_file_if_there(scratch.as_bstr())?;
    sync(root.create(scratch.as_bstr(), 0o666)?, contents)?;
    // A new file gets what the person's mask leaves; an old one keeps what it had.
    let moded = mode.map_or(Ok(()), |mode| root.set_mode(scratch.as_bstr(), mode));
    crash_point();
    let put = moded.and_then(|()| root.rename(scratch.as_bstr(), (root, path), Put::Over));
    if put.is_err() {
        let _ = root.remove_file(scratch.as_bstr());
    }
    put?;
    crash_point();
    root.sync_parent(path)
}

/// Writes into a new file, and makes it durable.
pub(crate) fn sync(mut file: File, contents: &[u8]) -> std::io::Result<()> {
    file.write_all(contents)?;
    file.sync_all()
}

/// Gives a file or a link a second name, by which it can be brought back with all that it is:
/// contents, permissions, times. Where the disk has no second names, a copy.
///
/// # Errors
/// If it can't be read, or something is at the new name already, or that can't be written.
pub(crate) fn stamped_copy(from: (&Root, &BStr), to: (&Root, &BStr)) -> Result<()> {
    crash_point();
    let disk = |at: (&Root, &BStr)| io_error_at(&at.0.path().join(at.1.to_path_lossy()));
    let found = from.0.meta(from.1).map_err(disk(from))?;
    // A second name of a FIFO, or of whatever else it became, is of no use.
    if found.kind != FileKind::File && found.kind != FileKind::Link {
        let said = format!("it is {}, not a regular file", found.kind.word());
        return Err(disk(from)(std::io::Error::other(said)));
    }
    if from.0.link(from.1, to).is_ok() {
        return Ok(());
    }
    if found.kind == FileKind::Link {
        let target = from.0.link_target(from.1).map_err(disk(from))?;
        to.0.symlink(target.as_bstr(), to.1).map_err(disk(to))?;
    } else {
        let mut source = from.0.file(from.1).map_err(disk(from))?;
        let mut copy = to.0.create(to.1, 0o600).map_err(disk(to))?;
        let mut part = vec![0; 1 << 16];
        loop {
            match source.read(&mut part).map_err(disk(from))? {
                0 => break,
                read => copy.write_all(&part[..read]).map_err(disk(to))?,
            }
        }
        copy.sync_all().map_err(disk(to))?;
        to.0.set_mode(to.1, found.mode).map_err(disk(to))?;
    }
    to.0.set_modified(to.1, found.modified).map_err(disk(to))
}

/// Between two steps that change the disk: here the program may be killed, and tests of it do so.
/// With `REDSHANK_KILLED_AT=7` in the environment, a program built without optimisation ends at the
/// seventh.
pub fn crash_point() {
    #[cfg(debug_assertions)]
    {
        static PASSED: AtomicU32 = AtomicU32::new(0);
        static KILLED_AT: LazyLock<Option<u32>> = LazyLock::new(|| {
            std::env::var("REDSHANK_KILLED_AT")
                .ok()
                .and_then(|number| number.parse().ok())
        });
        if KILLED_AT.is_some_and(|number| number == PASSED.fetch_add(1, Ordering::Relaxed) + 1) {
            std::process::abort();
        }
    }
}

/// What the disk said of a path, as an error.
pub(crate) fn io_error_at(path: &Path) -> impl FnOnce(std::io::Error) -> Error + use<> {
    let wrap = redshank_worktree::io_error_at(path);
    move |cause| wrap(cause).into()
}
