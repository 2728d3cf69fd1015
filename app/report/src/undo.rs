//! The journal.

use super::PathOut;
use bstr::ByteSlice;
use redshank_changes::journal::Entry;
use serde::Serialize;

/// The changes that can be undone, or were.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct JournalOut {
    /// `redshank.undo/1`.
    pub schema: &'static str,
    /// The repository's top folder, an absolute path.
    pub root: String,
    /// Each, the oldest first.
    pub changes: Vec<ChangeOut>,
}

/// One entry of the list.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ChangeOut {
    /// Line number, from 1.
    pub number: u32,
    /// When, in seconds since 1970.
    pub time: u64,
    /// The command that made it.
    pub command: String,
    /// Whether the change has been undone.
    pub undone: bool,
    /// It was cut short.
    pub cut_short: bool,
    /// Its record is sealed with this person's key; another one is undone only by its number.
    pub own: bool,
    /// The files that it wrote.
    pub files: Vec<PathOut>,
    /// The files and folders that it moved out of the way.
    pub moved: Vec<PathOut>,
    /// The files whose permissions it changed.
    pub modes: Vec<PathOut>,
    /// How many paths it took out of the index.
    pub untracked: usize,
}

impl From<&Entry> for ChangeOut {
    fn from(entry: &Entry) -> Self {
        Self {
            number: entry.number,
            time: entry.time,
            command: entry.command.clone(),
            undone: entry.undone,
            cut_short: entry.cut_short,
            own: entry.own,
            files: entry
                .files
                .iter()
                .map(|file| PathOut::new(file.as_bstr()))
                .collect(),
            moved: entry
                .moved
                .iter()
                .map(|path| PathOut::new(path.as_bstr()))
                .collect(),
            modes: entry
                .modes
                .iter()
                .map(|path| PathOut::new(path.as_bstr()))
                .collect(),
            untracked: entry.untracked,
        }
    }
}
