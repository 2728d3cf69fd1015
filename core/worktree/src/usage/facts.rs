//! What is known of rules that decide about nothing: what else they match, and what they miss by
//! little.

use super::{RuleStatus, shut_folder};
use crate::FileStats;
use crate::tree::{Entry, State, Tree};
use rayon::prelude::*;
use redshank_rules::{Case, NearReason, RepoPath, RepoPathBuf, Rule, RuleList, looser};
use std::collections::HashMap;

/// What is known of a rule that decides about nothing.
#[derive(Default)]
pub(super) struct Facts {
    /// How many tracked files it matches.
    pub(super) tracked: u64,
    /// The first rule that decides about a path that it matches, too.
    pub(super) overridden: Option<RuleStatus>,
    /// The first folder that is excluded above a path that it matches.
    pub(super) excluded: Option<RuleStatus>,
    /// The first folder that an exception matches and that isn't excluded, and what a commit would
    /// take in of what is below such folders.
    pub(super) let_in: Option<(RepoPathBuf, FileStats)>,
}

/// For entries that come sorted, which rules of a list match each, or a folder above it.
pub(super) struct Matches<'l, 't> {
    list: &'l RuleList,
    /// Which rules are of interest.
    wanted: &'l (dyn Fn(usize) -> bool + Sync),
    /// The folders on the way to the last entry, each with the rules that match it or one above it.
    above: Vec<(&'t RepoPath, Vec<u32>)>,
}

impl<'l, 't> Matches<'l, 't> {
    fn new(list: &'l RuleList, wanted: &'l (dyn Fn(usize) -> bool + Sync)) -> Self {
        Self {
            list,
            wanted,
            above: Vec::new(),
        }
    }

    /// The rules for the next entry.
    fn next(&mut self, entry: &'t Entry) -> Vec<u32> {
        let path = &*entry.path;
        self.above
            .retain(|(folder, _)| path != *folder && path.is_within(folder));
        let deepest = self.above.last().map(|(folder, _)| *folder);
        let known = deepest.unwrap_or(&self.list.source.base).len();
        for folder in path.folders_above().filter(|folder| folder.len() > known) {
            let rules = self.inherited(folder);
            self.above.push((folder, rules));
        }
        self.inherited(path)
    }

    /// The rules that match a path, and those that match the folders on the way to it.
    fn inherited(&self, path: &RepoPath) -> Vec<u32> {
        let above = self.above.last();
        let mut rules = above.map_or_else(Vec::new, |(_, rules)| rules.clone());
        let own = self.list.all_matches(path.bare(), path.is_folder());
        rules.extend(own.into_iter().filter(|at| (self.wanted)(*at as usize)));
        rules
    }
}

/// How many entries are looked at together.
pub(super) const ENTRIES_A_PART: usize = 4096;

/// What is known of each of a list's rules that decide about nothing; of a rule that nothing
/// matches, nothing.
pub(super) fn facts(tree: &Tree, list: &RuleList, catches: &[FileStats]) -> HashMap<usize, Facts> {
    let idle = |at: usize| catches[at].files == 0;
    let parts = tree
        .slice_below(&list.source.base)
        .par_chunks(ENTRIES_A_PART);
    let of_parts = parts.map(|part| {
        let mut facts: HashMap<usize, Facts> = HashMap::new();
        let mut matches = Matches::new(list, &idle);
        for entry in part {
            for at in matches.next(entry) {
                let known = facts.entry(at as usize).or_default();
                known.take(entry);
                let rule = &list.rules()[at as usize];
                if rule.negated && entry.state != State::Ignored {
                    known.take_open(entry, rule, &list.source.base);
                }
            }
        }
        facts
    });
    let mut facts: HashMap<usize, Facts> = HashMap::new();
    for (at, more) in of_parts.collect::<Vec<_>>().into_iter().flatten() {
        facts.entry(at).or_default().take_in(more);
    }
    facts
}

impl Facts {
    /// Takes in what is known from later entries.
    fn take_in(&mut self, later: Self) {
        self.tracked += later.tracked;
        self.overridden = self.overridden.take().or(later.overridden);
        self.excluded = self.excluded.take().or(later.excluded);
        if let Some((_, more)) = later.let_in {
            match &mut self.let_in {
                Some((_, stats)) => *stats += more,
                None => self.let_in = later.let_in,
            }
        }
    }

    /// Takes up an entry in a folder that an exception matches.
    fn take_open(&mut self, entry: &Entry, rule: &Rule, base: &RepoPath) {
        let mut folders = entry.path.folders_above();
        let folder = folders.find(|folder| {
            let below = folder.below(base).filter(|below| !below.is_top());
            below.is_some_and(|below| rule.matches(below.bare(), true))
        });
        let Some(folder) = folder else {
            return;
        };
        let (_, stats) = self
            .let_in
            .get_or_insert_with(|| (folder.to_owned(), FileStats::default()));
        if entry.state == State::Candidate {
            *stats += entry.stats();
        }
    }

