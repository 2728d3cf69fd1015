//! What a value is: a password that somebody chose, what a machine made, a reference, a word that
//! stands for one.

mod reference;
mod stand_in;
#[cfg(test)]
mod tests;

pub(super) use reference::is_reference;
pub(super) use stand_in::{is_common, is_placeholder_text};

use super::names::{self, NameKind, Words, words};
use super::quoting::Quoting;
use super::randomness::{bits, is_random, longest_run};
use bstr::ByteSlice;
use reference::{is_form, is_label, is_place, is_protected};
use stand_in::{is_stand_in, tables};
use std::collections::BTreeSet;

/// What a value, under a name that says it is secret, amounts to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Strength {
    /// Somebody chose it, or a machine made it.
    Secret,
    /// It is one of those that everybody tries first, and people write where it doesn't matter.
    StandIn,
}

/// Where a value is.
#[derive(Clone, Copy)]
pub(super) struct Standing {
    pub(super) says: NameKind,
    pub(super) written: Quoting,
    /// In a file whose values are fillings-in: a sample, a bundle.
    pub(super) is_strict: bool,
    /// In a file of settings.
    pub(super) is_setting: bool,
}

/// What a value is strength; nothing if it is none.
pub(super) fn strength(value: &[u8], name: &[u8], standing: Standing) -> Option<Strength> {
    let Standing {
        says,
        written,
        is_strict,
        is_setting,
    } = standing;
    let is_quoted = written == Quoting::Quoted;
    if is_reference(value, is_quoted)
        || is_protected(value)
        || is_form(value) && value.iter().any(u8::is_ascii_alphanumeric)
        || is_placeholder_text(value)
    {
        return None;
    }
    if value.iter().any(|byte| *byte < 0x20 || *byte == 0x7f) {
        return None;
    }
    if is_strict {
        let strong = value.len() >= 16 && is_mixed(value) && is_random(value) && !is_label(value);
        let lower = value.to_ascii_lowercase();
        let chosen = is_setting
            && says == NameKind::Password
            && value.len() >= 8
            && is_mixed(value)
            && is_long_mix(value)
            && !is_label(value)
            && !tables().common.has(&lower)
            && !is_stand_in(&lower);
        return (strong || chosen).then_some(Strength::Secret);
    }
    let is_loose = matches!(written, Quoting::Loose | Quoting::Query | Quoting::Word);
    if is_loose && value.starts_with(b"-") {
        return None;
    }
    if is_place(value) || value.contains_str("\\x") || value.contains_str("\\u") {
        return None;
    }
    let lower = value.to_ascii_lowercase();
    let is_word_for_it = tables().fields.has(&lower);
    if is_word_for_it {
        // In settings, people do choose them.
        let chosen = says == NameKind::Password && is_setting && tables().common.has(&lower);
        return chosen.then_some(Strength::StandIn);
    }
    let same = words(name)
        .last()
        .is_some_and(|last| last.as_bytes() == lower);
    if same || is_numbered_name(value, name) || is_rest_of_code(value) {
        return None;
    }
    let digits = value.iter().filter(|byte| byte.is_ascii_digit()).count();
    let is_number = digits == value.len();
    let is_pin = words(name)
        .last()
        .is_some_and(|last| last == "pin" || last == "passcode");
    if is_pin {
        let is_told = is_number && (4..=12).contains(&value.len()) && (is_quoted || is_setting);
        return is_told.then_some(if tables().common.has(&lower) {
            Strength::StandIn
        } else {
            Strength::Secret
        });
    }
    let is_credential = match says {
        NameKind::Password => is_password(value, standing),
        NameKind::Maybe => is_made(value, name, standing),
        NameKind::Hint => is_machine_key(value, name, standing),
    };
    let is_common = tables().common.has(&lower) || is_stand_in(&lower);
    match (is_credential, is_common) {
        (true, true) => Some(Strength::StandIn),
        (true, false) => Some(Strength::Secret),
        (false, true) => (says == NameKind::Password
            && (is_setting || is_quoted)
            && value.len() >= 3
            && !is_label(value))
        .then_some(Strength::StandIn),
        (false, false) => None,
    }
}

