//! What may be moved out of the way: generated, ignored, and with a known way to be made again.

use crate::disk::io_error_at;
use crate::{Result, removable};
use bstr::ByteSlice;
use redshank_files::{FileKind, Root};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_templates::Survey;
use redshank_worktree::size::Bytes;
use redshank_worktree::tree::{State, Tree};
use redshank_worktree::{Class, FileStats};

/// What rules ignore already and projects of the survey can make again: the path, and how.
pub(super) fn kept_out<'s>(tree: &Tree, survey: &'s Survey) -> Vec<(RepoPathBuf, &'s str)> {
    let mut found: Vec<(RepoPathBuf, &str)> = Vec::new();
    for entry in tree.in_state(State::Ignored) {
        let mut parts = entry.path.parts();
        let matched = parts.find_map(|part| Some((part, survey.matches.on(part)?)));
        if let Some((part, matched)) =
            matched.filter(|(_, matched)| matched.class() == Class::Generated)
            && let Some(remake) = matched.remake()
            && found.last().is_none_or(|(last, _)| *last != part)
        {
            found.push((part.to_owned(), remake));
        }
    }
    found
}

/// How much is there; nothing if it may not be moved away.
///
/// # Errors
/// If it can't be read.
pub(super) fn stats(root: &Root, path: &RepoPath) -> Result<Option<FileStats>> {
    if removable::keeps(root, path)?.is_some() {
        return Ok(None);
    }
    let mut sum = FileStats::default();
    let mut waiting = vec![path.to_owned()];
    while let Some(path) = waiting.pop() {
        let disk = |error| io_error_at(&root.path().join(path.to_path_lossy()))(error);
        let found = root.meta(&path).map_err(disk)?;
        if found.kind == FileKind::Folder {
            let names = root.list(&path).map_err(disk)?;
            waiting.extend(names.into_iter().map(|(name, _)| path.join(name)));
        } else {
            sum += FileStats::one(Bytes(found.size));
        }
    }
    Ok(Some(sum))
}
