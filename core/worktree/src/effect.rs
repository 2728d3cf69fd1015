//! What a change of rules does: how much would be committed before and after, and which paths
//! changed sides.

use crate::size::Bytes;
use crate::tree::{Entry, State, Tree};
use crate::{FileStats, Overlay, Result, Snapshot, Verdicts, WalkOptions};
use redshank_rules::{RepoPath, RepoPathBuf};
use std::collections::HashSet;

/// The effect of a change.
#[derive(Default)]
pub struct Effect {
    /// What would be committed before.
    pub before: FileStats,
    /// What would be committed after.
    pub after: FileStats,
    /// Paths that would be ignored and were not, sorted.
    pub kept_out: Vec<Entry>,
    /// Paths that were ignored and would not be any more, sorted.
    pub let_in: Vec<Entry>,
    /// Files that the change itself makes and that are counted in `after`, sorted.
    pub new: Vec<RepoPathBuf>,
}

impl Effect {
    /// The effect on a tree, as walked before, of ignore files that hold something else, and of
    /// paths no longer tracked.
    ///
    /// # Errors
    /// If the tree can't be walked again.
    pub fn compute(
        snapshot: &Snapshot,
        before: &Tree,
        overlay: Overlay,
        untracked: &[RepoPathBuf],
    ) -> Result<Self> {
        let stats = FileStats::sum(before.to_commit());
        if overlay.is_empty() && untracked.is_empty() {
            return Ok(Self {
                before: stats,
                after: stats,
                ..Self::default()
            });
        }
        let states = Verdicts::new(snapshot, overlay.clone())?.states(before)?;
        let after = |entry: usize| states[entry];
        if before
            .entries
            .iter()
            .enumerate()
            .any(|(at, entry)| entry.state == State::Ignored && after(at) != State::Ignored)
        {
            return Self::by_walking(snapshot, before, overlay, untracked);
        }
        // Nothing that was excluded is opened: no folder has to be entered that was not entered
        // before.
        let untracked: HashSet<&RepoPath> = untracked.iter().map(|path| &**path).collect();
        let mut effect = Self {
            before: stats,
            ..Self::default()
        };
        for (at, entry) in before.entries.iter().enumerate() {
            let goes = match entry.state {
                State::Ignored => continue,
                State::Tracked => untracked.contains(&*entry.path),
                State::Candidate => after(at) == State::Ignored,
            };
            if goes {
                effect.kept_out.push(entry.clone());
            } else {
                effect.after += entry.stats();
            }
        }
        Ok(effect)
    }

    /// Counts files that are written together with the change of rules: those that are new, and
    /// what the others grow or shrink by. `None` as a size stands for a file that goes away.
    ///
    /// # Errors
    /// If an ignore file can't be read.
    pub fn count_written<'p>(
        &mut self,
        snapshot: &Snapshot,
        before: &Tree,
        overlay: Overlay,
        written: impl IntoIterator<Item = (&'p RepoPath, Option<Bytes>)>,
    ) -> Result<()> {
        let verdicts = Verdicts::new(snapshot, overlay)?;
        for (path, size) in written {
            if verdicts.query(path)?.state == State::Ignored {
                continue;
            }
            if let Some(was) = before
                .get(path)
                .filter(|entry| entry.state != State::Ignored)
            {
                self.after.files -= 1;
                self.after.size.0 = self.after.size.0.saturating_sub(was.size.0);
            }
            if let Some(size) = size {
                self.after += FileStats::one(size);
                if before.get(path).is_none() {
                    self.new.push(path.to_owned());
                }
            }
        }
        Ok(())
    }

    fn by_walking(
        snapshot: &Snapshot,
        before: &Tree,
        overlay: Overlay,
        untracked: &[RepoPathBuf],
    ) -> Result<Self> {
        let options = WalkOptions {
            overlay,
            ..WalkOptions::default()
        };
        let after = Tree::walk(snapshot, &options)?;
        let untracked: HashSet<&RepoPath> = untracked.iter().map(|path| &**path).collect();
        let stays = |entry: &&Entry| !untracked.contains(&*entry.path);
        let is_in = |tree: &Tree, entry: &Entry| {
            let found = tree.get(&entry.path);
            found.is_some_and(|found| found.state != State::Ignored)
        };
        let candidates = after.in_state(State::Candidate);
        Ok(Self {
            before: FileStats::sum(before.to_commit()),
            after: FileStats::sum(after.to_commit().filter(stays)),
            kept_out: before
                .to_commit()
                .filter(|entry| !is_in(&after, entry) || !stays(entry))
                .cloned()
                .collect(),
            let_in: candidates
                .filter(|entry| !is_in(before, entry))
                .cloned()
                .collect(),
            new: Vec::new(),
        })
    }
}
