//! A rehearsal.

use super::PathOut;
use crate::words;
use bstr::ByteSlice;
use redshank_changes::rehearse::{Missing, RunDifference};
use redshank_worktree::FileStats;
use serde::Serialize;

/// What a clone of the next commit would hold, and what a run in it left behind.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct RehearseOut {
    /// `redshank.rehearse/1`.
    pub schema: &'static str,
    /// The top folder.
    pub root: String,
    /// What the clone holds; none where the run was here.
    pub clone: Option<FileStats>,
    /// What it would lack: needed, here, and not in it.
    pub missing: Vec<MissingOut>,
    /// The run, if there was one.
    pub run: Option<RunOut>,
}

/// A file or folder that is needed and would not be in the clone.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct MissingOut {
    /// Which.
    #[serde(flatten)]
    pub path: PathOut,
    /// Why it is needed.
    pub reason: String,
    /// The rule that keeps it out; none if it is only not staged.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub rule: Option<String>,
}

impl From<&Missing> for MissingOut {
    fn from(file: &Missing) -> Self {
        let rule = file
            .ruling
            .as_ref()
            .map(|ruling| ruling.rule().text.to_string());
        Self {
            path: PathOut::of(&file.path),
            reason: words::missing_reason(&file.reason),
            rule,
        }
    }
}

/// A command that ran.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct RunOut {
    /// Its exit code; none if it was killed.
    pub exit_code: Option<i32>,
    /// How long it took, in seconds.
    pub seconds: f64,
    /// What it left behind.
    #[serde(flatten)]
    pub difference: DifferenceOut,
}

/// What a run left behind.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct DifferenceOut {
    /// New, and kept out, by rule.
    pub ignored: Vec<RuledOut>,
    /// New, and not kept out.
    pub unruled: Vec<NewOut>,
    /// Tracked files that it changed.
    pub changed: Vec<PathOut>,
}

/// What one rule keeps out of what is new.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct RuledOut {
    /// The rule's file.
    pub source: String,
    /// And line, from 1.
    pub line: u32,
    /// The rule.
    pub rule: String,
    /// How much.
    #[serde(flatten)]
    pub stats: FileStats,
}

/// Something new that no rule keeps out.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct NewOut {
    /// A file; a folder, with a slash at its end, if it is new as a whole or holds several files of
    /// one kind.
    #[serde(flatten)]
    pub path: PathOut,
    /// How much.
    #[serde(flatten)]
    pub stats: FileStats,
    /// The narrowest rule that keeps it out.
    pub rule: String,
}

impl From<&RunDifference> for DifferenceOut {
    fn from(difference: &RunDifference) -> Self {
        let ruled = difference.ignored.iter().map(|(ruling, stats)| RuledOut {
            source: ruling.source().shown.to_string(),
            line: ruling.rule().line,
            rule: ruling.rule().text.to_string(),
            stats: *stats,
        });
        let new = difference.unruled.iter().map(|new| NewOut {
            path: PathOut::of(&new.path),
            stats: new.stats,
            rule: new.rule.to_string(),
        });
        let changed = difference
            .changed
            .iter()
            .map(|path| PathOut::of(path.as_bstr()))
            .collect();
        Self {
            ignored: ruled.collect(),
            unruled: new.collect(),
            changed,
        }
    }
}
