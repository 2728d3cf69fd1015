//! Finding the last matching rule without trying them all.
//!
//! Each rule is filed under something that every text it matches must have: the whole text, its
//! end, or three bytes in a row somewhere in it. A question looks up its own text under each of
//! these and gets few rules; the rest is tried one by one. The last rule wins: whatever is filed
//! together is a chain from the last rule to the first, and no rule before the best so far is
//! tried. A chain is a number for each rule, the one before it; so filing a rule takes no memory of
//! its own.

use crate::{Case, Glob, Key, Rule};
use foldhash::fast::FixedState;
use hashbrown::HashTable;
use hashbrown::hash_table::Entry;
use std::borrow::Cow;
use std::collections::HashMap;
use std::hash::BuildHasher;

/// Below this number of rules, trying one by one is quicker than looking up.
const WORTH_INDEXING: usize = 6;

/// The end of a chain.
const NONE: u32 = u32::MAX;

/// How keys are hashed: the same in every run.
const HASH: FixedState = FixedState::with_seed(0);

pub(super) struct Lookup {
    fold: bool,
    names: Buckets,
    paths: Buckets,
    /// For each rule, the one before it that is filed in the same place.
    before: Vec<u32>,
}

/// The rules that are matched against one kind of text. Each place holds the last rule of a chain.
struct Buckets {
    is_empty: bool,
    whole: Literals,
    /// By the length of the end.
    ends: Vec<(usize, Literals)>,
    grams: TrigramIndex,
    rest: u32,
}

/// Rules filed by the literal that their glob is, or ends with.
#[derive(Default)]
struct Literals(HashTable<u32>);

/// Rules filed by three bytes in a row that their texts hold.
#[derive(Default)]
struct TrigramIndex {
    filed: HashMap<Gram, u32, FixedState>,
    /// A bit for each gram's hash that is filed; most grams of most texts end here. Empty if
    /// nothing is filed.
    seen: Vec<u64>,
}

/// Three bytes in a row.
type Gram = [u8; 3];

/// How many bits distinguish grams, as a power of two.
const SEEN_BITS: u32 = 16;

impl Lookup {
    pub(super) fn build(rules: &[Rule], case: Case) -> Self {
        let mut lookup = Self {
            fold: case == Case::Blind,
            names: Buckets::new(),
            paths: Buckets::new(),
            before: vec![NONE; rules.len()],
        };
        let few = rules.len() < WORTH_INDEXING;
        let held = if few {
            HeldTrigrams::default()
        } else {
            HeldTrigrams::build(rules)
        };
        let mut held_of_rules = held.of_rules.iter();
        if !few {
            lookup.make_room(rules);
        }
        for (at, rule) in (0..rules.len() as u32).zip(rules) {
            let drawers = if rule.anchored {
                &mut lookup.paths
            } else {
                &mut lookup.names
            };
            let before = &mut lookup.before;
            match rule.glob().key() {
                Key::Never => continue,
                _ if few => drawers.file_in_rest(at, before),
                Key::End([]) => drawers.file_in_rest(at, before),
                Key::Whole(text) => drawers.whole.file(text, at, rules, before),
                Key::End(text) => drawers.ends_of(text.len()).file(text, at, rules, before),
                Key::Holds(_) => {
                    let grams = held_of_rules
                        .next()
                        .map_or(&[][..], |range| &held.grams[range.clone()]);
                    // Under the gram that the fewest rules have.
                    match grams.iter().min_by_key(|gram| held.counts.get(*gram)) {
                        Some(gram) => drawers.grams.file(*gram, at, before),
                        None => drawers.file_in_rest(at, before),
                    }
                }
            }
            drawers.is_empty = false;
        }
        lookup
    }

    /// Makes room at once for all that is filed by a literal.
    fn make_room(&mut self, rules: &[Rule]) {
        let mut counts: HashMap<(bool, Option<usize>), usize, FixedState> = HashMap::default();
        for rule in rules.iter().filter(|rule| rule.glob().literal().is_some()) {
            let length = match rule.glob().key() {
                Key::End(text) => Some(text.len()),
                Key::Never | Key::Whole(_) | Key::Holds(_) => None,
            };
            *counts.entry((rule.anchored, length)).or_default() += 1;
        }
        for ((is_path, length), count) in counts {
            let drawers = if is_path {
                &mut self.paths
            } else {
                &mut self.names
            };
            let literals = match length {
                Some(0) => continue,
                Some(length) => drawers.ends_of(length),
                None => &mut drawers.whole,
            };
            literals.make_room(count, rules);
        }
    }

    /// The last rule that matches: `path` is below the list's folder, `name` its last part.
    pub(super) fn last(
        &self,
        rules: &[Rule],
        path: &[u8],
        name: &[u8],
        is_folder: &dyn Fn() -> bool,
    ) -> Option<u32> {
        let mut best: Option<u32> = None;
        self.look_up(rules, path, name, &mut |last, text| {
            let better = self
                .chain(last)
                .take_while(|at| best.is_none_or(|best| *at > best));
            let found = { better }.find(|at| {
                let rule = &rules[*at as usize];
                rule.glob().matches(text) && (!rule.folders_only || is_folder())
            });
            best = found.or(best);
        });
        best
    }

    /// All rules that match, in their order.
    pub(super) fn all(
        &self,
        rules: &[Rule],
        path: &[u8],
        name: &[u8],
        is_folder: bool,
    ) -> Vec<u32> {
        let mut all = Vec::new();
        self.look_up(rules, path, name, &mut |last, text| {
            all.extend(self.chain(last).filter(|at| {
                let rule = &rules[*at as usize];
                (is_folder || !rule.folders_only) && rule.glob().matches(text)
            }));
        });
        // A rule is met as often as its three bytes occur.
        all.sort_unstable();
        all.dedup();
        all
    }

