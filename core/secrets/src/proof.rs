//! Tests that tell a real credential from something that only looks like one.

use super::names::NameKind;
use super::quoting::Quoting;
use super::randomness::is_random;
use super::value::{
    Standing, Strength, is_common, is_mixed, is_numbered_phrase, is_placeholder_text, is_reference,
    strength,
};
use aho_corasick::AhoCorasick;
use base64::Engine;
use base64::engine::general_purpose::{STANDARD, STANDARD_NO_PAD, URL_SAFE_NO_PAD};
use bip39::{Language, Mnemonic};
use bstr::ByteSlice;
use serde::Deserialize;
use std::collections::HashSet;
use std::sync::LazyLock;

/// What a value must pass, beyond its form.
#[derive(Deserialize, Default, Clone, Copy, PartialEq, Eq)]
#[serde(rename_all = "kebab-case")]
pub(super) enum Proof {
    /// Its form is enough.
    #[default]
    Form,
    /// It isn't a word that stands for a value, nor a reference to one.
    NotAPlaceholder,
    /// A machine made it: no placeholder, and no pattern a person would type.
    Random,
    /// It is the start of a key between lines that say so: random, or with the constant first bytes
    /// that tools write.
    KeyBody,
    /// It is the start of a private key in DER, in base64.
    KeyStart,
    /// Somebody may have chosen it for a password.
    Chosen,
    /// What is around it says little: it must be mixed as words and identifiers are not.
    Mixed,
    /// Its last six characters are the CRC-32 of the thirty before them, in base 62.
    #[serde(rename = "crc32-base62")]
    Crc32Base62,
    /// It is a login and a password with a colon between, in base64 (RFC 7617).
    Base64Login,
    /// It is a private key in its armour, in base64.
    Base64Key,
    /// It holds twelve words or more whose last ones are the checksum of the others (BIP 39).
    SeedPhrase,
    /// Its header and payload are JSON, in base64 (RFC 7519).
    JsonWebToken,
}

impl Proof {
    /// What the value is strength, if it passes.
    pub(super) fn strength(self, value: &[u8]) -> Option<Strength> {
        let credible = |says| {
            let standing = Standing {
                says,
                written: Quoting::Quoted,
                is_strict: false,
                is_setting: true,
            };
            strength(value, b"", standing)
        };
        let holds = match self {
            Self::Form => true,
            Self::NotAPlaceholder => {
                let is_port = value.len() <= 5 && value.iter().all(u8::is_ascii_digit);
                let is_open = is_reference(value, false) || is_placeholder_text(value) || is_port;
                let strength = if is_common(value) {
                    Strength::StandIn
                } else {
                    Strength::Secret
                };
                return (!is_open).then_some(strength);
            }
            Self::Random => {
                is_made_by_machine(value) && !is_reference(value, false) && !is_constant(value)
            }
            Self::KeyBody => is_made_by_machine(value) || is_key_body(value),
            Self::KeyStart => is_key_body(value),
            Self::Chosen => return credible(NameKind::Password),
            Self::Mixed => {
                let is_code = is_constant(value) || is_call(value);
                return credible(NameKind::Password)
                    .filter(|_| !is_code && (is_mixed(value) || is_numbered_phrase(value)));
            }
            Self::Crc32Base62 => crc32_base62(value),
            Self::Base64Login => is_login(value),
            Self::Base64Key => {
                let bare = value.trim_end_with(|sign| sign == '=');
                let key = STANDARD_NO_PAD.decode(&bare[..bare.len() / 4 * 4]);
                key.is_ok_and(|key| key.contains_str("PRIVATE KEY"))
            }
            Self::SeedPhrase => holds_seed_phrase(value),
            Self::JsonWebToken => is_json_web_token(value),
        };
        holds.then_some(Strength::Secret)
    }
}

/// Whether a value is the name of a constant: `TIDE_API_KEY`.
fn is_constant(value: &[u8]) -> bool {
    let is_part = |part: &[u8]| {
        let is_of_names = |byte: &u8| byte.is_ascii_uppercase() || byte.is_ascii_digit();
        part.first().is_some_and(u8::is_ascii_uppercase) && part.iter().all(is_of_names)
    };
    value.contains(&b'_') && value.split(|byte| *byte == b'_').all(is_part)
}

/// Whether a value is the start of a call: `os.environ.get(`.
fn is_call(value: &[u8]) -> bool {
    value.ends_with(b"(") && value.contains(&b'.')
}

/// Whether some of the words in a row are a seed phrase. Those of documentation repeat one word.
fn holds_seed_phrase(value: &[u8]) -> bool {
    let Ok(text) = value.to_str() else {
        return false;
    };
    let words: Vec<&str> = text
        .split([' ', ','])
        .filter(|word| !word.is_empty())
        .collect();
    [12, 15, 18, 21, 24].iter().any(|many| {
        words.windows(*many).any(|phrase| {
            let different: HashSet<&&str> = phrase.iter().collect();
            different.len() > many / 2
                && Mnemonic::parse_in_normalized(Language::English, &phrase.join(" ")).is_ok()
        })
    })
}

