//! Finding the last matching rule without trying them all.
//!
//! Each rule is filed under something that every text it matches must have: the whole text, its
//! end, or three bytes in a row somewhere in it. A question looks up its own text under each of
//! these and gets few rules; the rest is tried one by one. The last rule wins: every drawer keeps
//! its rules from the last to the first, and no rule before the best so far is tried.

use foldhash::fast::FixedState;
use redshank_pattern::{Case, Key, Rule};
use std::borrow::Cow;
use std::collections::HashMap;

/// Below this number of rules, trying one by one is quicker than looking up.
const WORTH_INDEXING: usize = 6;

type Filed<K> = HashMap<K, Vec<u32>, FixedState>;

pub(super) struct Lookup {
    fold: bool,
    names: Drawers,
    paths: Drawers,
}

/// The rules that are matched against one kind of text, each list from the last rule to the first.
struct Drawers {
    is_empty: bool,
    whole: Filed<Box<[u8]>>,
    /// By the length of the end.
    ends: Vec<(usize, Filed<Box<[u8]>>)>,
    grams: Grams,
    rest: Vec<u32>,
}

/// Rules filed by three bytes in a row that their texts hold.
#[derive(Default)]
struct Grams {
    filed: Filed<Gram>,
    /// A bit for each gram's hash that is filed; most grams of most texts end here. Empty if
    /// nothing is filed.
    seen: Vec<u64>,
}

/// Three bytes in a row.
type Gram = [u8; 3];

/// How many bits tell grams apart, as a power of two.
const SEEN_BITS: u32 = 16;

impl Lookup {
    pub(super) fn of(rules: &[Rule], case: Case) -> Self {
        let mut lookup = Self {
            fold: case == Case::Blind,
            names: Drawers::default(),
            paths: Drawers::default(),
        };
        let few = rules.len() < WORTH_INDEXING;
        let counts = if few {
            HashMap::default()
        } else {
            gram_counts(rules)
        };
        for (at, rule) in (0..rules.len() as u32).zip(rules).rev() {
            let drawers = if rule.anchored {
                &mut lookup.paths
            } else {
                &mut lookup.names
            };
            let key = rule.glob().key();
            drawers.is_empty &= key == Key::Never;
            match key {
                Key::Never => {}
                _ if few => drawers.rest.push(at),
                Key::Whole(text) => drawers.whole.entry(text.into()).or_default().push(at),
                Key::End([]) => drawers.rest.push(at),
                Key::End(text) => drawers.file_by_end(text, at),
                Key::Holds(literals) => {
                    // Under the gram that the fewest rules have.
                    match grams(&literals).min_by_key(|gram| counts.get(gram)) {
                        Some(gram) => drawers.grams.file(gram, at),
                        None => drawers.rest.push(at),
                    }
                }
            }
        }
        lookup
    }

    /// The last rule that matches: `path` is below the list's folder, `name` its last part.
    pub(super) fn last(
        &self,
        rules: &[Rule],
        path: &[u8],
        name: &[u8],
        is_folder: &dyn Fn() -> bool,
    ) -> Option<u32> {
        let mut best = Best {
            rules,
            is_folder,
            at: None,
        };
        self.look_up(path, name, &mut |found, text| best.improve(found, text));
        best.at
    }

    /// All rules that match, in no order.
    pub(super) fn all(
        &self,
        rules: &[Rule],
        path: &[u8],
        name: &[u8],
        is_folder: bool,
    ) -> Vec<u32> {
        let mut all = Vec::new();
        self.look_up(path, name, &mut |found, text| {
            all.extend(found.iter().copied().filter(|at| {
                let rule = &rules[*at as usize];
                (is_folder || !rule.folders_only) && rule.glob().matches(text)
            }));
        });
        // A rule is met as often as its three bytes occur.
        all.sort_unstable();
        all.dedup();
        all
    }