/// Whether somebody may have chosen it for a password.
fn is_password(value: &[u8], standing: Standing) -> bool {
    let Standing {
        written,
        is_setting,
        ..
    } = standing;
    let is_loose = matches!(written, Quoting::Loose | Quoting::Query | Quoting::Word);
    let least = if is_loose { 6 } else { 4 };
    if value.len() < least || value.len() > 128 {
        return false;
    }
    if is_loose && is_numbered_phrase(value) {
        return !is_label(value);
    }
    if is_loose {
        let digits = value.iter().filter(|byte| byte.is_ascii_digit()).count();
        let is_some = digits > 0 && digits < value.len() && value.len() >= 8;
        return is_mixed(value) || is_some && !is_label(value);
    }
    // Anyone who chooses a password that a foreign keyboard lacks puts more into it than a word.
    if !value.is_ascii() {
        return value
            .iter()
            .any(|byte| byte.is_ascii_digit() || b"!@#$%^&*+=?~_".contains(byte))
            && !value.contains(&b' ');
    }
    let is_digits = value.iter().all(u8::is_ascii_digit);
    if is_digits {
        return written == Quoting::Quoted || is_setting || written == Quoting::Element;
    }
    if value.contains(&b' ') {
        return is_phrase(value);
    }
    if value.iter().all(u8::is_ascii_punctuation) {
        let kinds: BTreeSet<&u8> = value.iter().collect();
        return value.len() >= 6 && kinds.len() >= 4;
    }
    if is_mixed(value) {
        return !is_label(value) || is_long_mix(value);
    }
    if is_label(value) {
        return false;
    }
    // A word, or words with hyphens: in code, an identifier is more likely.
    let is_word = value
        .iter()
        .all(|byte| byte.is_ascii_alphabetic() || *byte >= 0x80);
    let humps = value
        .windows(2)
        .filter(|pair| pair[0].is_ascii_lowercase() && pair[1].is_ascii_uppercase())
        .count();
    let is_hyphened = value
        .split(|byte| *byte == b'-')
        .all(|part| !part.is_empty() && part.iter().all(|byte| byte.is_ascii_alphanumeric()));
    match () {
        () if is_unspeakable(value) => true,
        () if is_word => value.len() >= 5 && (is_setting || humps == 0) && value.len() <= 40,
        () if is_hyphened => value.len() >= 8,
        () => {
            is_setting && (!value.contains(&b'_') || value.iter().any(u8::is_ascii_digit))
                || value.iter().any(|byte| b"!@#$%^&*+=?~".contains(byte))
        }
    }
}

/// Whether a value is its name with something counted before it: `_spec3_738_token` of `token`.
fn is_numbered_name(value: &[u8], name: &[u8]) -> bool {
    let Some(before) = value.strip_suffix(name).filter(|_| !name.is_empty()) else {
        return false;
    };
    // Words and numbers, not what a machine made.
    let is_part = |part: &[u8]| {
        let letters = part
            .iter()
            .take_while(|byte| byte.is_ascii_alphabetic())
            .count();
        part[letters..].iter().all(u8::is_ascii_digit)
    };
    before.ends_with(b"_") && before.split(|byte| *byte == b'_').all(is_part)
}

/// Whether a value is what follows a string in code: `)[1]` of `split("secret=")[1]`.
fn is_rest_of_code(value: &[u8]) -> bool {
    value.starts_with(b")[") || value.starts_with(b").")
}

/// Whether it is so long and so mixed that only a machine makes it, and not what machines make for
/// other ends: a public key, a hash, a number of a thing.
fn is_machine_key(value: &[u8], name: &[u8], standing: Standing) -> bool {
    let has = |kind: fn(&u8) -> bool| value.iter().any(kind);
    let cases =
        has(u8::is_ascii_lowercase) && has(u8::is_ascii_uppercase) && has(u8::is_ascii_digit);
    let public = [
        &b"AAAA"[..],
        b"MII",
        b"MFkw",
        b"MCow",
        b"MDkw",
        b"pk",
        b"sha",
        b"data",
        b"dW50cnVzdGVk",
    ];
    // An issuer's word before a number of a thing.
    let is_number_of = value.split_once_str("_").is_some_and(|(kind, _)| {
        (2..=8).contains(&kind.len()) && kind.iter().all(u8::is_ascii_lowercase)
    });
    let is_constant = name.iter().all(|byte| !byte.is_ascii_lowercase()) && name.contains(&b'_');
    let is_hex =
        matches!(value.len(), 32 | 40 | 48 | 64) && value.iter().all(u8::is_ascii_hexdigit);
    if is_constant && is_hex && standing.written == Quoting::Quoted {
        return is_random(value);
    }
    (LEAST_KEY..=200).contains(&value.len())
        && !matches!(
            standing.written,
            Quoting::Loose | Quoting::Query | Quoting::Word
        )
        && value
            .iter()
            .all(|byte| byte.is_ascii_alphanumeric() || b"+/_=-".contains(byte))
        && cases
        && !is_number_of
        && is_random(value)
        && !public.iter().any(|start| value.starts_with(start))
}

