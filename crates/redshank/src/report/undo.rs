//! The journal.

use super::PathOut;
use bstr::ByteSlice;
use redshank_core::journal::Done;
use schemars::JsonSchema;
use serde::Serialize;

/// The changes that can be taken back, or were.
#[derive(Serialize, JsonSchema)]
pub struct JournalOut {
    /// `redshank.undo/1`.
    pub schema: &'static str,
    /// The top folder.
    pub root: String,
    /// Each, the oldest first.
    pub changes: Vec<ChangeOut>,
}

/// One of them.
#[derive(Serialize, JsonSchema)]
pub struct ChangeOut {
    /// Its number.
    pub number: u32,
    /// When, in seconds since 1970.
    pub time: u64,
    /// The command that made it.
    pub command: String,
    /// It was taken back.
    pub undone: bool,
    /// It was cut short.
    pub cut_short: bool,
    /// The files that it wrote.
    pub files: Vec<PathOut>,
    /// The files and folders that it moved out of the way.
    pub moved: Vec<PathOut>,
    /// How many paths it took out of the index.
    pub untracked: usize,
}

impl From<&Done> for ChangeOut {
    fn from(done: &Done) -> Self {
        Self {
            number: done.number,
            time: done.time,
            command: done.command.clone(),
            undone: done.undone,
            cut_short: done.cut_short,
            files: done.files.iter().map(|file| PathOut::of(file.as_bstr())).collect(),
            moved: done.moved.iter().map(|path| PathOut::of(path.as_bstr())).collect(),
            untracked: done.untracked,
        }
    }
}