    /// Hands on every drawer that may hold a match, with the text to match.
    fn look_up<'t>(&self, path: &'t [u8], name: &'t [u8], take: &mut dyn FnMut(&[u32], &'t [u8])) {
        for (drawers, text) in [(&self.names, name), (&self.paths, path)] {
            if drawers.is_empty {
                continue;
            }
            // Most texts are in lower case already.
            let filed = match self.fold && text.iter().any(u8::is_ascii_uppercase) {
                true => Cow::Owned(text.to_ascii_lowercase()),
                false => Cow::Borrowed(text),
            };
            drawers.open(&filed, &mut |found| take(found, text));
        }
    }
}

fn grams(literals: &[Vec<u8>]) -> impl Iterator<Item = Gram> {
    literals
        .iter()
        .flat_map(|literal| literal.windows(3))
        .map(|bytes| [bytes[0], bytes[1], bytes[2]])
}

/// In how many rules each gram occurs.
fn gram_counts(rules: &[Rule]) -> HashMap<Gram, u32, FixedState> {
    let mut counts = HashMap::default();
    for rule in rules {
        if let Key::Holds(literals) = rule.glob().key() {
            for gram in grams(&literals) {
                *counts.entry(gram).or_default() += 1;
            }
        }
    }
    counts
}

impl Default for Drawers {
    fn default() -> Self {
        Self {
            is_empty: true,
            whole: Filed::default(),
            ends: Vec::new(),
            grams: Grams::default(),
            rest: Vec::new(),
        }
    }
}

impl Drawers {
    fn file_by_end(&mut self, text: &[u8], at: u32) {
        let place = self
            .ends
            .iter()
            .position(|(length, _)| *length == text.len())
            .unwrap_or_else(|| {
                self.ends.push((text.len(), HashMap::default()));
                self.ends.len() - 1
            });
        self.ends[place].1.entry(text.into()).or_default().push(at);
    }

    /// `text` is in the form that the drawers are filed under.
    fn open(&self, text: &[u8], take: &mut dyn FnMut(&[u32])) {
        if let Some(found) = self.whole.get(text) {
            take(found);
        }
        for (length, filed) in self.ends.iter().filter(|(length, _)| *length <= text.len()) {
            if let Some(found) = filed.get(&text[text.len() - length..]) {
                take(found);
            }
        }
        self.grams.open(text, take);
        if !self.rest.is_empty() {
            take(&self.rest);
        }
    }
}

impl Grams {
    fn file(&mut self, gram: Gram, at: u32) {
        if self.seen.is_empty() {
            self.seen = vec![0; 1 << (SEEN_BITS - 6)];
        }
        let (word, bit) = place(gram);
        self.seen[word] |= bit;
        self.filed.entry(gram).or_default().push(at);
    }

    fn open(&self, text: &[u8], take: &mut dyn FnMut(&[u32])) {
        if self.seen.is_empty() {
            return;
        }
        for bytes in text.windows(3) {
            let gram = [bytes[0], bytes[1], bytes[2]];
            let (word, bit) = place(gram);
            if self.seen[word] & bit != 0
                && let Some(found) = self.filed.get(&gram)
            {
                take(found);
            }
        }
    }
}

/// The word and the bit that stand for a gram.
fn place([a, b, c]: Gram) -> (usize, u64) {
    let hash = u32::from_le_bytes([a, b, c, 0]).wrapping_mul(0x9e37_79b1) >> (32 - SEEN_BITS);
    ((hash >> 6) as usize, 1 << (hash & 63))
}

/// The last match so far.
struct Best<'a> {
    rules: &'a [Rule],
    is_folder: &'a dyn Fn() -> bool,
    at: Option<u32>,
}

impl Best<'_> {
    /// Tries rules from the last to the first, down to the best so far.
    fn improve(&mut self, candidates: &[u32], text: &[u8]) {
        let better = candidates
            .iter()
            .take_while(|at| self.at.is_none_or(|best| **at > best));
        let found = better.copied().find(|at| {
            let rule = &self.rules[*at as usize];
            rule.glob().matches(text) && (!rule.folders_only || (self.is_folder)())
        });
        self.at = found.or(self.at);
    }
}
