//! A rehearsal.

use super::PathOut;
use bstr::ByteSlice;
use redshank_changes::rehearse::{
    Learned, LearnedStatus, LeftOut, Missing, Outcome, RunDifference,
};
use redshank_rules::RepoPathBuf;
use redshank_text as text;
use redshank_worktree::FileStats;
use serde::Serialize;
use std::collections::BTreeSet;

/// What a clone of the next commit would hold, and what a run in it left behind.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct RehearseOut {
    /// `redshank.rehearse/1`.
    pub schema: &'static str,
    /// The repository's top folder, an absolute path.
    pub root: String,
    /// What the clone holds; none where the run was here.
    pub clone: Option<FileStats>,
    /// With `--export`: the copy without history.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub export: Option<ExportOut>,
    /// What it would lack: needed, here, and not in it.
    pub missing: Vec<MissingOut>,
    /// With `--prove`: what the clone lacked on purpose, and what became of it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub left_out: Option<Vec<LeftOutOut>>,
    /// The run, if there was one.
    pub run: Option<RunOut>,
}

/// A copy without history.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ExportOut {
    /// Its folder, an absolute path.
    pub folder: String,
    /// The name of its only commit.
    pub commit: String,
    /// Number of findings in it at level `error`.
    pub errors: usize,
    /// Number of findings in it at level `warning`.
    pub warnings: usize,
    /// Whether all of it was scanned: no archive, submodule or unreadable file is in it.
    pub is_complete: bool,
}

/// A file or folder that is needed and would not be in the clone.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct MissingOut {
    /// The path that it is about.
    #[serde(flatten)]
    pub path: PathOut,
    /// Why it is needed.
    pub reason: String,
    /// The rule that ignores it; none if it is only not staged.
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
            path: PathOut::new(&file.path),
            reason: text::missing_reason(&file.reason),
            rule,
        }
    }
}

/// A file that nobody seems to have written, left out of the clone.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct LeftOutOut {
    /// The file.
    #[serde(flatten)]
    pub path: PathOut,
    /// `generated`, `installed`, `local` or `unknown`.
    pub origin: &'static str,
    /// `same`, `other` (it came back with other contents), `not-made` (the command works without
    /// it), `missed` (it fails without this one and the others that are), or `unknown` (it fails
    /// with it, too).
    pub outcome: &'static str,
}

impl From<&(LeftOut, Outcome)> for LeftOutOut {
    fn from((file, outcome): &(LeftOut, Outcome)) -> Self {
        Self {
            path: PathOut::new(&file.path),
            origin: file.origin.word(),
            outcome: match outcome {
                Outcome::Same => "same",
                Outcome::Other => "other",
                Outcome::NotMade => "not-made",
                Outcome::Missed => "missed",
                Outcome::Unknown => "unknown",
            },
        }
    }
}

/// A command that ran, or a watch.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct RunOut {
    /// Its exit code; none if it was killed, and of a watch.
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
    /// New, and ignored, by rule.
    pub ignored: Vec<RuledOut>,
    /// New, and not ignored.
    pub unruled: Vec<NewOut>,
    /// Tracked files that it changed.
    pub changed: Vec<PathOut>,
    /// Files that nothing ignores and git doesn't track: there before, and changed.
    pub rewritten: Vec<PathOut>,
    /// What came and went meanwhile, and nothing would have ignored.
    pub passing: Vec<PathOut>,
    /// The rules for what earlier runs of the same command left behind, and this one did not.
    pub not_again: Vec<String>,
}

/// What one rule ignores of what is new.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct RuledOut {
    /// The rule's file.
    pub source: String,
    /// And line, from 1.
    pub line: u32,
    /// The rule, in its list.
    pub rule: String,
    /// Number of files and their bytes.
    #[serde(flatten)]
    pub stats: FileStats,
}

/// Something new that no rule ignores.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct NewOut {
    /// A file; a folder, with a slash at its end, if it is new as a whole or holds several files of
    /// one kind.
    #[serde(flatten)]
    pub path: PathOut,
    /// Number of files and their bytes.
    #[serde(flatten)]
    pub stats: FileStats,
    /// The narrowest rule that ignores it.
    pub rule: String,
    /// What speaks for the rule: `proposed`, or against it: it is `needed` in every clone, it looks
    /// like `work`, it came with work in the first run (`with-work`), somebody may have
    /// made it `by-hand` while it was watched, some runs of the command leave it behind and others
    /// do not (`not-every-time`).
    #[serde(rename = "standing")]
    pub status: &'static str,
    /// The template that has the rule, if one does.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub template: Option<String>,
    /// When it was first written, in seconds from the start, where that was seen.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub first: Option<f64>,
    /// When the last one was written.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub last: Option<f64>,
    /// The programs that had it open to write, where the system tells.
    pub by: Vec<String>,
    /// The programs that wrote something just then, where none was seen to have it open.
    pub beside: Vec<String>,
    /// How many runs of the command left it behind, this one counted.
    pub runs: u32,
    /// Number of runs that were looked at.
    pub of_runs: u32,
}

impl From<&Learned> for NewOut {
    fn from(new: &Learned) -> Self {
        let seen = new.seen.as_ref();
        let (by, beside) = seen.map_or((Vec::new(), Vec::new()), |seen| {
            let names = |names: &BTreeSet<String>| names.iter().cloned().collect::<Vec<_>>();
            if seen.by.is_empty() {
                (Vec::new(), names(&seen.beside))
            } else {
                (names(&seen.by), Vec::new())
            }
        });
        Self {
            path: PathOut::new(&new.path),
            stats: new.stats,
            rule: new.rule.to_string(),
            status: match new.status {
                LearnedStatus::Proposed => "proposed",
                LearnedStatus::Needed => "needed",
                LearnedStatus::Work => "work",
                LearnedStatus::WithWork => "with-work",
                LearnedStatus::ByHand => "by-hand",
                LearnedStatus::NotEveryTime => "not-every-time",
            },
            template: new.template.clone(),
            first: seen.map(|seen| seen.first.as_secs_f64()),
            last: seen.map(|seen| seen.last.as_secs_f64()),
            by,
            beside,
            runs: new.runs,
            of_runs: new.of_runs,
        }
    }
}

impl From<&RunDifference> for DifferenceOut {
    fn from(difference: &RunDifference) -> Self {
        let ruled = difference.ignored.iter().map(|(ruling, stats)| RuledOut {
            source: ruling.source().shown.to_string(),
            line: ruling.rule().line,
            rule: ruling.rule().text.to_string(),
            stats: *stats,
        });
        let paths = |paths: &[RepoPathBuf]| {
            let paths = paths.iter();
            paths.map(|path| PathOut::new(path.as_bstr())).collect()
        };
        Self {
            ignored: ruled.collect(),
            unruled: difference.unruled.iter().map(NewOut::from).collect(),
            changed: paths(&difference.changed),
            rewritten: paths(&difference.rewritten),
            passing: paths(&difference.passing),
            not_again: difference
                .not_again
                .iter()
                .map(ToString::to_string)
                .collect(),
        }
    }
}
