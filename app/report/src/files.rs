//! The list of files, and the folders that they are in.

use super::PathOut;
use bstr::BStr;
use redshank_origin::{Judgement, Origin, Strength, Weight};
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
    /// Where it comes from; only with `--origin`.
    #[serde(flatten)]
    pub origin: Option<OriginOut>,
}

/// Where a file comes from, and by what evidence.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct OriginOut {
    /// Who or what it is of.
    pub origin: Origin,
    /// How sure that is; not there for an unknown origin.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub strength: Option<Strength>,
    /// What speaks for it and against it, the weightiest first.
    pub evidence: Vec<EvidenceOut>,
}

/// A piece of evidence.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct EvidenceOut {
    /// Its kind, `WITNESS/ROW`.
    pub kind: String,
    /// How much it says, in decibans; below zero it speaks for an author.
    pub weight: Weight,
    /// What it says, in words.
    pub says: String,
}

impl From<&Judgement> for OriginOut {
    fn from(judgement: &Judgement) -> Self {
        let evidence = judgement.evidence.iter().map(|one| EvidenceOut {
            kind: one.kind(),
            weight: one.weight,
            says: redshank_text::origin_evidence(one),
        });
        Self {
            origin: judgement.origin,
            strength: judgement.strength,
            evidence: evidence.collect(),
        }
    }
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
