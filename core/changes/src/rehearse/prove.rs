//! Whether a build makes again what nobody seems to have written: it runs in a clone without it.

use super::ScratchClone;
use crate::disk::{io_error_at, replace};
use crate::{Error, Result};
use bstr::ByteSlice;
use redshank_files::Root;
use redshank_origin::{Origin, REBUILT_FILE, Rebuilt, RebuiltFile, Witness};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_secrets::masked;
use redshank_templates::{NeededPaths, Survey, is_keep_file};
use redshank_worktree::tree::{Entry, EntryKind, State};
use redshank_worktree::{Overlay, Snapshot, Verdicts, Worktree};
use std::fs::File;

/// A file that is left out of the clone.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LeftOut {
    /// Path relative to the repository's top.
    pub path: RepoPathBuf,
    /// Where it comes from, as far as the evidence says.
    pub origin: Origin,
    /// Whether git tracks it.
    pub is_tracked: bool,
}

/// What became of a file that was left out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Outcome {
    /// The command made it again, byte for byte.
    Same,
    /// The command made it again, with other contents.
    Other,
    /// The command works without it and did not make it.
    NotMade,
    /// The command fails without it and the others of this kind, and works with them.
    Missed,
    /// The command fails with it, too: nothing is known.
    Unknown,
}

/// The files of the next commit that evidence doesn't call authored: made, or unknown and not named
/// by an authored file. What a person's exception re-includes, and what a clone needs, is not among
/// them.
///
/// # Errors
/// If an ignore file can't be read.
pub fn left_out(snapshot: &Snapshot, survey: &Survey, staged_only: bool) -> Result<Vec<LeftOut>> {
    let verdicts = Verdicts::new(snapshot, Overlay::new())?;
    let needed = NeededPaths::collect(&survey.projects);
    let files: Vec<&Entry> = snapshot
        .tree()?
        .entries
        .iter()
        .filter(|entry| {
            entry.kind == EntryKind::File
                && (entry.state == State::Tracked
                    || !staged_only && entry.state == State::Candidate)
        })
        .collect();
    let judgements = survey.judge(&files);
    let mut found = Vec::new();
    for entry in files {
        let path: &RepoPath = &entry.path;
        let Some(judgement) = judgements.on(path) else {
            continue;
        };
        let is_named = judgement
            .evidence
            .iter()
            .any(|one| one.witness == Witness::Referenced && one.weight.0 < 0);
        let stays = judgement.origin == Origin::Authored
            || judgement.origin == Origin::Unknown && is_named
            || is_keep_file(path.name())
            || needed.has(path)
            || survey.matches.re_includes(path)
            || verdicts.is_re_included(path)?;
        if !stays {
            found.push(LeftOut {
                path: path.to_owned(),
                origin: judgement.origin,
                is_tracked: entry.state == State::Tracked,
            });
        }
    }
    Ok(found)
}

impl ScratchClone {
    /// Removes files from the clone and its index, so that a command that makes them creates them.
    ///
    /// # Errors
    /// If git or the disk refuses.
    pub fn leave_out(&self, files: &[LeftOut]) -> Result<()> {
        let root = &self.worktree.root;
        for file in files {
            root.remove_file_if_there(file.path.as_bstr())
                .map_err(io_error_at(&self.worktree.path(file.path.as_bstr())))?;
            let above = file.path.folders_above().rev();
            // Git has no empty folders, so a clone without the file hasn't, either.
            for folder in above.filter(|folder| !folder.is_top()) {
                if root.list(folder).is_ok_and(|inner| !inner.is_empty())
                    || root.remove_folder(folder.bare()).is_err()
                {
                    break;
                }
            }
        }
        let repository = self.worktree.repository.as_ref();
        if let Some(repository) = repository.filter(|_| !files.is_empty()) {
            let new = repository.git_folder.join("index-without");
            repository.index_without(files.iter().map(|file| file.path.as_bstr()), &new)?;
            repository.put_index(&new, |_| true)?;
        }
        Ok(())
    }

    /// What became of each file that was left out, after a command that worked there.
    ///
    /// # Errors
    /// If the disk refuses.
    pub fn outcomes(&self, here: &Worktree, files: &[LeftOut]) -> Result<Vec<Outcome>> {
        let outcome = |file: &LeftOut| {
            let path = file.path.as_bstr();
            let there = match self.worktree.root.file(path) {
                Ok(there) => there,
                Err(_) => return Ok(Outcome::NotMade),
            };
            let own = here.root.file(path);
            let is_same = own.and_then(|own| is_same(own, there));
            let is_same = is_same.map_err(io_error_at(&here.path(path)))?;
            Ok(if is_same {
                Outcome::Same
            } else {
                Outcome::Other
            })
        };
        files.iter().map(outcome).collect()
    }
}

/// Whether two files hold the same bytes.
fn is_same(a: File, b: File) -> std::io::Result<bool> {
    let is_as_long = a.metadata()?.len() == b.metadata()?.len();
    Ok(is_as_long && hash(a)? == hash(b)?)
}

fn hash(file: File) -> std::io::Result<blake3::Hash> {
    Ok(blake3::Hasher::new().update_reader(file)?.finalize())
}

/// Keeps what came back: from now on it is certain that the command makes it.
///
/// # Errors
/// If what is kept can't be read, or the disk refuses.
pub fn remember_rebuilt(
    worktree: &Worktree,
    command: &str,
    files: &[(LeftOut, Outcome)],
) -> Result<()> {
    let Some(repository) = &worktree.repository else {
        return Ok(());
    };
    let path = repository.git_folder.join(REBUILT_FILE);
    let mut known = Rebuilt::read(worktree).map_err(|error| Error::BadRuns {
        path: path.clone(),
        said: error.to_string(),
    })?;
    let came_back = files.iter().filter_map(|(file, outcome)| {
        let same = match outcome {
            Outcome::Same => true,
            Outcome::Other => false,
            Outcome::NotMade | Outcome::Missed | Outcome::Unknown => return None,
        };
        Some(RebuiltFile {
            path: file.path.clone().into(),
            command: masked(command),
            same,
        })
    });
    known.remember(came_back.collect());
    let text = known.to_text().map_err(io_error_at(&path))?;
    let root = Root::open(&repository.git_folder).map_err(io_error_at(&path))?;
    root.create_private_folders(RepoPath::new(REBUILT_FILE).folder().bare().as_bstr())
        .map_err(io_error_at(&path))?;
    replace(&root, REBUILT_FILE.into(), &text).map_err(io_error_at(&path))
}
