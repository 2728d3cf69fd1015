//! What must hold for all patterns and all texts.

use bstr::ByteSlice;
use proptest::prelude::*;
use redshank_rules::{Case, Key, Line, Rule, lines, quote};

/// One piece of a pattern, for a matcher that is plainly right and slow.
#[derive(Debug, Clone)]
enum Piece {
    Byte(u8),
    One,
    /// A class, by its members.
    In(Vec<u8>, bool),
    Star,
    Folders,
}

impl Piece {
    fn written(&self) -> String {
        match self {
            Self::Byte(byte) => char::from(*byte).to_string(),
            Self::One => "?".to_owned(),
            Self::In(members, negated) => {
                let members: String = members.iter().copied().map(char::from).collect();
                format!("[{}{members}]", if *negated { "!" } else { "" })
            }
            Self::Star => "*".to_owned(),
            Self::Folders => "**/".to_owned(),
        }
    }
}

/// Tries everything.
fn plainly(pieces: &[Piece], text: &[u8]) -> bool {
    let Some((piece, rest)) = pieces.split_first() else {
        return text.is_empty();
    };
    let first = text.first().copied();
    let one = |takes: bool| takes && plainly(rest, &text[1..]);
    match piece {
        Piece::Byte(byte) => one(first == Some(*byte)),
        Piece::One => one(first.is_some_and(|byte| byte != b'/')),
        Piece::In(members, negated) => {
            one(first.is_some_and(|byte| byte != b'/' && members.contains(&byte) != *negated))
        }
        Piece::Star => {
            let reach = text.find_byte(b'/').unwrap_or(text.len());
            (0..=reach).any(|taken| plainly(rest, &text[taken..]))
        }
        Piece::Folders => {
            let starts = text.find_iter("/").map(|slash| slash + 1);
            std::iter::once(0)
                .chain(starts)
                .any(|start| plainly(rest, &text[start..]))
        }
    }
}

/// Pieces of a path pattern: parts between slashes, some of them `**`.
fn pieces() -> impl Strategy<Value = Vec<Piece>> {
    let members = prop::collection::vec(prop::sample::select(vec![b'a', b'b', b'.']), 1..3);
    let piece = prop_oneof![
        4 => prop::sample::select(vec![b'a', b'b', b'.']).prop_map(Piece::Byte),
        1 => Just(Piece::One),
        1 => (members, any::<bool>()).prop_map(|(members, negated)| Piece::In(members, negated)),
        2 => Just(Piece::Star),
    ];
    let part = prop::collection::vec(piece, 1..5).prop_map(|mut part| {
        // Two stars in a row mean something else.
        part.dedup_by(|a, b| matches!((a, b), (Piece::Star, Piece::Star)));
        part
    });
    prop::collection::vec((prop::bool::weighted(0.3), part), 1..5).prop_map(|parts| {
        let mut pieces = Vec::new();
        for (nth, (deep, part)) in parts.into_iter().enumerate() {
            if nth > 0 {
                pieces.push(Piece::Byte(b'/'));
            }
            if deep {
                pieces.push(Piece::Folders);
            }
            pieces.extend(part);
        }
        pieces
    })
}

fn text() -> impl Strategy<Value = Vec<u8>> {
    prop::collection::vec(prop::sample::select(b"ab./aab".to_vec()), 0..14)
}

fn name() -> impl Strategy<Value = Vec<u8>> {
    let byte = prop_oneof![any::<u8>(), prop::sample::select(b"*?[]\\!# a-".to_vec())];
    let part = prop::collection::vec(
        byte.prop_filter("no slash, no NUL", |b| !matches!(b, 0 | b'/')),
        1..12,
    );
    part.prop_filter("not a dot folder", |part| part != b"." && part != b"..")
}

proptest! {
    #![proptest_config(ProptestConfig {
        cases: 16 * ProptestConfig::default().cases,
        failure_persistence: None,
        ..ProptestConfig::default()
    })]

    #[test]
    fn matching_equals_trying_everything(pieces in pieces(), text in text()) {
        let written: String = pieces.iter().map(Piece::written).collect();
        // A leading slash makes any of them a path pattern and belongs to none.
        let rule = Rule::parse(format!("/{written}").as_bytes(), 1, Case::Sensitive);
        prop_assert_eq!(rule.glob().matches(&text), plainly(&pieces, &text), "{} against {}", written, text.as_bstr());
    }

    #[test]
    fn whatever_matches_has_the_key(pieces in pieces(), text in text()) {
        let written: String = pieces.iter().map(Piece::written).collect();
        let rule = Rule::parse(format!("/{written}").as_bytes(), 1, Case::Sensitive);
        if rule.glob().matches(&text) {
            let has = match rule.glob().key() {
                Key::Never => false,
                Key::Whole(whole) => whole == text,
                Key::End(end) => text.ends_with(end),
                Key::Holds(literals) => literals.iter().all(|literal| text.contains_str(literal)),
            };
            prop_assert!(has, "{} against {}: {:?}", written, text.as_bstr(), rule.glob().key());
        }
    }

    #[test]
    fn a_quoted_name_matches_itself_and_no_other(name in name(), other in name()) {
        let file = quote(name.as_bstr());
        let rules: Vec<Rule> = lines(&file, Case::Sensitive)
            .filter_map(|line| if let Line::Rule(rule) = line { Some(rule) } else { None })
            .collect();
        prop_assert_eq!(rules.len(), 1);
        prop_assert!(rules[0].matches(name.as_bstr(), false), "{:?}", file);
        if !name.contains(&b'\n') && !name.ends_with(b"\r") {
            prop_assert_eq!(rules[0].matches(other.as_bstr(), false), name == other);
        }
    }

    #[test]
    fn any_bytes_are_read_without_harm(file in prop::collection::vec(any::<u8>(), 0..200), text in text()) {
        for case in [Case::Sensitive, Case::Blind] {
            let breaks = file.iter().filter(|byte| **byte == b'\n').count();
            let mut read = 0;
            for line in lines(&file, case) {
                read += 1;
                if let Line::Rule(rule) = line {
                    prop_assert_eq!(rule.line as usize, read);
                    rule.matches(text.as_bstr(), true);
                    rule.glob().key();
                }
            }
            prop_assert!(read == breaks || read == breaks + 1);
        }
    }
}