    /// Takes up an entry that the rule matches.
    fn take(&mut self, entry: &Entry) {
        if entry.state == State::Tracked {
            self.tracked += 1;
            return;
        }
        let Some(ruling) = &entry.ruling else {
            return;
        };
        let (source, line) = (&ruling.source().shown, ruling.rule().line);
        let folder = shut_folder(ruling, &entry.path).filter(|_| ruling.ignores());
        if let (Some(folder), None) = (folder, &self.excluded) {
            self.excluded = Some(RuleStatus::CannotWork {
                folder: folder.to_owned(),
                source: source.clone(),
                line,
            });
        }
        self.overridden
            .get_or_insert_with(|| RuleStatus::Overridden {
                source: source.clone(),
                line,
            });
    }
}

/// The rules that match nothing and miss candidates by little, by their snapshot.
pub(super) fn missed(
    tree: &Tree,
    list: &RuleList,
    catches: &[FileStats],
    facts: &HashMap<usize, Facts>,
) -> HashMap<usize, RuleStatus> {
    let entries = tree.slice_below(&list.source.base);
    let candidates = entries
        .iter()
        .filter(|entry| entry.state == State::Candidate);
    let grams = TrigramIndex::build(candidates.map(|entry| &*entry.path));
    let rules = (0..list.rules().len()).into_par_iter().filter(|at| {
        catches[*at].files == 0
            && facts
                .get(at)
                .is_none_or(|facts| facts.overridden.is_none() && facts.tracked == 0)
    });
    let near = rules.filter(|at| {
        let rule = &list.rules()[*at];
        !rule.negated && grams.may_hold(rule)
    });
    let wider = near.flat_map_iter(|at| {
        let looser = looser(&list.rules()[at]);
        looser.map(move |(because, looser)| (at, because, looser))
    });
    let wider: Vec<(usize, NearReason, Rule)> = wider.collect();
    let mut missed = HashMap::new();
    for case in [Case::Sensitive, Case::Blind] {
        let of_case = wider.iter().filter(|(_, _, rule)| rule.case() == case);
        let of_case: Vec<_> = of_case.collect();
        let rules = of_case.iter().map(|(_, _, rule)| rule.clone()).collect();
        let looser = RuleList::from_rules(list.source.clone(), rules, case);
        let parts = entries.par_chunks(ENTRIES_A_PART);
        let of_parts = parts.map(|part| {
            let mut met: Vec<u32> = Vec::new();
            let mut matches = Matches::new(&looser, &|_| true);
            let candidates = part.iter().filter(|entry| entry.state == State::Candidate);
            candidates.for_each(|entry| met.extend(matches.next(entry)));
            met
        });
        // In the order of the entries: the first that is met tells what was meant.
        for nth in of_parts.collect::<Vec<_>>().into_iter().flatten() {
            let (at, because, rule) = of_case[nth as usize];
            missed.entry(*at).or_insert_with(|| RuleStatus::Misread {
                because: *because,
                corrected: rule.text.clone(),
                sure: false,
            });
        }
    }
    missed
}

/// Every three bytes in a row that some paths hold, in lower case, as bits of their hashes: what a
/// rule needs that isn't there, no rule with another anchor or case finds either.
struct TrigramIndex(Vec<u64>);

impl TrigramIndex {
    /// How many bits distinguish grams, as a power of two.
    const BITS: u32 = 16;

    fn build<'p>(paths: impl Iterator<Item = &'p RepoPath>) -> Self {
        let mut grams = Self(vec![0; 1 << (Self::BITS - 6)]);
        for path in paths {
            for bytes in path.windows(3) {
                let (word, bit) = Self::place([bytes[0], bytes[1], bytes[2]]);
                grams.0[word] |= bit;
            }
        }
        grams
    }

    fn may_hold(&self, rule: &Rule) -> bool {
        let mut holds = true;
        rule.glob().for_each_gram(|gram| {
            let (word, bit) = Self::place(gram);
            holds &= self.0[word] & bit != 0;
        });
        holds
    }

    fn place([a, b, c]: [u8; 3]) -> (usize, u64) {
        let folded = u32::from_le_bytes([a, b, c, 0]) | 0x0020_2020;
        let hash = folded.wrapping_mul(0x9e37_79b1) >> (32 - Self::BITS);
        ((hash >> 6) as usize, 1 << (hash & 63))
    }
}