    /// The rules filed together, from that last one to the first.
    fn chain(&self, last: u32) -> impl Iterator<Item = u32> {
        std::iter::successors(Some(last).filter(|at| *at != NONE), |at| {
            Some(self.before[*at as usize]).filter(|at| *at != NONE)
        })
    }

    /// Hands on the last rule of every place that may hold a match, with the text to match.
    fn look_up<'t>(
        &self,
        rules: &[Rule],
        path: &'t [u8],
        name: &'t [u8],
        take: &mut dyn FnMut(u32, &'t [u8]),
    ) {
        for (drawers, text) in [(&self.names, name), (&self.paths, path)] {
            if drawers.is_empty {
                continue;
            }
            // Most texts are in lower case already.
            let filed = if self.fold && text.iter().any(u8::is_ascii_uppercase) {
                Cow::Owned(text.to_ascii_lowercase())
            } else {
                Cow::Borrowed(text)
            };
            drawers.open(rules, &filed, &mut |last| take(last, text));
        }
    }
}

/// The grams that must be held by the texts of rules that can't be filed by a literal.
#[derive(Default)]
struct HeldTrigrams {
    grams: Vec<Gram>,
    /// Those of each such rule, in the order of the rules.
    of_rules: Vec<std::ops::Range<usize>>,
    /// In how many rules each gram occurs.
    counts: HashMap<Gram, u32, FixedState>,
}

impl HeldTrigrams {
    fn build(rules: &[Rule]) -> Self {
        let mut held = Self::default();
        for rule in rules {
            if let Key::Holds(literals) = rule.glob().key() {
                let start = held.grams.len();
                let windows = literals.iter().flat_map(|literal| literal.windows(3));
                let grams = windows.map(|bytes| [bytes[0], bytes[1], bytes[2]]);
                held.grams.extend(grams);
                held.of_rules.push(start..held.grams.len());
            }
        }
        for gram in &held.grams {
            *held.counts.entry(*gram).or_default() += 1;
        }
        held
    }
}

impl Literals {
    /// Makes room for so many rules at once.
    fn make_room(&mut self, count: usize, rules: &[Rule]) {
        self.0
            .reserve(count, |at| HASH.hash_one(literal(rules, *at)));
    }

    /// Files a rule whose glob is, or ends with, that text.
    fn file(&mut self, text: &[u8], at: u32, rules: &[Rule], before: &mut [u32]) {
        let literal = |at: &u32| literal(rules, *at);
        match self.0.entry(
            HASH.hash_one(text),
            |at| literal(at) == text,
            |at| HASH.hash_one(literal(at)),
        ) {
            Entry::Vacant(free) => drop(free.insert(at)),
            Entry::Occupied(mut last) => {
                before[at as usize] = *last.get();
                *last.get_mut() = at;
            }
        }
    }

    /// The last rule filed under that text.
    fn last(&self, text: &[u8], rules: &[Rule]) -> Option<u32> {
        self.0
            .find(HASH.hash_one(text), |at| literal(rules, *at) == text)
            .copied()
    }
}

/// What a rule is filed under that is filed under a literal.
fn literal(rules: &[Rule], at: u32) -> &[u8] {
    let literal = rules
        .get(at as usize)
        .map(Rule::glob)
        .and_then(Glob::literal);
    literal.unwrap_or_default()
}

impl Buckets {
    fn new() -> Self {
        Self {
            is_empty: true,
            whole: Literals::default(),
            ends: Vec::new(),
            grams: TrigramIndex::default(),
            rest: NONE,
        }
    }

    fn file_in_rest(&mut self, at: u32, before: &mut [u32]) {
        before[at as usize] = std::mem::replace(&mut self.rest, at);
    }

    fn ends_of(&mut self, length: usize) -> &mut Literals {
        let known = self.ends.iter().position(|(known, _)| *known == length);
        let place = known.unwrap_or_else(|| {
            self.ends.push((length, Literals::default()));
            self.ends.len() - 1
        });
        &mut self.ends[place].1
    }

    /// `text` is in the form that the drawers are filed under.
    fn open(&self, rules: &[Rule], text: &[u8], take: &mut dyn FnMut(u32)) {
        self.whole.last(text, rules).map(&mut *take);
        for (length, filed) in self.ends.iter().filter(|(length, _)| *length <= text.len()) {
            let end = &text[text.len() - length..];
            filed.last(end, rules).map(&mut *take);
        }
        self.grams.open(text, take);
        take(self.rest);
    }
}

impl TrigramIndex {
    fn file(&mut self, gram: Gram, at: u32, before: &mut [u32]) {
        if self.seen.is_empty() {
            self.seen = vec![0; 1 << (SEEN_BITS - 6)];
        }
        let (word, bit) = place(gram);
        self.seen[word] |= bit;
        before[at as usize] = self.filed.insert(gram, at).unwrap_or(NONE);
    }

    fn open(&self, text: &[u8], take: &mut dyn FnMut(u32)) {
        if self.seen.is_empty() {
            return;
        }
        for bytes in text.windows(3) {
            let gram = [bytes[0], bytes[1], bytes[2]];
            let (word, bit) = place(gram);
            if self.seen[word] & bit != 0 {
                self.filed.get(&gram).copied().map(&mut *take);
            }
        }
    }
}

/// The word and the bit that stand for a gram.
fn place([a, b, c]: Gram) -> (usize, u64) {
    let hash = u32::from_le_bytes([a, b, c, 0]).wrapping_mul(0x9e37_79b1) >> (32 - SEEN_BITS);
    ((hash >> 6) as usize, 1 << (hash & 63))
}
