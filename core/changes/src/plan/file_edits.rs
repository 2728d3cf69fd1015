//! The files that a plan writes, from what they hold now.

use crate::Result;
use crate::journal::{Area, Content, FileChange, Mode};
use bstr::{BStr, BString, ByteSlice};
use redshank_worktree::ignore_file::{NewRule, Section, with_section};
use redshank_worktree::rules::folder_of_ignore_file;
use redshank_worktree::{Overlay, RepoPath, RepoPathBuf, Snapshot};
use std::collections::BTreeMap;

pub(super) struct FileEdits<'a> {
    snapshot: &'a Snapshot,
    files: BTreeMap<RepoPathBuf, FileEdit>,
}

#[derive(Default)]
struct FileEdit {
    /// What the file holds now; nothing if it isn't there.
    before: Option<Vec<u8>>,
    /// What a new file starts with.
    start: Vec<u8>,
    /// Lines that are to read otherwise, by their number from 1.
    mended: BTreeMap<u32, BString>,
    /// Lines to add.
    rules: Vec<NewRule>,
    is_new: bool,
}

impl FileEdit {
    fn after(&self) -> Vec<u8> {
        let before = self.before.as_deref().unwrap_or(&self.start);
        let mut text = before.to_vec();
        if !self.mended.is_empty() {
            let lines = (1..).zip(before.lines_with_terminator());
            let mended = lines.map(|(number, line)| match self.mended.get(&number) {
                Some(with) => {
                    let end = &line[line.trim_end_with(|c| c == '\n' || c == '\r').len()..];
                    [
                        with.replace("\n", if end.is_empty() { b"\n" } else { end })
                            .as_slice(),
                        end,
                    ]
                    .concat()
                }
                None => line.to_vec(),
            });
            text = mended.collect::<Vec<_>>().concat();
        }
        if !self.rules.is_empty() {
            text = with_section(
                &text,
                &Section::new("tidy".to_owned(), self.rules.clone()),
                None,
            );
        }
        text
    }

    fn is_changed(&self) -> bool {
        self.is_new || !self.mended.is_empty() || !self.rules.is_empty()
    }
}

impl<'a> FileEdits<'a> {
    pub(super) fn of(snapshot: &'a Snapshot) -> Self {
        Self {
            snapshot,
            files: BTreeMap::new(),
        }
    }

    /// The file as it stands, read when it is first asked for.
    fn file(&mut self, path: &RepoPath) -> Result<&mut FileEdit> {
        if !self.files.contains_key(path) {
            let before = match folder_of_ignore_file(path) {
                Some(folder) => {
                    let file = self.snapshot.ignore_file(folder)?;
                    file.map(|file| file.contents.clone())
                }
                None => self.snapshot.read_if_there(path)?,
            };
            self.files.insert(
                path.to_owned(),
                FileEdit {
                    before,
                    ..FileEdit::default()
                },
            );
        }
        Ok(self.files.entry(path.to_owned()).or_default())
    }

    /// Adds a line to a file, unless this plan has added it already. Gives whether it did.
    pub(super) fn add(&mut self, path: &RepoPath, rule: NewRule) -> Result<bool> {
        let file = self.file(path)?;
        let is_new = !file.rules.iter().any(|known| known.pattern == rule.pattern);
        if is_new {
            file.rules.push(rule);
        }
        Ok(is_new)
    }

    /// Whether a line stands in a file already.
    pub(super) fn has_line(&mut self, path: &RepoPath, line: &BStr) -> Result<bool> {
        let held = self.file(path)?.before.as_deref().unwrap_or_default();
        Ok(held.lines().any(|known| known.trim() == line.as_bytes()))
    }

    /// Writes a line anew; its end stays.
    pub(super) fn mend(&mut self, path: &RepoPath, line: u32, with: BString) -> Result<()> {
        self.file(path)?.mended.insert(line, with);
        Ok(())
    }

    /// Writes a new file.
    pub(super) fn put(&mut self, path: RepoPathBuf, start: Vec<u8>) {
        self.files.insert(
            path,
            FileEdit {
                start,
                is_new: true,
                ..FileEdit::default()
            },
        );
    }

    pub(super) fn writes_anew(&self, path: &RepoPath) -> bool {
        self.files.get(path).is_some_and(|file| file.is_new)
    }

    /// The ignore files among them, as they are to be.
    pub(super) fn overlay(&self) -> Overlay {
        let rules = self
            .files
            .iter()
            .filter(|(path, file)| file.is_changed() && folder_of_ignore_file(path).is_some());
        rules
            .map(|(path, file)| (path.clone().into(), file.after()))
            .collect()
    }

    /// All of them that change: from what they held when they were read to what they are to be.
    pub(super) fn changes(&self) -> Vec<FileChange> {
        let changed = self.files.iter().filter(|(_, file)| file.is_changed());
        changed
            .map(|(path, file)| {
                FileChange::of(path.clone().into(), file.before.clone(), file.after())
            })
            .collect()
    }
}

/// A file of the working tree that is to go.
pub(super) fn taken_away(path: RepoPathBuf, before: Vec<u8>) -> FileChange {
    let (before, after) = (Content::File(before), Content::Nothing);
    FileChange {
        area: Area::Worktree,
        path: path.into(),
        before,
        after,
        mode: Mode::AsItWas,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn rule(pattern: &str) -> NewRule {
        NewRule {
            pattern: pattern.into(),
            reason: "a recording".to_owned(),
            remake: None,
        }
    }

    #[test]
    fn a_mended_line_keeps_its_end_and_its_neighbours() {
        let mut edit = FileEdit {
            before: Some(b"/a/\r\n/b\r\nlast".to_vec()),
            ..FileEdit::default()
        };
        edit.mended.insert(2, "/b/\n!/b/c".into());
        edit.mended.insert(3, "/last/".into());
        assert_eq!(edit.after().as_bstr(), "/a/\r\n/b/\r\n!/b/c\r\n/last/");
    }

    #[test]
    fn a_rule_is_added_once_below_what_stands() {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join(".gitignore"), "*.log\n").unwrap();
        let snapshot = Snapshot::of(folder.path()).unwrap();
        let mut edits = FileEdits::of(&snapshot);
        assert!(edits.changes().is_empty());
        assert!(edits.add(".gitignore".into(), rule("*.raw")).unwrap());
        assert!(!edits.add(".gitignore".into(), rule("*.raw")).unwrap());
        edits.put("keys.env.example".into(), b"KEY=\n".to_vec());
        assert!(edits.has_line(".gitignore".into(), "*.log".into()).unwrap());
        let overlay = edits.overlay();
        assert_eq!(overlay.len(), 1, "what holds no rules is no part of it");
        let text = overlay[".gitignore".as_bytes().as_bstr()].as_bstr();
        assert!(
            text.starts_with(b"*.log\n") && text.find_iter("*.raw\n").count() == 1,
            "{text}"
        );
        let changes = edits.changes();
        let nothing = changes
            .iter()
            .filter(|change| change.before == Content::Nothing);
        assert_eq!((changes.len(), nothing.count()), (2, 1));
    }
}
