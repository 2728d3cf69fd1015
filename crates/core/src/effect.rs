//! What a change of rules does: how much would be committed before and after, and which paths
//! changed sides.

use crate::Result;
use crate::size::Bytes;
use crate::tree::{Entry, Oracle, Overlay, Place, Scope, State, Tree};
use bstr::{BStr, BString, ByteSlice};
use rayon::prelude::*;
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::HashSet;

/// A number of files and their bytes.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Amount {
    /// How many files.
    pub files: u64,
    /// Their sizes, summed, in bytes.
    pub size: Bytes,
}

impl Amount {
    /// The amount that these entries make.
    pub fn of<'a>(entries: impl IntoIterator<Item = &'a Entry>) -> Self {
        let mut amount = Self::default();
        for entry in entries {
            amount += Self {
                files: 1,
                size: entry.size,
            };
        }
        amount
    }
}

impl std::ops::AddAssign for Amount {
    fn add_assign(&mut self, other: Self) {
        self.files += other.files;
        self.size += other.size;
    }
}

/// The effect of a change.
#[derive(Default)]
pub struct Effect {
    /// What would be committed before.
    pub before: Amount,
    /// What would be committed after.
    pub after: Amount,
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
        place: &Place,
        before: &Tree,
        overlay: Overlay,
        untracked: &[BString],
    ) -> Result<Self> {
        if overlay.is_empty() && untracked.is_empty() {
            let amount = Amount::of(before.to_commit());
            return Ok(Self {
                before: amount,
                after: amount,
                ..Self::default()
            });
        }
        let oracle = Oracle::new(place, overlay.clone())?;
        let state = |entry: &Entry| oracle.ask(entry.path.as_bstr()).map(|answer| answer.state);
        let ignored: Vec<&Entry> = before.in_state(State::Ignored).collect();
        let after = ignored
            .into_par_iter()
            .map(state)
            .collect::<Result<Vec<State>>>()?;
        if after.into_iter().any(|state| state != State::Ignored) {
            return Self::by_walking(place, before, overlay, untracked);
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
            before: Amount::of(entries.iter().copied()),
            after: Amount::of(split(true)),
            kept_out: split(false).cloned().collect(),
            let_in: Vec::new(),
        })
    }

    fn by_walking(
        place: &Place,
        before: &Tree,
        overlay: Overlay,
        untracked: &[BString],
    ) -> Result<Self> {
        let after = Tree::walk(
            place,
            &Scope {
                overlay,
                ..Scope::default()
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
            before: Amount::of(before.to_commit()),
            after: Amount::of(after.to_commit().filter(stays)),
            kept_out: before.to_commit().filter(gone).cloned().collect(),
            let_in: after
                .in_state(State::Candidate)
                .filter(|entry| !was.contains(&entry.path))
                .cloned()
                .collect(),
        })
    }
}

/// Adds up entries by a key, biggest first: bytes, then files, then the key.
pub fn grouped<'a, K: Ord + Clone>(
    entries: impl IntoIterator<Item = &'a Entry>,
    key: impl Fn(&'a Entry) -> K,
) -> Vec<(K, Amount)> {
    let mut sums = std::collections::BTreeMap::<K, Amount>::new();
    for entry in entries {
        *sums.entry(key(entry)).or_default() += Amount {
            files: 1,
            size: entry.size,
        };
    }
    let mut rows: Vec<(K, Amount)> = sums.into_iter().collect();
    rows.sort_by_key(|(_, amount)| std::cmp::Reverse((amount.size, amount.files)));
    rows
}

/// The first folder of a path, with a slash at its end; empty for a file at the top.
pub fn top_folder(path: &BStr) -> &BStr {
    path.find_byte(b'/')
        .map_or(b"".into(), |slash| path[..=slash].as_bstr())
}
