//! Edits of files of rules and of the settings: what each would hold, what that does to rules, and
//! the one way to write them.

use crate::journal::{Area, Changes, Content, FileChange, Journal, write_without_journal};
use crate::{Error, Result, RuleTarget};
use bstr::BString;
use redshank_rules::RepoPath;
use redshank_worktree::effect::Effect;
use redshank_worktree::settings::{self, SettingsFile};
use redshank_worktree::size::Bytes;
use redshank_worktree::{Overlay, Snapshot, Worktree};

/// A file as it is and as it would be.
#[derive(Debug, Clone)]
pub struct Edit {
    /// As git prints it.
    pub shown: BString,
    /// What it holds; `None` if it isn't there yet.
    pub before: Option<Vec<u8>>,
    /// What it would hold.
    pub after: Vec<u8>,
    /// Whether people are shown what changes in it.
    pub is_for_people: bool,
    kind: EditKind,
    area: Area,
    path: BString,
    is_removal: bool,
}

/// What an edited file says something about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum EditKind {
    /// What is ignored.
    Rules,
    /// Attributes of files.
    Attributes,
    /// Neither.
    Other,
}

impl Edit {
    /// An edit of a file of rules.
    pub fn of_rules(target: RuleTarget, after: Vec<u8>) -> Self {
        Self {
            shown: target.source.shown,
            before: target.contents,
            after,
            kind: EditKind::Rules,
            is_for_people: true,
            area: target.area,
            path: target.path,
            is_removal: false,
        }
    }

    /// An edit of a file of attributes.
    pub fn of_attributes(target: RuleTarget, after: Vec<u8>) -> Self {
        Self {
            kind: EditKind::Attributes,
            ..Self::of_rules(target, after)
        }
    }

    /// An edit of what the program keeps for itself in the repository; nobody has to look at it.
    pub fn of_memory(path: &str, before: Option<Vec<u8>>, after: Vec<u8>) -> Self {
        Self {
            shown: path.into(),
            before,
            after,
            kind: EditKind::Other,
            is_for_people: false,
            area: Area::Worktree,
            path: path.into(),
            is_removal: false,
        }
    }

    /// An edit of the settings.
    pub fn of_settings(settings: &SettingsFile, after: String) -> Self {
        Self {
            shown: settings::FILE.into(),
            before: settings.text().map(|text| text.as_bytes().to_vec()),
            after: after.into_bytes(),
            kind: EditKind::Other,
            is_for_people: true,
            area: Area::Worktree,
            path: settings::FILE.into(),
            is_removal: false,
        }
    }

    /// An edit of a file of the repository's copy of a policy; without `after`, the file goes.
    pub fn of_policy(path: BString, before: Option<Vec<u8>>, after: Option<Vec<u8>>) -> Self {
        Self {
            shown: path.clone(),
            before,
            kind: EditKind::Other,
            is_for_people: true,
            area: Area::Worktree,
            path,
            is_removal: after.is_none(),
            after: after.unwrap_or_default(),
        }
    }

    fn held(&self) -> &[u8] {
        self.before.as_deref().unwrap_or_default()
    }

    /// Whether it changes anything.
    pub fn is_change(&self) -> bool {
        self.held() != self.after || self.is_removal && self.before.is_some()
    }

    fn change(&self) -> FileChange {
        let (path, after) = (self.path.clone(), self.after.clone());
        let change = FileChange::new(path, self.before.clone(), after);
        FileChange {
            area: self.area,
            after: if self.is_removal {
                Content::Nothing
            } else {
                change.after.clone()
            },
            ..change
        }
    }
}

/// The files of rules among edits, as they would be.
pub fn overlay_of(edits: &[Edit]) -> Overlay {
    changed(edits, EditKind::Rules)
}

/// The files of attributes among edits, as they would be.
pub fn attributes_overlay_of(edits: &[Edit]) -> Overlay {
    changed(edits, EditKind::Attributes)
}

fn changed(edits: &[Edit], kind: EditKind) -> Overlay {
    let edits = edits.iter();
    let edits = edits.filter(|edit| edit.kind == kind && edit.is_change());
    edits
        .map(|edit| (edit.shown.clone(), edit.after.clone()))
        .collect()
}

/// What edits do to the next commit, the files that they make among it.
///
/// # Errors
/// If the tree can't be walked.
pub fn effect_of(snapshot: &Snapshot, edits: &[Edit]) -> Result<Effect> {
    let (tree, overlay) = (snapshot.tree()?, overlay_of(edits));
    let mut effect = Effect::compute(snapshot, tree, overlay.clone(), &[])?;
    let written = edits
        .iter()
        .filter(|edit| edit.area == Area::Worktree && edit.is_change());
    let written = written.map(|edit| {
        let size = Bytes(edit.after.len() as u64);
        (RepoPath::new(&edit.path), Some(size))
    });
    effect.count_written(snapshot, tree, overlay, written)?;
    Ok(effect)
}

/// Makes edits: through the journal where there is one, under the command's name. Elsewhere nothing
/// may be taken out, for what was there would be gone: one file at the top may be added to.
///
/// # Errors
/// If a file isn't any more what it was ([`Error::ChangedMeanwhile`]), more than adding is asked
/// for outside a repository, or the disk refuses.
pub fn write(worktree: &Worktree, command: &str, edits: &[Edit]) -> Result<()> {
    let changed = edits.iter().filter(|edit| edit.is_change());
    let changed: Vec<FileChange> = changed.map(Edit::change).collect();
    match (&worktree.repository, changed.as_slice()) {
        (_, []) => Ok(()),
        (Some(_), _) => Journal::open(worktree)?.apply(command, &Changes::of_files(changed)),
        (None, [one]) => write_without_journal(worktree, one),
        (None, _) => Err(Error::OnlyAdding),
    }
}