/// A shorter value under a name that only hints is none that a machine made.
const LEAST_KEY: usize = 24;

/// Whether it is mixed as no word, label or identifier is.
fn is_made(value: &[u8], name: &[u8], standing: Standing) -> bool {
    let least = if words(name).last().is_some_and(|last| last == "pass") {
        6
    } else {
        8
    };
    if value.len() < least || value.len() > 400 || value.contains(&b' ') && !is_salt(name) {
        return false;
    }
    let is_pass = words(name).last().is_some_and(|last| last == "pass");
    let digits = value.iter().filter(|byte| byte.is_ascii_digit()).count();
    let names_itself = words(value).iter().any(|word| word == "pass");
    if is_pass && digits > 0 && digits < value.len() && !is_label(value) && !names_itself {
        return true;
    }
    // A name with something random behind it.
    let named = value
        .split(|byte| b"-_".contains(byte))
        .filter(|part| part.len() >= 4 && part.iter().all(u8::is_ascii_lowercase))
        .count();
    if named >= 2 && !standing.is_setting && value.len() < 40 && standing.written == Quoting::Loose
    {
        return false;
    }
    if is_uuid(value) {
        return standing.written != Quoting::Loose;
    }
    if is_mixed(value) && (!is_label(value) || is_long_mix(value)) {
        return true;
    }
    let body = value.trim_end_with(|sign| sign.is_ascii_digit());
    let letters = body.iter().all(u8::is_ascii_alphabetic);
    let humps = value
        .windows(2)
        .filter(|pair| pair[0].is_ascii_lowercase() && pair[1].is_ascii_uppercase())
        .count();
    if letters && value.len() >= 16 {
        return bits(value) >= 3.2
            && !is_label(value)
            && is_unspeakable(value)
            && (humps >= 3 || humps == 0 && value.len() >= 20);
    }
    let digits = value.iter().filter(|byte| byte.is_ascii_digit()).count();
    if digits == value.len() {
        return value.len() >= 10
            && standing.written == Quoting::Quoted
            && bits(value) >= 2.2
            && longest_run(value) < 6;
    }
    // Words with hyphens that somebody chose for a secret.
    let parts: Vec<&[u8]> = value.split(|byte| *byte == b'-').collect();
    let small = parts
        .iter()
        .filter(|part: &&&[u8]| part.len() >= 3 && part.iter().all(u8::is_ascii_lowercase))
        .count();
    let numbers = parts
        .iter()
        .filter(|part: &&&[u8]| part.len() <= 4 && part.iter().all(u8::is_ascii_digit))
        .count();
    let is_phrase = parts.len() >= 4 && small >= 3 && small + numbers == parts.len();
    let is_chosen = words(name).iter().any(|word| {
        ["secret", "jwt", "signing", "encryption", "private", "salt"].contains(&word.as_str())
    });
    is_phrase && is_chosen && standing.written != Quoting::Loose && !is_label(value)
}

/// Whether letters follow each other as in no word: few vowels, or many others in a row, and
/// capitals anywhere.
fn is_unspeakable(value: &[u8]) -> bool {
    let is_plain = value
        .iter()
        .all(|byte| byte.is_ascii_alphanumeric() || b"_-".contains(byte));
    let letters: Vec<u8> = value
        .iter()
        .copied()
        .filter(u8::is_ascii_alphabetic)
        .collect();
    let is_vowel = |byte: &u8| b"aeiouyAEIOUY".contains(byte);
    let vowels = letters.iter().filter(|byte| is_vowel(byte)).count();
    let runs = letters.split(is_vowel).map(<[u8]>::len).max().unwrap_or(0);
    let turns = letters
        .windows(2)
        .filter(|pair| pair[0].is_ascii_uppercase() != pair[1].is_ascii_uppercase())
        .count();
    let is_one_case = turns == 0;
    let is_strange = (vowels * 4 < letters.len() || runs >= 5)
        && (turns >= 3 || is_one_case && letters.len() >= 16);
    // Between words written together, capitals stand alone, and small letters don't.
    let cases = letters.chunk_by(|a, b| a.is_ascii_uppercase() == b.is_ascii_uppercase());
    let odd = cases
        .skip(1)
        .filter(|run| (run.len() > 1) == run[0].is_ascii_uppercase());
    is_plain && (letters.len() >= 9 && is_strange || letters.len() >= 10 && odd.count() >= 2)
}

