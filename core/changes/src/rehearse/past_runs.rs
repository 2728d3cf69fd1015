//! What earlier runs left behind, kept in the git folder: what every run of a command makes is
//! distinguished from what only one made.

use super::{Run, RunDifference};
use crate::disk::io_error_at;
use crate::{Error, Result};
use bstr::{BString, ByteSlice};
use redshank_files::Root;
use redshank_rules::RepoPath;
use redshank_rules::{Rule, fit};
use redshank_secrets::masked;
use redshank_worktree::Worktree;
use serde::{Deserialize, Serialize};
use std::path::PathBuf;

/// What earlier runs left behind, the oldest first.
#[derive(Debug, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct PastRuns {
    schema: Schema,
    runs: Vec<PastRun>,
}

#[derive(Debug, Default, Serialize, Deserialize)]
enum Schema {
    #[default]
    #[serde(rename = "redshank.runs/1")]
    One,
}

/// What a run left behind.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct PastRun {
    /// As a person would type it, without what is secret in it; empty for a watch.
    pub command: String,
    pub(super) things: Vec<PastThing>,
}

/// Something that a run left behind.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct PastThing {
    /// The rule that ignores it, or would, as in the ignore file at the top.
    pub(super) rule: BString,
    /// Where it is, if no rule kept it out.
    pub(super) path: Option<BString>,
    /// How many files were there of the runs of the command, or how many a rule ignored of this
    /// one.
    pub(super) files: u64,
}

/// So many runs are kept in all, and this many of one command.
const MOST: usize = 100;
const MOST_OF_ONE: usize = 10;

/// No run leaves more to be kept than this many things.
const MOST_THINGS: usize = 1_000;

/// Our folder in the git folder, and what is kept there of runs.
const OWN: &str = "redshank";
const RUNS: &str = "redshank/runs.json";

/// No more is read than this, in bytes.
const LARGEST: u64 = 64 << 20;

impl PastRuns {
    /// What is known of earlier runs here: nothing where there is no git folder.
    ///
    /// # Errors
    /// If it can't be read, or isn't in its format.
    pub fn read(worktree: &Worktree) -> Result<Self> {
        let Some((root, folder)) = own_folder(worktree)? else {
            return Ok(Self::default());
        };
        let path = folder.with_file_name(RUNS);
        let text = root.read_if_there(RUNS.into(), LARGEST);
        let Some(text) = text.map_err(io_error_at(&path))? else {
            return Ok(Self::default());
        };
        serde_json::from_slice(&text).map_err(|error| Error::BadRuns {
            path,
            said: error.to_string(),
        })
    }

    /// The last run of all.
    pub fn last(&self) -> Option<&PastRun> {
        self.runs.last()
    }

    /// The earlier runs of a command, the oldest first.
    pub fn of_command<'r>(
        &'r self,
        command: &'r str,
    ) -> impl DoubleEndedIterator<Item = &'r PastRun> {
        let command = masked(command);
        self.runs
            .iter()
            .filter(move |run| !command.is_empty() && run.command == command)
    }

    /// Keeps what one more run left behind.
    ///
    /// # Errors
    /// If the disk refuses.
    pub fn remember(mut self, worktree: &Worktree, run: &Run, left: &RunDifference) -> Result<()> {
        let Some((root, folder)) = own_folder(worktree)? else {
            return Ok(());
        };
        let kept_out = left.ignored.iter().map(|(ruling, stats)| PastThing {
            rule: fit(&ruling.rule().text.to_str_lossy(), &ruling.source().base),
            path: None,
            files: stats.files,
        });
        let files_of_runs = |path: &RepoPath| left.of_runs.get(path).copied().unwrap_or_default();
        let new = left.unruled.iter().flat_map(|new| {
            new.paths.iter().map(|path| PastThing {
                rule: new.rule.clone(),
                path: Some(path.clone().into()),
                files: files_of_runs(path),
            })
        });
        let command = masked(&run.command);
        // A later run may have put more into what an earlier one made.
        let is_of_it = |run: &&mut PastRun| !command.is_empty() && run.command == command;
        let earlier = self.runs.iter_mut().filter(is_of_it);
        for thing in earlier.flat_map(|run| &mut run.things) {
            if let Some(path) = &thing.path {
                thing.files = files_of_runs(RepoPath::new(path));
            }
        }
        self.runs.push(PastRun {
            command,
            things: kept_out.chain(new).take(MOST_THINGS).collect(),
        });
        self.forget();
        let text = serde_json::to_vec(&self).map_err(|error| Error::BadRuns {
            path: folder.with_file_name(RUNS),
            said: error.to_string(),
        })?;
        root.create_private_folders(OWN.into())
            .map_err(io_error_at(&folder))?;
        crate::disk::replace(&root, RUNS.into(), &text).map_err(io_error_at(&folder))
    }

    /// Lets the oldest go where there are too many.
    fn forget(&mut self) {
        let newest = self.runs.last().map(|run| run.command.clone());
        let is_of_newest = |run: &PastRun| Some(&run.command) == newest.as_ref();
        if self.runs.iter().filter(|run| is_of_newest(run)).count() > MOST_OF_ONE {
            let oldest = self.runs.iter().position(is_of_newest);
            self.runs.remove(oldest.unwrap_or(0));
        }
        if self.runs.len() > MOST {
            self.runs.remove(0);
        }
    }
}

impl PastRun {
    /// The rules for what it left behind, as in an ignore file at the top: those that kept it out,
    /// and those that would.
    pub fn rules(&self) -> Vec<u8> {
        let mut rules: Vec<&[u8]> = self
            .things
            .iter()
            .map(|thing| thing.rule.as_bytes())
            .collect();
        rules.sort_unstable();
        rules.dedup();
        bstr::join("\n", rules)
    }

    /// Whether it left a path behind, or a folder above it, or what this rule would ignore.
    pub(super) fn made(&self, path: &RepoPath, rule: &Rule) -> bool {
        self.new_things().any(|(left, _)| {
            path.is_within(left) || path == left || rule.matches(left.bare(), left.is_folder())
        })
    }

    /// What no rule ignored then: where it is, and all about it.
    pub(super) fn new_things(&self) -> impl Iterator<Item = (&RepoPath, &PastThing)> {
        self.things
            .iter()
            .filter_map(|thing| Some((RepoPath::new(thing.path.as_ref()?), thing)))
    }
}

/// The git folder, opened, and where ours is in it.
fn own_folder(worktree: &Worktree) -> Result<Option<(Root, PathBuf)>> {
    let Some(repository) = &worktree.repository else {
        return Ok(None);
    };
    let root = Root::open(&repository.git_folder).map_err(io_error_at(&repository.git_folder))?;
    Ok(Some((root, repository.git_folder.join(OWN))))
}
