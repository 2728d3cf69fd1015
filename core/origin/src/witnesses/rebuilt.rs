//! What rehearsals saw come back: a command made it again in a clone that lacked it.

use super::Subject;
use crate::Surroundings;
use crate::evidence::{Detail, Evidence, Witness};
use bstr::{BString, ByteSlice};
use redshank_files::Root;
use redshank_rules::RepoPath;
use redshank_worktree::Worktree;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::io::{Error, ErrorKind, Result};

/// The files that commands made again without them, the oldest first; kept in the git folder, which
/// no clone brings along.
#[derive(Debug, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Rebuilt {
    schema: Schema,
    files: Vec<RebuiltFile>,
}

#[derive(Debug, Default, Serialize, Deserialize)]
enum Schema {
    #[default]
    #[serde(rename = "redshank.rebuilt/1")]
    One,
}

/// A file that a command made again.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct RebuiltFile {
    /// Path relative to the repository's top.
    pub path: BString,
    /// The command, as a person would type it, without what is secret in it.
    pub command: String,
    /// Whether it came back byte for byte.
    pub same: bool,
}

/// Where it is kept, in the git folder.
pub const REBUILT_FILE: &str = "redshank/rebuilt.json";

/// No more is read than this, in bytes.
const LARGEST: u64 = 16 << 20;
/// So many files are remembered; the oldest go.
const MOST: usize = 20_000;

impl Rebuilt {
    /// What is remembered here; nothing where there is no repository.
    ///
    /// # Errors
    /// If it can't be read, or isn't in its format.
    pub fn read(worktree: &Worktree) -> Result<Self> {
        let Some(repository) = &worktree.repository else {
            return Ok(Self::default());
        };
        let root = Root::open(&repository.git_folder)?;
        match root.read_if_there(REBUILT_FILE.into(), LARGEST)? {
            Some(text) => serde_json::from_slice(&text)
                .map_err(|error| Error::new(ErrorKind::InvalidData, error)),
            None => Ok(Self::default()),
        }
    }

    /// Adds files; what was known of them is replaced.
    pub fn remember(&mut self, files: Vec<RebuiltFile>) {
        self.files
            .retain(|known| !files.iter().any(|new| new.path == known.path));
        self.files.extend(files);
        let too_many = self.files.len().saturating_sub(MOST);
        self.files.drain(..too_many);
    }

    /// All of it as the text that is kept.
    ///
    /// # Errors
    /// If a path can't be written, which doesn't happen.
    pub fn to_text(&self) -> Result<Vec<u8>> {
        serde_json::to_vec(self).map_err(Error::from)
    }

    /// By the path of each file.
    pub(crate) fn by_path(self) -> HashMap<BString, RebuiltFile> {
        let files = self.files.into_iter();
        files.map(|file| (file.path.clone(), file)).collect()
    }
}

pub(super) fn testify(around: &Surroundings, subject: &Subject, evidence: &mut Vec<Evidence>) {
    let path: &RepoPath = subject.path;
    if let Some(file) = around.rebuilt().get(path.as_bstr()) {
        let row = if file.same { "same" } else { "other" };
        let detail = Detail::MadeBy(file.command.clone());
        evidence.push(Evidence::new(Witness::Rebuilt, row, detail));
    }
}
