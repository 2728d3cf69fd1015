//! The list of files, and the folders that they are in.

use super::PathOut;
use bstr::BStr;
use redshank_worktree::FileStats;
use redshank_worktree::size::Bytes;
use redshank_worktree::tree::State;
use serde::Serialize;

/// A file, as `files --format json` and `--format jsonl` list it.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct FileOut {
    /// Which, relative to the folder that was asked about.
    #[serde(flatten)]
    pub path: PathOut,
    /// git's verdict.
    pub state: State,
    /// Size of the contents in bytes.
    pub size: Bytes,
}

/// `files --tree --format json`.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "redshank.folders/1"))]
pub struct FoldersOut {
    /// Always `redshank.folders/1`.
    pub schema: &'static str,
    /// The repository's top folder, an absolute path.
    pub root: String,
    /// Each below the one that holds it, biggest first.
    pub folders: Vec<FolderRowOut>,
}

/// A folder and what it holds.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct FolderRowOut {
    /// Which, with a slash at its end; empty for what is right in the folder asked about.
    #[serde(flatten)]
    pub path: PathOut,
    /// How deep it is, from 1.
    pub level: usize,
    /// Number of files and their bytes.
    #[serde(flatten)]
    pub stats: FileStats,
}

impl FolderRowOut {
    /// A row as it is written.
    pub fn new(path: &BStr, level: usize, stats: FileStats) -> Self {
        Self {
            path: PathOut::new(path),
            level,
            stats,
        }
    }
}