fn is_salt(name: &[u8]) -> bool {
    words(name)
        .iter()
        .any(|word| word == "salt" || word == "key")
}

fn is_uuid(value: &[u8]) -> bool {
    let parts: Vec<usize> = value.split(|byte| *byte == b'-').map(<[u8]>::len).collect();
    parts == [8, 4, 4, 4, 12]
        && value
            .iter()
            .all(|byte| byte.is_ascii_hexdigit() || *byte == b'-')
        && bits(value) > 2.5
}

/// Whether the words of it make no sentence: then they may be a passphrase.
fn is_phrase(value: &[u8]) -> bool {
    let parts: Vec<&[u8]> = value.split(|byte| *byte == b' ').collect();
    let is_plain = value
        .iter()
        .all(|byte| byte.is_ascii_graphic() || *byte == b' ');
    let inner = value.trim_end_with(|sign| "!?.:".contains(sign));
    let signs = inner
        .iter()
        .filter(|byte| byte.is_ascii_digit() || b"!@#$%^&*+=?~".contains(byte))
        .count();
    let small = parts
        .iter()
        .all(|part| part.len() >= 2 && part.iter().all(u8::is_ascii_lowercase));
    let prose = parts
        .iter()
        .any(|part| tables().prose.has(part.to_ascii_lowercase()));
    let is_chosen = signs >= 1 && (2..=6).contains(&parts.len()) && value.len() <= 40;
    is_plain && !prose && !is_label(value) && (small && parts.len() >= 4 || is_chosen)
}

/// Whether it is long and so mixed that words in it are an accident.
fn is_long_mix(value: &[u8]) -> bool {
    let digits = value.iter().filter(|byte| byte.is_ascii_digit()).count();
    let signs = value
        .iter()
        .filter(|byte| b"!@#$%^&*+=?~".contains(byte))
        .count();
    digits >= 4 || digits >= 1 && signs >= 1 || signs >= 2
}

/// Whether it mixes letters with digits or signs, as neither words nor identifiers do.
pub(super) fn is_mixed(value: &[u8]) -> bool {
    let has = |kind: fn(&u8) -> bool| value.iter().any(kind);
    let letters = has(u8::is_ascii_alphabetic);
    let digits = value.iter().filter(|byte| byte.is_ascii_digit()).count();
    let signs = value
        .iter()
        .filter(|byte| b"!@#$%^&*+=?~".contains(byte))
        .count();
    // Words with signs between them, such as a class of a style sheet or a name of a setting.
    let identifier = value.split(|b| b"-_./:".contains(b)).all(|part| {
        let body = part.trim_end_with(|c| c.is_ascii_digit());
        part.len() - body.len() <= 2
            && body.iter().all(u8::is_ascii_alphabetic)
            && (body.len() > 1 || part.len() < 3)
    });
    let chosen = has(u8::is_ascii_uppercase) && has(u8::is_ascii_lowercase) && digits >= 2;
    letters
        && (digits + signs > 0)
        && (chosen || !identifier)
        && !is_uuid(value)
        && bits(value) >= 2.2
        && longest_run(value) < 6
}

/// Whether it is at least three words and a number, with hyphens or points between.
pub(super) fn is_numbered_phrase(value: &[u8]) -> bool {
    let parts: Vec<&[u8]> = value.split(|byte| b"-._".contains(byte)).collect();
    parts.len() >= 4
        && parts
            .last()
            .is_some_and(|last| last.len() >= 2 && last.iter().all(u8::is_ascii_digit))
        && parts
            .iter()
            .filter(|part: &&&[u8]| part.len() >= 3 && part.iter().all(u8::is_ascii_alphabetic))
            .count()
            + 1
            == parts.len()
}
