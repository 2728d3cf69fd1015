//! What others see of a working tree: its files beside those of a branch that was pushed.

use crate::tree::{EntryKind, State};
use crate::{Purpose, Result, Snapshot};
use redshank_git::Difference;
use redshank_rules::{RepoPath, RepoPathBuf, Ruling};
use std::collections::BTreeSet;

/// Why others don't have something.
#[derive(Clone)]
pub enum Absence {
    /// A rule ignores it.
    Ignored(Option<Ruling>),
    /// Nobody added it.
    Untracked,
    /// It is staged, and in no commit.
    Staged,
    /// It is committed, and not pushed.
    Unpushed,
}

/// A working tree beside a commit.
#[derive(Default)]
pub struct Published {
    /// What is here and not there, with the reason; ignored folders as a whole. Sorted.
    pub missing: Vec<(RepoPathBuf, Absence)>,
    /// What is there and not here, sorted.
    pub extra: Vec<RepoPathBuf>,
    /// What is on both sides and differs, and in what; sorted.
    pub differing: Vec<(RepoPathBuf, Difference)>,
}

impl Published {
    /// Compares the working tree with a commit that others have.
    ///
    /// # Errors
    /// If there is no repository, the tree can't be walked or the commit can't be read.
    pub fn compare(snapshot: &Snapshot, commit: &str) -> Result<Self> {
        let repository = snapshot.needs_repository(Purpose::History)?;
        let paths = |commit: &str| -> Result<BTreeSet<RepoPathBuf>> {
            let paths = repository.files_of(commit)?.into_iter();
            Ok(paths.map(RepoPathBuf::from).collect())
        };
        let there = paths(commit)?;
        let committed = if repository.has_commit() {
            paths("HEAD")?
        } else {
            BTreeSet::new()
        };
        let tree = snapshot.tree()?;
        let mut published = Self::default();
        let mut here: BTreeSet<&RepoPath> = BTreeSet::new();
        for entry in &tree.entries {
            here.insert(RepoPath::new(entry.path.bare()));
            if there.contains(RepoPath::new(entry.path.bare())) {
                continue;
            }
            let absence = match entry.state {
                State::Ignored => Absence::Ignored(entry.ruling.clone()),
                State::Candidate => Absence::Untracked,
                State::Tracked if committed.contains(&*entry.path) => Absence::Unpushed,
                State::Tracked => Absence::Staged,
            };
            let is_ours = entry.kind != EntryKind::Repository;
            if is_ours {
                published.missing.push((entry.path.clone(), absence));
            }
        }
        let differing = repository.differences(commit)?.into_iter();
        let differing = differing.map(|(path, kind)| (RepoPathBuf::from(path), kind));
        published.differing = differing
            .filter(|(path, _)| here.contains(&**path) && there.contains(path))
            .collect();
        published.extra = there
            .into_iter()
            .filter(|path| !here.contains(&**path) && !snapshot.root.is_there(path))
            .collect();
        Ok(published)
    }
}
