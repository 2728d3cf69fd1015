//! What is written down of a change.

use bstr::{BString, ByteSlice};
use serde::{Deserialize, Serialize};

/// One change of one command, as `record.json` in its folder of the journal.
#[derive(Debug, Serialize, Deserialize)]
pub(super) struct Record {
    /// The format.
    pub(super) schema: Schema,
    /// The command that made it.
    pub(super) command: String,
    /// When, in seconds since 1970.
    pub(super) time: u64,
    /// How far it got.
    pub(super) state: Stage,
    /// The files that it wrote.
    pub(super) files: Vec<FileRecord>,
    /// What it did to the index.
    pub(super) index: Option<IndexRecord>,
}

impl Record {
    /// The paths that it touches, on disk or in the index.
    pub(super) fn paths(&self) -> impl Iterator<Item = BString> {
        let entries = self.index.iter().flat_map(|index| &index.entries);
        // An entry is what git reads back in: mode, object, stage, a tab, the path.
        let names = entries.filter_map(|entry| entry.split_once_str("\t").map(|(_, path)| path.into()));
        self.files.iter().map(|file| file.path.clone()).chain(names)
    }
}

#[derive(Debug, Serialize, Deserialize, PartialEq, Eq)]
pub(super) enum Schema {
    #[serde(rename = "redshank.journal/1")]
    One,
}

#[derive(Debug, Clone, Copy, Serialize, Deserialize, PartialEq, Eq)]
#[serde(rename_all = "lowercase")]
pub(super) enum Stage {
    /// The way back is safe; the changes are being made.
    Begun,
    /// All changes are made.
    Done,
    /// All changes are taken back.
    Undone,
}

#[derive(Debug, Serialize, Deserialize)]
pub(super) struct FileRecord {
    /// Relative to the top.
    pub(super) path: BString,
    /// The copy of what it held, beside the record; none if there was no file.
    pub(super) saved: Option<String>,
    /// Hash of what was written.
    pub(super) written: String,
    /// When it had been changed last, in nanoseconds since 1970.
    pub(super) modified: Option<u64>,
}

#[derive(Debug, Serialize, Deserialize)]
pub(super) struct IndexRecord {
    /// The copy of the index file, beside the record; none if there was no index.
    pub(super) saved: Option<String>,
    /// Hash of the index file after the change; none while it is being made.
    pub(super) written: Option<String>,
    /// The entries that were taken out, as git reads them back in.
    pub(super) entries: Vec<BString>,
}
