//! The file of rules that fits whom a rule is for.

use crate::journal::Area;
use crate::{Error, Result};
use bstr::{BStr, BString, ByteSlice, ByteVec};
use redshank_rules::RepoPath;
use redshank_rules::ignore_file::{is_utf16, line_end, lines_of};
use redshank_rules::{ATTRIBUTE_FILE, RuleScope, Source};
use redshank_worktree::{Purpose, Snapshot};

/// A file that rules are to be written to or taken from.
#[derive(Debug, Clone)]
pub struct RuleTarget {
    /// As git prints it; also what an overlay knows it by.
    pub source: Source,
    /// Where its path starts.
    pub area: Area,
    /// Its path, from there.
    pub path: BString,
    /// What it holds; `None` if it isn't there yet.
    pub contents: Option<Vec<u8>>,
}

impl RuleTarget {
    /// The file for that scope. `folder` counts for [`RuleScope::Folder`].
    ///
    /// # Errors
    /// If there is no such file, it can't be read, or git would not read it.
    pub fn find(snapshot: &Snapshot, scope: RuleScope, folder: &RepoPath) -> Result<Self> {
        let target = match scope {
            RuleScope::Team => Self::in_tree(snapshot, RepoPath::top())?,
            RuleScope::Folder => Self::in_tree(snapshot, folder)?,
            RuleScope::Clone => Self::of_clone(snapshot)?,
            RuleScope::Personal => Self::of_person(snapshot)?,
        };
        if target.contents.as_deref().is_some_and(is_utf16) {
            let path = snapshot.path(target.path.as_bstr());
            return Err(redshank_worktree::Error::Utf16(path).into());
        }
        Ok(target)
    }

    /// The file of attributes for that scope; a person's own isn't written.
    ///
    /// # Errors
    /// If there is no such file, it can't be read, or git would not read it.
    pub fn find_attributes(
        snapshot: &Snapshot,
        scope: RuleScope,
        folder: &RepoPath,
    ) -> Result<Self> {
        let (area, path, base) = match scope {
            RuleScope::Team => (Area::Worktree, ATTRIBUTE_FILE.into(), RepoPath::top()),
            RuleScope::Folder => (
                Area::Worktree,
                BString::from(folder.join(ATTRIBUTE_FILE)),
                folder,
            ),
            RuleScope::Clone => (Area::Git, "info/attributes".into(), RepoPath::top()),
            RuleScope::Personal => return Err(Error::PersonalAttributes),
        };
        let contents = area.read(snapshot, path.as_bstr())?;
        let shown = match area {
            Area::Git => {
                let repository = snapshot.needs_repository(Purpose::CloneRules)?;
                let file = repository.common_folder.join("info/attributes");
                let file = file.strip_prefix(&snapshot.top).unwrap_or(&file);
                redshank_files::path_bytes(file).into_owned().into()
            }
            _ => path.clone(),
        };
        Ok(Self {
            source: Source {
                shown,
                base: base.to_owned(),
                scope,
            },
            area,
            path,
            contents,
        })
    }

    fn in_tree(snapshot: &Snapshot, folder: &RepoPath) -> Result<Self> {
        let source = Source::of_folder(folder.to_owned());
        let file = snapshot.ignore_file(folder)?;
        Ok(Self {
            path: source.shown.clone(),
            source,
            area: Area::Worktree,
            contents: file.map(|file| file.contents.clone()),
        })
    }

    fn of_clone(snapshot: &Snapshot) -> Result<Self> {
        let repository = snapshot.needs_repository(Purpose::CloneRules)?;
        let (area, path) = (Area::Git, BString::from("info/exclude"));
        Ok(Self {
            source: Source::everywhere(repository.clone_file().1, RuleScope::Clone),
            area,
            contents: area.read(snapshot, path.as_bstr())?,
            path,
        })
    }

    fn of_person(snapshot: &Snapshot) -> Result<Self> {
        let personal = snapshot.personal().ok_or(Error::NoPersonalFile)?;
        if personal.by_repository {
            return Err(Error::NotYourFile(personal.path.clone()));
        }
        let area = Area::Personal;
        let path = BString::from(redshank_files::path_bytes(&personal.path).into_owned());
        Ok(Self {
            source: Source::everywhere(personal.shown.clone(), RuleScope::Personal),
            area,
            contents: area.read(snapshot, path.as_bstr())?,
            path,
        })
    }

    fn held(&self) -> &[u8] {
        self.contents.as_deref().unwrap_or_default()
    }

    /// What the file would hold with these lines at its end, with line endings as it has them.
    pub fn with(&self, patterns: &[BString]) -> Vec<u8> {
        let mut text = self.held().to_vec();
        let end = line_end(&text);
        if !text.is_empty() && !text.ends_with(b"\n") {
            text.push_str(end);
        }
        for pattern in patterns {
            text.push_str(pattern);
            text.push_str(end);
        }
        text
    }

    /// Whether the pattern is in the file already.
    pub fn holds(&self, pattern: &BStr) -> bool {
        lines_of(self.held()).any(|line| line.text == pattern)
    }

    /// What the file would hold without the lines that hold this pattern; `None` if there is none.
    pub fn without(&self, pattern: &BStr) -> Option<Vec<u8>> {
        let kept = lines_of(self.held()).filter(|line| line.text != pattern);
        let kept: Vec<&[u8]> = kept.map(|line| line.whole).collect();
        let kept = kept.concat();
        (kept.len() < self.held().len()).then_some(kept)
    }
}
