//! The picture as a page.

use super::Picture;
use crate::commands::outgoing;
use anyhow::{Context as _, Result, bail};
use bstr::ByteSlice;
use jiff::Zoned;
use output::page::{GENERATOR, Page, PagePush};
use redshank_context::Context;
use redshank_origin::{Origin, Strength};
use redshank_output::{self as output, putln, screen};
use redshank_text::{self as text, Paint};
use redshank_worktree::expectations::prove;
use redshank_worktree::sums::FolderSum;
use redshank_worktree::tree::{Entry, Tree};
use redshank_worktree::usage::rule_usage_in;
use redshank_worktree::{Overlay, Verdicts};
use std::io::{ErrorKind, Read, Write};
use std::path::Path;

/// Writes the page; `-` is the standard output.
pub(super) fn write(context: &Context, picture: &Picture, whole: &Tree, file: &Path) -> Result<()> {
    let snapshot = picture.snapshot;
    let verdicts = Verdicts::new(snapshot, Overlay::new())?;
    let expected = &snapshot.settings()?.expect;
    let entries: Vec<&Entry> = whole.to_commit().collect();
    let judgements = picture.recognised.judge(&entries);
    let page = Page {
        name: picture.name(),
        standing: picture.standing(),
        sums: FolderSum::below(whole, picture.folder),
        projects: &picture.recognised.projects,
        // A hint is no more than that.
        origin_of: &|path| match judgements.on(path) {
            Some(known) if known.strength > Some(Strength::Hint) => known.origin,
            _ => Origin::Unknown,
        },
        result: picture.result,
        usage: &rule_usage_in(snapshot, snapshot.whole_tree()?)?,
        outcomes: prove(snapshot, &verdicts, &Overlay::new(), expected)?,
        push: push(context, picture)?,
        next: text::next_step(picture.next),
        made: Zoned::now().strftime("%Y-%m-%d").to_string(),
    };
    let html = page.html();
    if file == Path::new("-") {
        return Ok(screen::raw().write_all(html.as_bytes())?);
    }
    put_down(&snapshot.top, file, &html)?;
    if context.speaks() {
        putln!("{}  {}", Paint::Good.on("written"), file.display())?;
    }
    Ok(())
}

/// What a push would send; none where there is nothing to push, or nowhere to push to.
fn push(context: &Context, picture: &Picture) -> Result<Option<PagePush>> {
    let repository = picture.snapshot.repository.as_ref();
    let Some(repository) = repository.filter(|repository| repository.has_commit()) else {
        return Ok(None);
    };
    let Ok(destination) = repository.destination(None) else {
        return Ok(None);
    };
    let (outgoing, scanned) = outgoing::look(context, picture.recognised, &destination)?;
    Ok(Some(PagePush {
        destination,
        outgoing,
        scanned,
    }))
}

/// How much of a file is read to see whether it is a page of ours, in bytes.
const HEAD: u64 = 64 << 10;

/// Writes a file that the person names, anywhere; only an older page of ours is replaced. A link
/// of the repository's on the way could lead anywhere.
#[allow(clippy::disallowed_methods, reason = "a place that the person names")]
fn put_down(top: &Path, file: &Path, html: &str) -> Result<()> {
    let absolute = std::path::absolute(file)?;
    if let Ok(below) = absolute.strip_prefix(top) {
        let mut here = top.to_owned();
        for part in below.parent().into_iter().flat_map(Path::components) {
            here.push(part);
            if here.is_symlink() {
                bail!(
                    "{} is a symbolic link of the repository's\n  name a folder that isn't behind one",
                    here.display()
                );
            }
        }
    }
    match std::fs::symlink_metadata(file) {
        Ok(found) if !found.is_file() => {
            bail!("{} is no regular file\n  name another file", file.display())
        }
        Ok(_) => {
            let mut held = Vec::new();
            std::fs::File::open(file)
                .and_then(|open| open.take(HEAD).read_to_end(&mut held))
                .with_context(|| file.display().to_string())?;
            if !held.contains_str(GENERATOR) {
                bail!(
                    "{} is there already and no page of redshank\n  name another file",
                    file.display()
                );
            }
        }
        Err(error) if error.kind() != ErrorKind::NotFound => {
            return Err(error).with_context(|| file.display().to_string());
        }
        Err(_) => {}
    }
    let folder = file
        .parent()
        .filter(|folder| !folder.as_os_str().is_empty());
    let folder = folder.unwrap_or(Path::new("."));
    // Whole or not at all.
    let mut new = new_file_in(folder)
        .with_context(|| format!("{}\n  name a folder that exists", folder.display()))?;
    new.write_all(html.as_bytes())?;
    new.persist(file)?;
    Ok(())
}

/// A file that is made as everyone's others are: the person's mask takes from its permissions.
#[cfg(unix)]
fn new_file_in(folder: &Path) -> std::io::Result<tempfile::NamedTempFile> {
    use std::os::unix::fs::PermissionsExt;
    let mut new = tempfile::Builder::new();
    new.permissions(PermissionsExt::from_mode(0o666))
        .tempfile_in(folder)
}

#[cfg(windows)]
fn new_file_in(folder: &Path) -> std::io::Result<tempfile::NamedTempFile> {
    tempfile::NamedTempFile::new_in(folder)
}
