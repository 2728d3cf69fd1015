//! One rule in the place of many that differ in one part of their paths.

use bstr::{BString, ByteSlice};
use redshank_rules::ignore_file::{blocks, lines_of};
use redshank_rules::{Case, Line};
use std::collections::BTreeMap;

/// So many rules make a wildcard.
const ENOUGH: usize = 3;

/// Rules of one file that one rule could replace.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Mergeable {
    /// The rule.
    pub(crate) pattern: BString,
    /// Line numbers, from 1, of those that it replaces.
    pub(crate) lines: Vec<u32>,
}

/// Finds them in a text, the groups of most rules first; what is in a block of ours is left alone.
pub(crate) fn mergeable(text: &[u8]) -> Vec<Mergeable> {
    let blocks = blocks(text);
    let mut groups: BTreeMap<BString, Vec<u32>> = BTreeMap::new();
    for line in lines_of(text) {
        let at = line.number as usize - 1;
        let is_ours = blocks.iter().any(|block| block.place.contains(&at));
        let Line::Rule(rule) = Line::read(line.text, line.number, Case::Sensitive) else {
            continue;
        };
        if is_ours || rule.negated {
            continue;
        }
        for wider in with_wildcard(&rule.text) {
            let lines = groups.entry(wider).or_default();
            lines.push(line.number);
        }
    }
    let groups = groups
        .into_iter()
        .map(|(pattern, lines)| Mergeable { pattern, lines });
    let mut groups: Vec<Mergeable> = groups.filter(|one| one.lines.len() >= ENOUGH).collect();
    groups.sort_by_key(|one| std::cmp::Reverse(one.lines.len()));
    groups
}

/// The patterns that a pattern becomes with a wildcard in the place of one of its parts: of a
/// folder on the way, or of a file's name before its ending.
fn with_wildcard(pattern: &[u8]) -> Vec<BString> {
    let parts: Vec<&[u8]> = pattern.split_str("/").collect();
    let last = parts.iter().rposition(|part| !part.is_empty());
    let mut patterns = Vec::new();
    for (at, part) in parts
        .iter()
        .enumerate()
        .filter(|(_, part)| !part.is_empty() && part.find_byteset(b"*?[\\").is_none())
    {
        let wildcard: BString = if Some(at) != last {
            "*".into()
        } else if let Some(dot) = part.rfind_byte(b'.').filter(|dot| *dot > 0)
            && !pattern.ends_with(b"/")
        {
            [b"*", &part[dot..]].concat().into()
        } else {
            continue;
        };
        let mut parts = parts.clone();
        parts[at] = &wildcard;
        patterns.push(bstr::join("/", parts).into());
    }
    patterns
}

/// The text with a rule in the place of the first of those that it replaces, and without the
/// others.
pub(crate) fn merged(text: &[u8], one: &Mergeable) -> Vec<u8> {
    let first = one.lines[0];
    let lines = lines_of(text).filter_map(|line| {
        if line.number == first {
            let end = &line.whole[line.text.len()..];
            Some([one.pattern.as_slice(), end].concat())
        } else {
            (!one.lines.contains(&line.number)).then(|| line.whole.to_vec())
        }
    });
    lines.collect::<Vec<_>>().concat()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rules_that_differ_in_one_part_make_one() {
        let text = b"/packages/a/lib/\nx.log\n/packages/b/lib/\r\n!/packages/d/lib/\n# c\n\
                     /packages/c/lib/\nspring.raw\nautumn.raw\nwinter.raw";
        let found = mergeable(text);
        let patterns: Vec<_> = found.iter().map(|one| one.pattern.to_string()).collect();
        assert_eq!(patterns, ["*.raw", "/packages/*/lib/"]);
        let after = merged(
            &merged(text, &found[1]),
            &mergeable(&merged(text, &found[1]))[0],
        );
        let expected = "/packages/*/lib/\nx.log\n!/packages/d/lib/\n# c\n*.raw\n";
        assert_eq!(after.as_bstr(), expected);
    }

    #[test]
    fn nothing_becomes_a_bare_wildcard() {
        for text in [
            "/a/\n/b/\n/c/\n",
            "a\nb\nc\n",
            ".a\n.b\n.c\n",
            "/x/a\n/x/b\n/x/c\n",
        ] {
            assert_eq!(mergeable(text.as_bytes()), [], "{text}");
        }
    }
}
