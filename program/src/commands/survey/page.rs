//! The picture as a page.

use super::Picture;
use crate::context::Context;
use crate::render::page::{GENERATOR, Page};
use crate::render::{Paint, screen};
use crate::{putln, words};
use anyhow::{Context as _, Result, bail};
use bstr::ByteSlice;
use jiff::Zoned;
use redshank_worktree::expectations::prove;
use redshank_worktree::sums::FolderSum;
use redshank_worktree::tree::Tree;
use redshank_worktree::usage::rule_usage_in;
use redshank_worktree::{Overlay, Verdicts};
use std::fs::Permissions;
use std::io::{ErrorKind, Write};
use std::os::unix::fs::PermissionsExt;
use std::path::Path;

/// Writes the page; `-` is the standard output.
pub(super) fn write(context: &Context, picture: &Picture, whole: &Tree, file: &Path) -> Result<()> {
    let snapshot = picture.snapshot;
    let verdicts = Verdicts::new(snapshot, Overlay::new())?;
    let expected = &snapshot.settings()?.expect;
    let page = Page {
        name: picture.name(),
        standing: picture.standing(),
        sums: FolderSum::of(whole, picture.folder),
        projects: &picture.recognised.projects,
        result: picture.result,
        usage: &rule_usage_in(snapshot, snapshot.whole_tree()?)?,
        outcomes: prove(snapshot, &verdicts, expected)?,
        next: words::next_step(picture.next),
        made: Zoned::now().strftime("%Y-%m-%d").to_string(),
    };
    let html = page.html();
    if file == Path::new("-") {
        return Ok(screen::raw().write_all(html.as_bytes())?);
    }
    put_down(file, &html)?;
    if context.speaks() {
        putln!("{}  {}", Paint::Good.on("written"), file.display())?;
    }
    Ok(())
}

/// Writes a file that the person names, anywhere; only an older page of ours is replaced.
#[allow(clippy::disallowed_methods, reason = "a place that the person names")]
fn put_down(file: &Path, html: &str) -> Result<()> {
    match std::fs::read(file) {
        Ok(held) if !held.contains_str(GENERATOR) => bail!(
            "{} is there already and no page of redshank\n  name another file",
            file.display()
        ),
        Err(error) if error.kind() != ErrorKind::NotFound => {
            return Err(error).with_context(|| file.display().to_string());
        }
        Ok(_) | Err(_) => {}
    }
    let folder = file
        .parent()
        .filter(|folder| !folder.as_os_str().is_empty());
    let folder = folder.unwrap_or(Path::new("."));
    // Whole or not at all.
    let mut new = tempfile::Builder::new()
        .permissions(Permissions::from_mode(0o666))
        .tempfile_in(folder)
        .with_context(|| format!("{}\n  name a folder that exists", folder.display()))?;
    new.write_all(html.as_bytes())?;
    new.persist(file)?;
    Ok(())
}
