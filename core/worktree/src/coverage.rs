//! What patterns that aren't in force would match, and which rules ignore that already.

use crate::tree::{Entry, State, Tree};
use crate::{FileStats, Overlay, Result, Snapshot, Verdicts};
use redshank_rules::Key;
use redshank_rules::RepoPath;
use redshank_rules::{RuleList, Ruling, Source};
use std::collections::BTreeMap;

/// Patterns as they would be in a file of rules.
pub struct Proposed<'s> {
    snapshot: &'s Snapshot,
    list: RuleList,
}

impl<'s> Proposed<'s> {
    /// Patterns of a file of rules; `text` is as it would be there.
    pub fn new(snapshot: &'s Snapshot, source: &Source, text: &[u8]) -> Self {
        Self {
            snapshot,
            list: RuleList::parse(source.clone(), text, snapshot.case()),
        }
    }

    /// Whether one of them is about an entry, or about a folder above it.
    fn is_about(&self, entry: &Entry) -> bool {
        let below = self.below(&entry.path);
        below.is_some_and(|path| self.list.rules().iter().any(|rule| rule.reaches(path)))
    }

    fn below<'p>(&self, path: &'p RepoPath) -> Option<&'p RepoPath> {
        path.below(&self.list.source.base)
    }

    /// The candidates that they are about.
    pub fn candidates(&self, tree: &Tree) -> FileStats {
        FileStats::sum(
            tree.in_state(State::Candidate)
                .filter(|entry| self.is_about(entry)),
        )
    }

    /// Whether one of them decides about no candidate: it may do nothing.
    pub fn has_idle(&self, tree: &Tree) -> bool {
        self.list.rules().iter().any(|rule| {
            let mut candidates = tree.in_state(State::Candidate);
            rule.negated
                || !candidates.any(|entry| {
                    let below = self.below(&entry.path);
                    below.is_some_and(|path| rule.reaches(path))
                })
        })
    }

    /// How many tracked files they match, for which they do nothing.
    pub fn tracked(&self, tree: &Tree) -> u64 {
        tree.in_state(State::Tracked)
            .filter(|entry| {
                let below = self.below(&entry.path);
                below.is_some_and(|path| {
                    self.list
                        .rules()
                        .iter()
                        .any(|rule| !rule.negated && rule.matches(path, false))
                })
            })
            .count() as u64
    }

    /// The rules that ignore what they are about.
    pub fn keepers(&self, tree: &Tree) -> Vec<Ruling> {
        let ignored = tree
            .in_state(State::Ignored)
            .filter(|entry| self.is_about(entry));
        let rulings = ignored.filter_map(|entry| entry.ruling.as_ref());
        let by_id: BTreeMap<_, _> = rulings.map(|ruling| (ruling.id(), ruling)).collect();
        by_id.into_values().cloned().collect()
    }

    /// The one rule that ignores all that the first pattern matches, for as many people at least,
    /// if it matches something. A pattern that names one path counts as matching that, even where
    /// nothing is.
    ///
    /// # Errors
    /// If an ignore file can't be read.
    pub fn covered_by(&self, tree: &Tree) -> Result<Option<Ruling>> {
        let Some(rule) = self.list.rules().first().filter(|rule| !rule.negated) else {
            return Ok(None);
        };
        let source = &self.list.source;
        let ruling = match rule.glob().key() {
            Key::Whole(path) if rule.anchored => {
                let path = source.base.join(path);
                let verdicts = Verdicts::new(self.snapshot, Overlay::new())?;
                verdicts.query(&path)?.ruling
            }
            _ => self.only_ruling(tree),
        };
        // A rule for one person doesn't cover one for the team.
        let is_as_wide = |ruling: &Ruling| ruling.source().scope as u8 <= source.scope as u8;
        Ok(ruling.filter(|ruling| ruling.ignores() && is_as_wide(ruling)))
    }

    /// The rule that decides about every untracked path that they are about, if one does.
    fn only_ruling(&self, tree: &Tree) -> Option<Ruling> {
        let entries = tree
            .entries
            .iter()
            .filter(|entry| entry.state != State::Tracked && self.is_about(entry));
        let mut rulings = entries.map(|entry| entry.ruling.as_ref());
        let first = rulings.next().flatten()?;
        rulings
            .all(|other| other.is_some_and(|it| it.id() == first.id()))
            .then(|| first.clone())
    }
}
