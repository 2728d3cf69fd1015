//! Names that differ from run to run only in a number, a date or a hash.

use bstr::{BStr, BString, ByteSlice};
use redshank_rules::quote;
use regex::bytes::Regex;
use std::ops::Range;
use std::sync::LazyLock;

/// A number, a date or a time.
static NUMBER: LazyLock<Regex> = LazyLock::new(|| expression("[0-9]+(?:[-_.:T][0-9]+)*Z?"));

/// What may be a hash.
static WORD: LazyLock<Regex> = LazyLock::new(|| expression("[0-9A-Za-z]{6,}"));

#[allow(
    clippy::expect_used,
    reason = "the expressions are part of the program, and the tests use them"
)]
fn expression(text: &str) -> Regex {
    Regex::new(&format!("(?-u){text}")).expect("an expression")
}

/// The pattern for names that differ from this one only in what changes from run to run; none if
/// nothing in it does. How a name ends is not taken to change, unless it ends in a number.
pub fn shape(name: &BStr) -> Option<BString> {
    let dot = name.rfind_byte(b'.').filter(|dot| *dot > 0);
    let end_at = dot.unwrap_or(name.len());
    let is_number = |end: &[u8]| end.len() > 1 && end[1..].iter().all(u8::is_ascii_digit);
    let stem_ends = if is_number(&name[end_at..]) {
        name.len()
    } else {
        end_at
    };
    let mut shaped = BString::default();
    let mut at = 0;
    for changing in changing(&name[..stem_ends]) {
        shaped.extend_from_slice(&quote(name[at..changing.start].as_bstr()));
        shaped.push(b'*');
        at = changing.end;
    }
    shaped.extend_from_slice(&quote(name[at..].as_bstr()));
    // What is only a star says nothing.
    let says = shaped.iter().any(u8::is_ascii_alphanumeric);
    (at > 0 && says).then_some(shaped)
}

/// Where something is that changes from run to run, in order.
fn changing(stem: &[u8]) -> Vec<Range<usize>> {
    let words = WORD.find_iter(stem).filter(|word| is_hash(word.as_bytes()));
    let mut spans: Vec<Range<usize>> = words.map(|word| word.range()).collect();
    let numbers = NUMBER.find_iter(stem).map(|number| number.range());
    let numbers: Vec<Range<usize>> = numbers
        .filter(|number| {
            !spans
                .iter()
                .any(|word| word.start < number.end && number.start < word.end)
        })
        .collect();
    spans.extend(numbers);
    spans.sort_by_key(|span| span.start);
    spans
}

/// Whether a word is one that nobody would write: digits among letters.
fn is_hash(word: &[u8]) -> bool {
    let has = |is_of: fn(&u8) -> bool| word.iter().any(is_of);
    let is_mixed = has(u8::is_ascii_lowercase) && has(u8::is_ascii_uppercase) && word.len() >= 8;
    has(u8::is_ascii_digit)
        && (word
            .iter()
            .all(|byte| byte.is_ascii_digit() || (b'a'..=b'f').contains(byte))
            || is_mixed)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_what_changes_from_run_to_run_becomes_a_star() {
        for (name, wanted) in [
            ("run-2026-11-26.txt", Some("run-*.txt")),
            ("run-20261126T101502Z.txt", Some("run-*.txt")),
            ("app.3f2a9c1d.js", Some("app.*.js")),
            ("index-DkY3x9aB.js", Some("index-*.js")),
            ("gauge.log.3", Some("gauge.log.*")),
            ("core.31415", Some("core.*")),
            ("trace12.out", Some("trace*.out")),
            ("[a]-1.txt", Some(r"\[a]-*.txt")),
            ("deafened.txt", None),
            ("level.mp3", None),
            ("2026-11-26", None),
            ("12345678", None),
            ("readings.csv", None),
            (".cache", None),
        ] {
            let wanted = wanted.map(BString::from);
            assert_eq!(shape(name.into()), wanted, "{name}");
        }
    }
}
