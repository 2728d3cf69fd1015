//! What a change of rules does: how much would be committed before and after, and which paths
//! changed sides.

use crate::tree::{Entry, State, Tree};
use crate::{FileStats, Overlay, Result, Snapshot, Verdicts, WalkOptions};
use bstr::{BStr, BString, ByteSlice};
use rayon::prelude::*;
use std::collections::HashSet;

/// The effect of a change.
#[derive(Default)]
pub struct Effect {
    /// What would be committed before.
    pub before: FileStats,
    /// What would be committed after.
    pub after: FileStats,
    /// Paths that would be kept out and were not, sorted.
    pub kept_out: Vec<Entry>,
    /// Paths that were kept out and would not be any more, sorted.
    pub let_in: Vec<Entry>,
}

impl Effect {
    /// The effect on a tree, as walked before, of ignore files that hold something else, and of
    /// paths no longer tracked.
    ///
    /// # Errors
    /// If the tree can't be walked again.
    pub fn of(
        snapshot: &Snapshot,
        before: &Tree,
        overlay: Overlay,
        untracked: &[BString],
    ) -> Result<Self> {
        if overlay.is_empty() && untracked.is_empty() {
            let amount = FileStats::of(before.to_commit());
            return Ok(Self {
                before: amount,
                after: amount,
                ..Self::default()
            });
        }
        let verdicts = Verdicts::new(snapshot, overlay.clone())?;
        let state = |entry: &Entry| {
            verdicts
                .query(entry.path.as_bstr())
                .map(|answer| answer.state)
        };
        let ignored: Vec<&Entry> = before.in_state(State::Ignored).collect();
        let after = ignored
            .into_par_iter()
            .map(state)
            .collect::<Result<Vec<State>>>()?;
        if after.into_iter().any(|state| state != State::Ignored) {
            return Self::by_walking(snapshot, before, overlay, untracked);
        }
        // Nothing that was shut is opened: no folder has to be entered that was not entered before.
        let untracked: HashSet<&BStr> = untracked.iter().map(|path| path.as_bstr()).collect();
        let entries: Vec<&Entry> = before.to_commit().collect();
        let goes = |entry: &Entry| match entry.state {
            State::Tracked => Ok(untracked.contains(entry.path.as_bstr())),
            _ => Ok(state(entry)? == State::Ignored),
        };
        let gone = entries
            .par_iter()
            .map(|entry| goes(entry))
            .collect::<Result<Vec<bool>>>()?;
        let split = |kept: bool| {
            entries
                .iter()
                .zip(&gone)
                .filter(move |(_, gone)| **gone != kept)
                .map(|(entry, _)| *entry)
        };
        Ok(Self {
            before: FileStats::of(entries.iter().copied()),
            after: FileStats::of(split(true)),
            kept_out: split(false).cloned().collect(),
            let_in: Vec::new(),
        })
    }

    fn by_walking(
        snapshot: &Snapshot,
        before: &Tree,
        overlay: Overlay,
        untracked: &[BString],
    ) -> Result<Self> {
        let after = Tree::walk(
            snapshot,
            &WalkOptions {
                overlay,
                ..WalkOptions::default()
            },
        )?;
        let untracked: HashSet<&BStr> = untracked.iter().map(|path| path.as_bstr()).collect();
        let stays = |entry: &&Entry| !untracked.contains(entry.path.as_bstr());
        let paths = |tree: &'_ Tree| -> HashSet<BString> {
            tree.to_commit().map(|entry| entry.path.clone()).collect()
        };
        let (was, is) = (paths(before), paths(&after));
        let gone = |entry: &&Entry| !is.contains(&entry.path) || !stays(entry);
        Ok(Self {
            before: FileStats::of(before.to_commit()),
            after: FileStats::of(after.to_commit().filter(stays)),
            kept_out: before.to_commit().filter(gone).cloned().collect(),
            let_in: after
                .in_state(State::Candidate)
                .filter(|entry| !was.contains(&entry.path))
                .cloned()
                .collect(),
        })
    }
}
