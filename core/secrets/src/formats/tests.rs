//! Each row of the table, on random texts of its own form.

use super::*;
use crate::value::Strength;
use proptest::strategy::{Strategy, ValueTree};
use proptest::test_runner::TestRunner;

/// What is around the form of a token.
const ALONE: (&str, &str) = (r"\A(?P<secret>", r")(?:[^A-Za-z0-9_-]|\z)");

#[test]
fn every_pattern_can_be_made_ready() {
    for format in &Formats::get().unwrap().formats {
        format.pattern().unwrap();
    }
}

/// Where the format finds a secret in a text that passes its proof.
fn found(formats: &Formats, format: &Format, text: &str) -> Option<Range<usize>> {
    let kinds = Kinds::any(formats);
    let suspected = formats.suspected(text.as_bytes(), &kinds).formats;
    let (_, places) = suspected
        .into_iter()
        .find(|(other, _)| std::ptr::eq(*other, format))?;
    places.into_iter().find_map(|place| {
        let part = &text.as_bytes()[place.clone()];
        let captures = format.pattern().unwrap().captures(part)?;
        let secret = captures.name("secret").unwrap();
        let holds = format.proof.strength(secret.as_bytes()) == Some(Strength::Secret);
        holds.then(|| place.start + secret.start()..place.start + secret.end())
    })
}

/// What a person puts in the place of a secret: its start, and one character from there on.
fn filled(secret: &str) -> String {
    let fixed = secret
        .find(|c: char| c.is_ascii_digit())
        .unwrap_or(secret.len())
        .clamp(secret.len() / 4, secret.len() / 2);
    secret
        .char_indices()
        .map(|(at, c)| {
            if at > fixed && c.is_alphanumeric() {
                'x'
            } else {
                c
            }
        })
        .collect()
}

/// Random values of every row whose value is alone pass; the same with one character
/// repeated, as placeholders have it, don't.
#[test]
fn every_token_is_found_by_its_form_and_no_placeholder_is() {
    let formats = Formats::get().unwrap();
    let mut runner = TestRunner::deterministic();
    let (mut rows, mut missed) = (0, Vec::new());
    for format in &formats.formats {
        if matches!(format.proof, Proof::Crc32Base62 | Proof::Form) {
            continue;
        }
        let pattern = format.pattern().unwrap().as_str();
        let inner = pattern.strip_prefix(ALONE.0);
        let Some(inner) = inner.and_then(|rest| rest.strip_suffix(ALONE.1)) else {
            continue;
        };
        rows += 1;
        let values = proptest::string::string_regex(inner).unwrap();
        for _ in 0..40 {
            let value = values.new_tree(&mut runner).unwrap().current();
            let holds =
                |value: &str| found(formats, format, &format!("twilio = {value}\n")).is_some();
            if !holds(&value) {
                missed.push(format!("{}: {value}", format.name));
            }
            if holds(&filled(&value)) {
                missed.push(format!("{}, a placeholder: {value}", format.name));
            }
        }
    }
    assert_eq!(missed, [""; 0]);
    assert!(rows >= 60, "{rows} rows are tried by their form");
}

/// The same for rows that know a secret by what is around it: random texts of the row's
/// pattern.
#[test]
fn every_surrounding_is_found_by_its_form_and_no_placeholder_is() {
    let formats = Formats::get().unwrap();
    let mut runner = TestRunner::deterministic();
    let (mut rows, mut missed) = (0, Vec::new());
    for format in &formats.formats {
        let pattern = format.pattern().unwrap().as_str();
        if pattern.starts_with(ALONE.0) || made_otherwise(format) {
            continue;
        }
        rows += 1;
        let texts = proptest::string::string_regex(&plain(pattern));
        let texts = texts.unwrap_or_else(|error| panic!("{}: {error}", format.name));
        let mut seen = 0;
        for _ in 0..40 {
            let text = texts.new_tree(&mut runner).unwrap().current() + "\n";
            // Some forms mean nothing without their issuer's name on the line.
            let named = format!("discord twilio asana wallet = {text}");
            let Some((text, place)) = [text, named].into_iter().find_map(|text| {
                let place = found(formats, format, &text)?;
                Some((text, place))
            }) else {
                continue;
            };
            seen += 1;
            let mut placeholder = text.clone();
            placeholder.replace_range(place.clone(), &filled(&text[place]));
            if !is_told_by_words(format) && found(formats, format, &placeholder).is_some() {
                missed.push(format!("{}, a placeholder: {placeholder:?}", format.name));
            }
        }
        // Patterns take more than any keyword names, and proofs refuse what looks made up.
        if seen < 10 && !(is_told_by_words(format) && format.proof != Proof::Form) {
            missed.push(format!("{}: {seen} of 40", format.name));
        }
    }
    assert_eq!(missed, [""; 0]);
    assert!(rows >= 20, "{rows} rows are tried by what stands around");
}

/// Whether its pattern is made of words that random text hardly has: the corpora try those.
fn is_told_by_words(format: &Format) -> bool {
    use Proof::{Chosen, Form, Mixed, NotAPlaceholder};
    matches!(format.proof, Chosen | Form | Mixed | NotAPlaceholder)
}

/// Whether random text of its form can't pass: it holds a sum, or a document.
fn made_otherwise(format: &Format) -> bool {
    use Proof::{Base64Key, Base64Login, Crc32Base62, JsonWebToken, KeyStart, SeedPhrase};
    let is_made = matches!(
        format.proof,
        Base64Key | Base64Login | Crc32Base62 | JsonWebToken | KeyStart | SeedPhrase
    );
    is_made || format.by == By::Assignment
}

/// A pattern as one that texts can be made of: without edges, in plain characters, with a
/// name that says what it is, and with a secret as machines make them where any would do.
fn plain(pattern: &str) -> String {
    let machine_made = "(?P<secret>[A-Za-z0-9]{16,24})";
    let mut plain = pattern.to_owned();
    for (from, to) in [
        (r"\(\?P<secret>\[\^[^\]]*\]\{\d+,\d*\}\)", machine_made),
        (r"\(\?P<secret>\[[^\]]*~[^\]]*\]\{12,\}\)", machine_made),
        (
            r"\(\?P<(name|key)>\[[^\]]*\]\{\d+,\d*\}\)",
            "(?P<$1>db_password)",
        ),
        (r"\(\?(m|mi|i)\)\^", "(?i)"),
        (r"^\\A", ""),
        (r"\)\$$", ")"),
        (r"\(\?:\^\|", "(?:"),
        (r"\|\$\)", ")"),
        (r"(\\s\*|\|\\s\*)\$", ""),
        (r"\(\?s:\.", "(?:[a-z\n]"),
        (r"\\s\+\[#;\]\.\*", " "),
        (r"\[\^\\s[^\]]*\]", "[a-z]"),
        (r"\[\^[^\]]*\]", "[ ]"),
        (r"\\s\*", " ?"),
    ] {
        let from = regex::Regex::new(from).unwrap();
        plain = from.replace_all(&plain, to).into_owned();
    }
    // Inside of a class and outside alike.
    let plain = plain.replace(r"\s", " ").replace(r"\w", "a-z0-9_");
    plain.replace(r"\W", "[ =:]").replace("(?i)", "")
}
