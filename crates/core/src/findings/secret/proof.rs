//! Tests that tell a real credential from something that only looks like one.

use bstr::ByteSlice;
use serde::Deserialize;

/// What a value must pass, beyond its form.
#[derive(Deserialize, Default, Clone, Copy)]
#[serde(rename_all = "kebab-case")]
pub(super) enum Proof {
    /// Its form is enough.
    #[default]
    Form,
    /// It isn't a word that stands for a value, nor a reference to one.
    NotAPlaceholder,
    /// Its last six characters are the CRC-32 of the thirty before them, in base 62.
    #[serde(rename = "crc32-base62")]
    Crc32Base62,
}

impl Proof {
    pub(super) fn holds(self, value: &[u8]) -> bool {
        match self {
            Self::Form => true,
            Self::NotAPlaceholder => !is_placeholder(value),
            Self::Crc32Base62 => crc32_base62(value),
        }
    }
}

/// Parts of words that people write where a value is to be filled in.
const STAND_INS: [&str; 11] =
    ["example", "changeme", "change_me", "change-me", "placeholder", "your", "xxxx", "todo", "****", "dummy", "insert"];

/// Whole words that say what belongs there instead of being it.
const FIELD_NAMES: [&str; 8] = ["password", "passwd", "pass", "secret", "token", "apikey", "none", "null"];

fn is_placeholder(value: &[u8]) -> bool {
    let lower = value.to_ascii_lowercase();
    let refers = [&b"$"[..], b"<", b"{", b"%", b"[", b"..."].iter().any(|start| lower.starts_with(start));
    let same = lower.iter().all(|byte| *byte == lower[0]);
    refers
        || same
        || lower.contains_str("${")
        || lower.contains_str("{{")
        || STAND_INS.iter().any(|word| lower.contains_str(word))
        || FIELD_NAMES.iter().any(|word| lower == word.as_bytes())
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