/// Parts of words that stand for a value, so long that no random value holds them by accident.
const LONG_STAND_INS: &[&str] = &[
    "exampl",
    "changeme",
    "replace",
    "placeholder",
    "redacted",
    "sample",
    "notreal",
    "foobar",
    "insert",
    "goeshere",
    "mysecret",
    "my-secret",
    "my_secret",
    "......",
    "xxxxxx",
    "dummy-",
    "fake-t",
    "test-token",
    "test_token",
    "secret-token",
];

/// Whether the first line of a key starts as tools write it: an unencrypted key of OpenSSH (its
/// PROTOCOL.key) is full of zeros there, and a short one in DER (PKCS #1, PKCS #8, SEC 1) starts
/// with a version and an algorithm. Behind that, it must not be what is in examples.
fn is_key_body(value: &[u8]) -> bool {
    let Ok(bytes) = STANDARD_NO_PAD.decode(&value[..value.len() / 4 * 4]) else {
        return false;
    };
    let is_openssh = bytes.starts_with(b"openssh-key-v1\0");
    let length = match bytes.get(1) {
        Some(0x82) => 4,
        Some(0x81) => 3,
        _ => 2,
    };
    let version = bytes.get(length..length + 3).unwrap_or_default();
    let is_der = bytes.first() == Some(&0x30) && matches!(version, [2, 1, 0 | 1]);
    let body = &value[value.len().min(16)..];
    let letters: HashSet<u8> = body.iter().copied().collect();
    (is_openssh || is_der && letters.len() >= LETTERS_OF_A_KEY) && !is_stand_in(value)
}

/// A key has at least so many different characters in its first line.
const LETTERS_OF_A_KEY: usize = 12;

/// Whether a machine made it: no pattern a person would type, and no word that stands for a value.
fn is_made_by_machine(value: &[u8]) -> bool {
    is_random(value) && !is_stand_in(value)
}

/// Whether it holds a part of a word that stands for a value.
fn is_stand_in(value: &[u8]) -> bool {
    static STAND_INS: LazyLock<Option<AhoCorasick>> = LazyLock::new(|| {
        AhoCorasick::builder()
            .ascii_case_insensitive(true)
            .build(LONG_STAND_INS)
            .ok()
    });
    STAND_INS
        .as_ref()
        .is_some_and(|words| words.is_match(value))
}

const BASE62: &[u8; 62] = b"0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz";

fn crc32_base62(token: &[u8]) -> bool {
    let Some((_, body)) = token.split_once_str("_") else {
        return false;
    };
    let Some((random, check)) = body.split_at_checked(30) else {
        return false;
    };
    let mut sum = crc32fast::hash(random);
    let mut digits = [0; 6];
    for digit in digits.iter_mut().rev() {
        *digit = BASE62[(sum % 62) as usize];
        sum /= 62;
    }
    check == digits
}

fn is_login(value: &[u8]) -> bool {
    let decoded = STANDARD
        .decode(value)
        .or_else(|_| STANDARD_NO_PAD.decode(value));
    decoded.is_ok_and(|text| {
        let password = text.split_once_str(":").map(|(_, password)| password);
        password.is_some_and(|password| {
            !password.is_empty() && password.is_utf8() && !is_placeholder_text(password)
        })
    })
}

fn is_json_web_token(value: &[u8]) -> bool {
    let mut parts = value
        .split_str(".")
        .map(|part| URL_SAFE_NO_PAD.decode(part));
    let mut next_is = |has: &str| {
        let part = parts
            .next()
            .and_then(Result::ok)
            .and_then(|bytes| serde_json::from_slice::<serde_json::Value>(&bytes).ok());
        part.is_some_and(|json| json.is_object() && (has.is_empty() || json.get(has).is_some()))
    };
    next_is("alg")
        && next_is("")
        && value
            .rsplit_once_str(".")
            .is_some_and(|(_, signature)| is_random(signature))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_seed_phrase_is_told_by_its_checksum() {
        let phrase = Mnemonic::from_entropy(b"sixteen gauges 7").unwrap();
        let words: Vec<&str> = phrase.words().collect();
        assert!(holds_seed_phrase(words.join(" ").as_bytes()));
        // Among other words, and with commas.
        let around = format!("the words are {} keep them", words.join(", "));
        assert!(holds_seed_phrase(around.as_bytes()));
        let mut other = words.clone();
        other.swap(0, 11);
        assert!(!holds_seed_phrase(other.join(" ").as_bytes()));
        assert!(!holds_seed_phrase("abandon ".repeat(11).as_bytes()));
        let example = format!("{}about", "abandon ".repeat(11));
        assert!(!holds_seed_phrase(example.as_bytes()));
    }
}
