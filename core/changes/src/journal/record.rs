//! What is written down of a change, and how it is known to be this person's.

use super::change::{Area, Digest, ModeChange};
use bstr::{BString, ByteSlice};
use redshank_git::{Entry as IndexEntry, Flag};
use serde::{Deserialize, Serialize};

/// One change of one command, as `record.json` in its folder of the journal.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Record {
    pub(super) schema: Schema,
    /// The command that made it.
    pub(super) command: String,
    /// When, in seconds since 1970.
    pub(super) time: u64,
    /// How far it got.
    pub(super) state: RecordState,
    /// The files that it wrote.
    pub(super) files: Vec<FileRecord>,
    /// The files and folders that it moved out of the way, relative to the top; a folder ends in a
    /// slash. The nth one went beside the record, as `moved-N`.
    pub(super) moved: Vec<BString>,
    /// The files whose permissions it changed.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(super) modes: Vec<ModeChange>,
    /// What it did to the index.
    pub(super) index: Option<IndexRecord>,
}

impl Record {
    /// The paths that it touches, on disk or in the index.
    pub(super) fn paths(&self) -> impl Iterator<Item = BString> {
        let entries = self.index.iter().flat_map(|index| &index.entries);
        let names = entries
            .filter_map(|entry| entry.info.split_once_str("\t").map(|(_, path)| path.into()));
        self.files
            .iter()
            .map(|file| file.path.clone())
            .chain(names)
            .chain(self.moved.iter().cloned())
            .chain(self.modes.iter().map(|mode| mode.path.clone()))
    }
}

#[derive(Debug, Serialize, Deserialize, PartialEq, Eq)]
pub(super) enum Schema {
    #[serde(rename = "redshank.journal/2")]
    Two,
}

#[derive(Debug, Clone, Copy, Serialize, Deserialize, PartialEq, Eq)]
#[serde(rename_all = "lowercase")]
pub(super) enum RecordState {
    /// The way back is safe; the changes are being made.
    Begun,
    /// All changes are made.
    Done,
    /// All changes are undone.
    Undone,
}

/// A file that was written. The nth one as it was is beside the record, as `file-N`, if there was
/// one.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct FileRecord {
    /// Where its path starts.
    pub(super) area: Area,
    /// Relative to the area.
    pub(super) path: BString,
    pub(super) before: Digest,
    /// What it was to hold.
    pub(super) after: Digest,
    /// Which file it was: its disk, and its number there. What is kept of it is a second name of
    /// it, where the disk has such; who had it open may have written into it since.
    pub(super) original: Option<(u64, u64)>,
    /// What it was to hold waited beside it, for the journal is on another disk.
    pub(super) beside: bool,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct IndexRecord {
    /// Hash of the index file as it was; it is beside the record, as `index`.
    pub(super) before: String,
    /// Hash of the one that took its worktree, which is beside the record until then, as
    /// `index-new`.
    pub(super) written: String,
    /// The entries that were taken out.
    pub(super) entries: Vec<EntryRecord>,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct EntryRecord {
    /// As git reads it back in.
    info: BString,
    /// What git has recorded of it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    flags: Vec<FlagWord>,
}

#[derive(Debug, Clone, Copy, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
enum FlagWord {
    SkipWorktree,
    AssumeUnchanged,
    IntentToAdd,
}

impl From<&IndexEntry> for EntryRecord {
    fn from(entry: &IndexEntry) -> Self {
        Self {
            info: entry.info.clone(),
            flags: entry
                .flags
                .iter()
                .map(|flag| match flag {
                    Flag::SkipWorktree => FlagWord::SkipWorktree,
                    Flag::AssumeUnchanged => FlagWord::AssumeUnchanged,
                    Flag::IntentToAdd => FlagWord::IntentToAdd,
                })
                .collect(),
        }
    }
}

impl From<&EntryRecord> for IndexEntry {
    fn from(entry: &EntryRecord) -> Self {
        Self {
            info: entry.info.clone(),
            flags: entry
                .flags
                .iter()
                .map(|word| match word {
                    FlagWord::SkipWorktree => Flag::SkipWorktree,
                    FlagWord::AssumeUnchanged => Flag::AssumeUnchanged,
                    FlagWord::IntentToAdd => Flag::IntentToAdd,
                })
                .collect(),
        }
    }
}
