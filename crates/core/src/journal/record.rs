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
    /// The files and folders that it moved out of the way.
    #[serde(default)]
    pub(super) moved: Vec<MoveRecord>,
    /// What it did to the index.
    pub(super) index: Option<IndexRecord>,
}

impl Record {
    /// The paths that it touches, on disk or in the index.
    pub(super) fn paths(&self) -> impl Iterator<Item = BString> {
        let entries = self.index.iter().flat_map(|index| &index.entries);
        // An entry is what git reads back in: mode, object, stage, a tab, the path.
        let names = entries.filter_map(|entry| entry.split_once_str("\t").map(|(_, path)| path.into()));
        let moved = self.moved.iter().map(|moved| moved.path.clone());
        self.files.iter().map(|file| file.path.clone()).chain(names).chain(moved)
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
    /// The file itself as it was, beside the record; none if there was none.
    pub(super) saved: Option<String>,
    /// Hash of what was written.
    pub(super) written: String,
}

#[derive(Debug, Serialize, Deserialize)]
pub(super) struct MoveRecord {
    /// Relative to the top; a folder ends in a slash.
    pub(super) path: BString,
    /// Where it went, beside the record.
    pub(super) saved: String,
}

#[derive(Debug, Serialize, Deserialize)]
pub(super) struct IndexRecord {
    /// The index file as it was, beside the record.
    pub(super) saved: String,
    /// The index file that takes its place, beside the record until it has.
    pub(super) new: String,
    /// Hash of the new one.
    pub(super) written: String,
    /// The entries that were taken out, as git reads them back in.
    pub(super) entries: Vec<BString>,
}
