//! The rule that nearly matched: why it doesn't, and what would.

use crate::Chain;
use crate::RepoPath;
use crate::{Case, Rule};
use bstr::{BString, ByteSlice};

/// A rule that misses a path by little.
pub struct NearMiss {
    /// The file that holds it, as git prints it.
    pub source: BString,
    /// Its line there, from 1.
    pub line: u32,
    /// The rule as it is.
    pub pattern: BString,
    /// Why it doesn't match.
    pub because: NearReason,
    /// A pattern that would match.
    pub corrected: BString,
}

/// Why a rule doesn't match, or doesn't mean what its writer may have meant.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NearReason {
    /// Its slash ties it to the folder of its file.
    Anchored,
    /// Upper and lower case differ.
    LetterCase,
    /// It ends in a slash, so it matches folders only.
    FoldersOnly,
    /// White space at its end belongs to the pattern.
    SpaceAtEnd,
    /// White space at its start belongs to the pattern.
    SpaceAtStart,
    /// A comment must have a line of its own.
    CommentBehind,
    /// Back-slashes don't part folders.
    BackSlashes,
    /// A pattern can't start with `./`.
    DotSlash,
}

/// A small change to a rule: why it's needed, and the rule with it made, if it can be.
type Change = (NearReason, fn(&Rule) -> Option<Rule>);

/// Changes to a rule that means what it says, but less than its reader hoped.
const LOOSER: &[Change] = &[
    (NearReason::Anchored, |rule| {
        let loose = match rule.text.strip_prefix(b"/") {
            Some(rest) if rest.strip_suffix(b"/").unwrap_or(rest).contains(&b'/') => {
                [b"**/", rest].concat()
            }
            Some(rest) => rest.to_vec(),
            None if rule.anchored && !rule.text.starts_with(b"**/") => {
                [b"**/", rule.text.as_slice()].concat()
            }
            None => return None,
        };
        Some(reread(&loose))
    }),
    (NearReason::LetterCase, |rule| {
        Some(Rule::parse(&rule.text, rule.line, Case::Blind))
    }),
    (NearReason::FoldersOnly, |rule| {
        rule.text.strip_suffix(b"/").map(reread)
    }),
];

/// Changes to a rule whose form tells that something else was meant.
const MISREAD: &[Change] = &[
    (NearReason::SpaceAtEnd, |rule| {
        if !matches!(rule.text.last(), Some(b' ' | b'\t')) {
            return None;
        }
        let bare = rule.text.trim_end_with(|c| c.is_whitespace() || c == '\\');
        Some(reread(bare))
    }),
    (NearReason::SpaceAtStart, |rule| {
        let bare = rule.text.trim_start();
        (bare.len() < rule.text.len()).then(|| reread(bare))
    }),
    (NearReason::CommentBehind, |rule| {
        let marks = memchr::memchr_iter(b'#', &rule.text);
        let at =
            { marks }.find_map(|at| (rule.text[..at].last() == Some(&b' ')).then(|| at - 1))?;
        Some(reread(rule.text[..at].trim_end()))
    }),
    (NearReason::BackSlashes, |rule| {
        // Before a letter or a digit it protects nothing.
        let mut marks = memchr::memchr_iter(b'\\', &rule.text);
        let parts = marks.any(|at| rule.text.get(at + 1).is_some_and(u8::is_ascii_alphanumeric));
        // From a drive on, nothing can be meant.
        let is_drive = rule.text.get(1) == Some(&b':');
        (parts && !is_drive).then(|| reread(&rule.text.replace("\\", "/")))
    }),
    (NearReason::DotSlash, |rule| {
        Some(reread(&[b"/", rule.text.strip_prefix(b"./")?].concat()))
    }),
];

/// What the form of a rule tells: why it may not be read as it was meant, and what may have been
/// meant.
pub fn misreadings(rule: &Rule) -> impl Iterator<Item = (NearReason, BString)> + '_ {
    MISREAD
        .iter()
        .filter_map(|(because, change)| Some((*because, change(rule)?.text)))
}

/// What a rule would read like if it meant a little more: why it doesn't, and the wider rule.
pub fn looser(rule: &Rule) -> impl Iterator<Item = (NearReason, Rule)> + '_ {
    LOOSER
        .iter()
        .filter_map(|(because, change)| Some((*because, change(rule)?)))
}

fn reread(text: &[u8]) -> Rule {
    Rule::parse(text, 0, Case::Sensitive)
}

/// The rules of a chain that would ignore a path if they were written a little differently,
/// strongest first, each with the first change that suffices. A path that ends in a slash is a
/// folder.
pub fn near_misses(chain: &Chain, path: &RepoPath) -> Vec<NearMiss> {
    let mut found = Vec::new();
    for list in chain.lists() {
        let Some(below) = path.below(&list.source.base) else {
            continue;
        };
        // What matches already is no near miss: something stronger re-includes the path.
        let rules = list.rules().iter().rev();
        for rule in rules.filter(|rule| !rule.negated && !rule.reaches(below)) {
            let change = LOOSER.iter().chain(MISREAD).find_map(|(because, change)| {
                let changed = change(rule)?;
                changed.reaches(below).then_some((*because, changed))
            });
            if let Some((because, changed)) = change {
                found.push(NearMiss {
                    source: list.source.shown.clone(),
                    line: rule.line,
                    pattern: rule.text.clone(),
                    because,
                    corrected: changed.text,
                });
            }
        }
    }
    found
}
