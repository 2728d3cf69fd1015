//! The files that a plan writes, from what they hold now.

use crate::Result;
use crate::journal::FileChange;
use bstr::{BStr, BString, ByteSlice};
use redshank_rules::Rule;
use redshank_rules::ignore_file::{NewRule, Section, TIDY, add_section};
use redshank_rules::{Chain, GrowingList, RuleList, Source, folder_of_ignore_file};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_worktree::{Overlay, Snapshot};
use std::collections::{BTreeMap, HashMap, HashSet};
use std::sync::Arc;

/// The label of the lines that come first.
const GENERAL: &str = "line endings";

pub(super) struct FileEdits<'a> {
    snapshot: &'a Snapshot,
    files: BTreeMap<RepoPathBuf, FileEdit>,
    /// The rules of ignore files with corrected lines, by folder, without what is added.
    corrected: HashMap<RepoPathBuf, Arc<RuleList>>,
    /// The rules that are added, by folder.
    growing: HashMap<RepoPathBuf, GrowingList>,
}

#[derive(Default)]
struct FileEdit {
    /// What the file holds now; nothing if it isn't there.
    before: Option<Vec<u8>>,
    /// What a new file starts with.
    start: Vec<u8>,
    /// Lines that are to read otherwise, by their number from 1.
    corrected: BTreeMap<u32, BString>,
    /// Lines to put before all others, which may say otherwise.
    first: Vec<NewRule>,
    rules: Vec<NewRule>,
    added: HashSet<BString>,
    is_new: bool,
}

impl FileEdit {
    /// What it is to hold without the lines to add.
    fn with_corrected(&self) -> Vec<u8> {
        let before = self.before.as_deref().unwrap_or(&self.start);
        let mut text = before.to_vec();
        if !self.corrected.is_empty() {
            let lines = (1..).zip(before.lines_with_terminator());
            let corrected = lines.map(|(number, line)| match self.corrected.get(&number) {
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
            text = corrected.collect::<Vec<_>>().concat();
        }
        text
    }

    fn after(&self) -> Vec<u8> {
        let mut text = self.with_corrected();
        if !self.first.is_empty() {
            let mut first = Vec::new();
            add_section(
                &mut first,
                &Section::new(GENERAL.to_owned(), self.first.clone()),
            );
            if !text.is_empty() {
                first.push(b'\n');
            }
            text = [first, text].concat();
        }
        if !self.rules.is_empty() {
            let section = Section::new(TIDY.to_owned(), self.rules.clone());
            add_section(&mut text, &section);
        }
        text
    }

    fn is_changed(&self) -> bool {
        self.is_new
            || !self.corrected.is_empty()
            || !self.first.is_empty()
            || !self.rules.is_empty()
    }
}

impl<'a> FileEdits<'a> {
    pub(super) fn new(snapshot: &'a Snapshot) -> Self {
        Self {
            snapshot,
            files: BTreeMap::new(),
            corrected: HashMap::new(),
            growing: HashMap::new(),
        }
    }

    /// The file as it is, read when it is first asked for.
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

    /// Adds a line to a file, unless this plan has added it already. Returns whether it did.
    pub(super) fn add(&mut self, path: &RepoPath, rule: NewRule) -> Result<bool> {
        let (pattern, case) = (rule.pattern.clone(), self.snapshot.case());
        let file = self.file(path)?;
        let is_new = file.added.insert(pattern.clone());
        if !is_new {
            return Ok(false);
        }
        file.rules.push(rule);
        if let Some(folder) = folder_of_ignore_file(path) {
            let growing = self.growing.entry(folder.to_owned());
            let growing = growing
                .or_insert_with(|| GrowingList::new(Source::of_folder(folder.to_owned()), case));
            growing.extend([Rule::parse(&pattern, 0, case)]);
        }
        Ok(true)
    }

    /// Puts a line before all others of a file of attributes, unless this plan has done so already.
    /// Returns whether it did.
    pub(super) fn put_first(&mut self, path: &RepoPath, rule: NewRule) -> Result<bool> {
        let file = self.file(path)?;
        let is_new = file.added.insert(rule.pattern.clone());
        if is_new {
            file.first.push(rule);
        }
        Ok(is_new)
    }

    /// The rules that everyone has in a folder, with the ones to be added.
    pub(super) fn rules_at(&self, folder: &RepoPath) -> Result<Chain> {
        let mut chain = Chain::new([]);
        let below = folder.parts().filter(|part| !part.is_top());
        for part in std::iter::once(RepoPath::top()).chain(below) {
            let own = match self.corrected.get(part) {
                Some(corrected) => Some(Arc::clone(corrected)),
                None => self.snapshot.own_rules(part)?,
            };
            let more = self
                .growing
                .get(part)
                .into_iter()
                .flat_map(GrowingList::lists);
            chain = own.into_iter().chain(more).fold(chain, Chain::with);
        }
        Ok(chain)
    }

    /// Whether a line is in a file already.
    pub(super) fn has_line(&mut self, path: &RepoPath, line: &BStr) -> Result<bool> {
        let held = self.file(path)?.before.as_deref().unwrap_or_default();
        Ok(held.lines().any(|known| known.trim() == line.as_bytes()))
    }

    /// Writes a line again; its end stays.
    pub(super) fn fix(&mut self, path: &RepoPath, line: u32, with: BString) -> Result<()> {
        let file = self.file(path)?;
        file.corrected.insert(line, with);
        if let Some(folder) = folder_of_ignore_file(path) {
            let (source, text) = (Source::of_folder(folder.to_owned()), file.with_corrected());
            let rules = RuleList::parse(source, &text, self.snapshot.case());
            self.corrected.insert(folder.to_owned(), Arc::new(rules));
        }
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
                FileChange::new(path.clone().into(), file.before.clone(), file.after())
            })
            .collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::journal::Content;

    fn rule(pattern: &str) -> NewRule {
        NewRule {
            pattern: pattern.into(),
            reason: "a recording".to_owned(),
            remake: None,
        }
    }

    #[test]
    fn a_corrected_line_keeps_its_end_and_its_neighbours() {
        let mut edit = FileEdit {
            before: Some(b"/a/\r\n/b\r\nlast".to_vec()),
            ..FileEdit::default()
        };
        edit.corrected.insert(2, "/b/\n!/b/c".into());
        edit.corrected.insert(3, "/last/".into());
        assert_eq!(edit.after().as_bstr(), "/a/\r\n/b/\r\n!/b/c\r\n/last/");
    }

    #[test]
    fn a_rule_is_added_once_below_what_stands() {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join(".gitignore"), "*.log\n").unwrap();
        let snapshot = Snapshot::open(folder.path()).unwrap();
        let mut edits = FileEdits::new(&snapshot);
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
