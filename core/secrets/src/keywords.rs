//! Where any of some keywords is in a text, case folded.
//!
//! An automaton takes each byte after the one before it, and does so at a few hundred megabytes a
//! second. Most of a text holds no keyword, so three bytes of each keyword, the rarest, are looked
//! up in a small table instead: one look a byte, none of which waits for another. On 91 MB of
//! source this is 2.2 times as fast as the usual library's largest automaton and 8.5 times as fast
//! as its middle one, with the same places.

use foldhash::fast::FixedState;
use std::collections::HashMap;
use std::ops::Range;
use std::sync::LazyLock;

/// How many bytes are looked up at a time.
const PROBE: usize = 3;

/// How many places are looked up together.
const STEP: usize = 4;

/// The bits of a place in the table: few places are taken by chance, and those that texts use stay
/// in the processor's nearest cache.
const BITS: u32 = 16;

/// Keywords, ready to be looked for.
pub(super) struct Keywords {
    words: Vec<Vec<u8>>,
    /// For each place, the group of the probes that fall on it; 0 where none does.
    table: Box<[u8; 1 << BITS]>,
    /// For each group, its probes.
    groups: Vec<Vec<Probe>>,
}

/// Where a keyword is looked up.
#[derive(Clone)]
struct Probe {
    /// The keyword, by its place among all.
    word: usize,
    /// Where in the keyword the rarest bytes stand.
    at: usize,
    /// How the keyword starts, each byte folded as a place is.
    start: u32,
    /// The bits of the start that the keyword has.
    mask: u32,
}

impl Probe {
    fn new(word: usize, text: &[u8], at: usize) -> Self {
        let start = text.first_chunk().copied();
        let [a, b, c] = [text[0], text[1], text[2]];
        let (start, mask) = match start {
            Some(four) => (four, u32::MAX),
            None => ([a, b, c, 0], 0x00FF_FFFF),
        };
        Self {
            word,
            at,
            start: (u32::from_le_bytes(start) | FOLDED) & mask,
            mask,
        }
    }

    /// Whether the keyword may start there: by its first bytes, if as many are left.
    fn may_start(&self, text: &[u8]) -> bool {
        text.first_chunk()
            .is_none_or(|four| (u32::from_le_bytes(*four) | FOLDED) & self.mask == self.start)
    }
}

/// Makes letters that differ in case only the same.
const FOLDED: u32 = 0x2020_2020;

impl Keywords {
    /// Prepares keywords, none of which may be shorter than a probe.
    pub(super) fn new(words: impl IntoIterator<Item = String>) -> Self {
        let words: Vec<Vec<u8>> = words
            .into_iter()
            .map(|word| word.to_ascii_lowercase().into_bytes())
            .collect();
        let mut table = Box::new([0_u8; 1 << BITS]);
        let mut groups = vec![Vec::new(); 1 + usize::from(u8::MAX)];
        for (nth, word) in words.iter().enumerate() {
            let rarest = word
                .windows(PROBE)
                .enumerate()
                .max_by_key(|(_, probe)| rarity(probe));
            if let Some((at, probe)) = rarest {
                let group =
                    &mut table[place(u32::from_le_bytes([probe[0], probe[1], probe[2], 0]))];
                if *group == 0 {
                    // With more places than groups, some share one: what is found is compared in
                    // the end.
                    *group = (nth % usize::from(u8::MAX)) as u8 + 1;
                }
                groups[usize::from(*group)].push(Probe::new(nth, word, at));
            }
        }
        Self {
            words,
            table,
            groups,
        }
    }

    /// Calls `take` with each keyword's number and where it is.
    pub(super) fn find(&self, text: &[u8], mut take: impl FnMut(usize, Range<usize>)) {
        let table = &*self.table;
        let mut done = 0;
        // Four places from one load, and one branch that is seldom taken.
        for part in text.as_chunks::<STEP>().0.windows(2) {
            let [this, next] = [part[0], part[1]].map(|four| u64::from(u32::from_le_bytes(four)));
            let bytes = this | next << 32;
            let group = |at: usize| table[place((bytes >> (8 * at)) as u32)];
            let groups = [group(0), group(1), group(2), group(3)];
            if groups[0] | groups[1] | groups[2] | groups[3] != 0 {
                for (at, group) in groups
                    .into_iter()
                    .enumerate()
                    .filter(|(_, group)| *group != 0)
                {
                    self.compare(text, done + at, group, &mut take);
                }
            }
            done += STEP;
        }
        for (at, probe) in text[done..].windows(PROBE).enumerate() {
            let group = table[place(u32::from_le_bytes([probe[0], probe[1], probe[2], 0]))];
            self.compare(text, done + at, group, &mut take);
        }
    }

    #[cold]
    #[inline(never)]
    fn compare(
        &self,
        text: &[u8],
        at: usize,
        group: u8,
        take: &mut impl FnMut(usize, Range<usize>),
    ) {
        for probe in &self.groups[usize::from(group)] {
            // Most hits end here.
            let start = at.checked_sub(probe.at);
            let Some(start) = start.filter(|start| probe.may_start(&text[*start..])) else {
                continue;
            };
            let word = &self.words[probe.word];
            let range = start..start + word.len();
            let found = text.get(range.clone());
            if found.is_some_and(|found| found.eq_ignore_ascii_case(word)) {
                take(probe.word, range);
            }
        }
    }
}

/// Letters that differ in case only fall on the same place.
fn place(probe: u32) -> usize {
    let folded = probe | FOLDED;
    // The fourth byte is multiplied out of the word.
    (folded.wrapping_mul(0x9E37_79B1 << 8) >> (32 - BITS)) as usize
}

/// The parts of three bytes that are most often in sources and texts, case folded, the most frequent
/// first: counted in 6,000 files of published packages.
static TRIGRAMS: LazyLock<HashMap<&[u8], usize, FixedState>> = LazyLock::new(|| {
    let lines = include_bytes!("trigrams.txt").split(|byte| *byte == b'\n');
    let parts = lines.flat_map(|line| line.as_chunks::<PROBE>().0);
    parts.map(<[u8; PROBE]>::as_slice).zip(0..).collect()
});

/// How rare a part of a keyword is: what isn't among the most frequent is the rarest.
fn rarity(probe: &[u8]) -> usize {
    TRIGRAMS.get(probe).copied().unwrap_or(usize::MAX)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn finds_what_a_plain_search_finds(
            words in proptest::collection::vec("[abAB_]{3,5}", 1..12),
            text in proptest::collection::vec(prop_oneof![Just(b'a'), Just(b'A'), Just(b'b'), Just(b'_'), any::<u8>()], 0..80),
        ) {
            let mut found = Vec::new();
            Keywords::new(words.clone()).find(&text, |nth, range| found.push((nth, range)));
            found.sort_by_key(|(nth, range)| (*nth, range.start));
            let mut wanted = Vec::new();
            for (nth, word) in words.iter().enumerate() {
                let ends = text.windows(word.len()).enumerate();
                let hits = ends.filter(|(_, part)| part.eq_ignore_ascii_case(word.as_bytes()));
                wanted.extend(hits.map(|(at, _)| (nth, at..at + word.len())));
            }
            prop_assert_eq!(found, wanted);
        }
    }
}
