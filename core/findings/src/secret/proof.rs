//! Tests that tell a real credential from something that only looks like one.

use aho_corasick::AhoCorasick;
use base64::Engine;
use base64::engine::general_purpose::{STANDARD, STANDARD_NO_PAD, URL_SAFE_NO_PAD};
use bstr::ByteSlice;
use serde::Deserialize;
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
    /// Its name says that it is secret, and somebody may have chosen it for a password.
    Credible,
    /// The same, and it is mixed as words, labels and identifiers are not.
    Mixed,
    /// Its last six characters are the CRC-32 of the thirty before them, in base 62.
    #[serde(rename = "crc32-base62")]
    Crc32Base62,
    /// It is a login and a password with a colon between, in base64 (RFC 7617).
    Base64Login,
    /// Its header and payload are JSON, in base64 (RFC 7519).
    JsonWebToken,
}

impl Proof {
    /// Whether the value passes; `name` is what it is called, where the format tells.
    pub(super) fn holds(self, value: &[u8], name: Option<&[u8]>) -> bool {
        match self {
            Self::Form => true,
            Self::NotAPlaceholder => !is_placeholder(value),
            Self::Random => is_random(value) && !says_what_belongs_there(value, UNLIKELY_BY_CHANCE),
            Self::Credible => name.is_none_or(names_a_secret) && is_credible(value),
            Self::Mixed => name.is_none_or(names_a_secret) && is_credible(value) && is_mixed(value),
            Self::Crc32Base62 => crc32_base62(value),
            Self::Base64Login => is_login(value),
            Self::JsonWebToken => is_json_web_token(value),
        }
    }
}

/// Parts of words that people write where a value is to be filled in.
const STAND_INS: &[&str] = &[
    "example",
    "changeme",
    "change_me",
    "change-me",
    "change-this",
    "changethis",
    "replace",
    "placeholder",
    "your",
    "xxxx",
    "todo",
    "fixme",
    "****",
    "dummy",
    "insert",
    "redacted",
    "sample",
    "fake",
    "notreal",
    "not-a-",
    "foobar",
    "......",
    "<secret",
    "goes-here",
    "goeshere",
    "some-",
    "my-secret",
    "mysecret",
    "my_secret",
    "-here",
    "_here",
];

/// Whole words that say what belongs there instead of being it.
const FIELD_NAMES: &[&str] = &[
    "password",
    "passwd",
    "pass",
    "secret",
    "token",
    "apikey",
    "api_key",
    "api-key",
    "none",
    "null",
    "nil",
    "true",
    "false",
    "undefined",
    "string",
    "required",
    "optional",
    "enabled",
    "disabled",
    "default",
    "empty",
    "unset",
    "bearer",
    "basic",
    "username",
    "hidden",
    "access_token",
    "refresh_token",
    "accesstoken",
    "client_secret",
    "private_key",
    "credentials",
    "inherit",
    "always",
    "never",
    "prompt",
    "process",
    "environment",
];

fn is_placeholder(value: &[u8]) -> bool {
    let Some(first) = value.first() else {
        return true;
    };
    let lower = value.to_ascii_lowercase();
    let refers = [
        &b"$"[..],
        b"<",
        b"{",
        b"%",
        b"[",
        b"...",
        b"@",
        b"!",
        b"&",
        b"*",
    ]
    .iter()
    .any(|start| lower.starts_with(start));
    // So few digits are a port or a count.
    let number = value.len() <= 5 && value.iter().all(u8::is_ascii_digit);
    refers
        || number
        || value.iter().all(|byte| byte == first)
        || REFERENCES.is_match(value)
        || says_what_belongs_there(value, 1)
        || FIELD_NAMES.iter().any(|word| lower == word.as_bytes())
}

/// The length from which on a word in a random value is no accident.
const UNLIKELY_BY_CHANCE: usize = 6;

/// Whether one of the stand-ins, from that length on, is a part of the value.
fn says_what_belongs_there(value: &[u8], from: usize) -> bool {
    let words = if from <= 1 {
        &ANY_STAND_IN
    } else {
        &LONG_STAND_IN
    };
    words.is_match(value)
}

/// Parts of a value that refer to one elsewhere.
static REFERENCES: LazyLock<Words> = LazyLock::new(|| {
    Words::new(
        &["${", "{{", "$(", "%s", "%(", "<%", "#{", "ENV[", "env("],
        false,
    )
});

static ANY_STAND_IN: LazyLock<Words> = LazyLock::new(|| Words::new(STAND_INS, true));

static LONG_STAND_IN: LazyLock<Words> = LazyLock::new(|| {
    let long: Vec<&str> = STAND_INS
        .iter()
        .copied()
        .filter(|word| word.len() >= UNLIKELY_BY_CHANCE)
        .collect();
    Words::new(&long, true)
});

/// Several words, looked for at once.
struct Words(Option<AhoCorasick>);

impl Words {
    fn new(words: &[&str], folds_case: bool) -> Self {
        // So few words always make an automaton.
        Self(
            AhoCorasick::builder()
                .ascii_case_insensitive(folds_case)
                .build(words)
                .ok(),
        )
    }

    fn is_match(&self, text: &[u8]) -> bool {
        self.0.as_ref().is_some_and(|words| words.is_match(text))
    }
}

/// The least bits a character for its alphabet: what is typed by hand, counts up or repeats itself,
/// has fewer.
fn is_random(value: &[u8]) -> bool {
    let body: Vec<u8> = value
        .iter()
        .copied()
        .filter(u8::is_ascii_alphanumeric)
        .collect();
    let length = body.len().min(40) as f64;
    let is_hex = body.iter().rev().take(32).all(u8::is_ascii_hexdigit);
    let most = if is_hex {
        4.0_f64.min(length.log2())
    } else {
        length.log2()
    };
    bits(&body) >= 0.6 * most && longest_run(&body) < 6
}

/// Shannon's entropy of the bytes, in bits a byte.
fn bits(value: &[u8]) -> f64 {
    let mut counts = [0_u32; 256];
    value
        .iter()
        .for_each(|byte| counts[usize::from(*byte)] += 1);
    let length = value.len() as f64;
    let share = |count: &u32| f64::from(*count) / length;
    counts
        .iter()
        .filter(|count| **count > 0)
        .map(share)
        .map(|share| -share * share.log2())
        .sum()
}

/// How many bytes in a row are equal, or count up or down by one.
fn longest_run(value: &[u8]) -> usize {
    let step = |pair: &[u8]| i16::from(pair[1]) - i16::from(pair[0]);
    let steps: Vec<i16> = value.windows(2).map(step).collect();
    let runs = steps
        .chunk_by(|a, b| a == b)
        .filter(|run| (-1..=1).contains(&run[0]));
    runs.map(|run| run.len() + 1).max().unwrap_or(1)
}

/// Words of which the last ones in a name say that the value is secret.
const SECRET_WORDS: &[&str] = &[
    "password",
    "passwd",
    "passphrase",
    "passwort",
    "pwd",
    "pass",
    "secret",
    "token",
    "apikey",
    "credential",
    "credentials",
    "authtoken",
    "accesskey",
    "secretkey",
    "privatekey",
];

/// Words before `key` that make it a secret one.
const SECRET_KEYS: &[&str] = &[
    "api",
    "secret",
    "private",
    "access",
    "auth",
    "encryption",
    "signing",
    "master",
    "account",
    "app",
    "session",
    "jwt",
];

/// Words behind the secret word that change nothing.
const TRAILING: &[&str] = &[
    "prod",
    "production",
    "dev",
    "staging",
    "test",
    "live",
    "value",
    "default",
    "base",
    "old",
    "new",
    "plain",
    "text",
    "root",
    "admin",
];

/// Words anywhere in a name that make it something else.
const HARMLESS: &[&str] = &[
    "public",
    "csrf",
    "xsrf",
    "pagination",
    "cursor",
    "continuation",
    "next",
    "page",
    "syntax",
    "lexer",
    "separator",
    "cancellation",
];

fn names_a_secret(name: &[u8]) -> bool {
    let mut words = words(name);
    let harmless = words.iter().any(|word| HARMLESS.contains(&word.as_str()));
    while words.len() > 1
        && words.last().is_some_and(|word| {
            TRAILING.contains(&word.as_str()) || word.bytes().all(|b| b.is_ascii_digit())
        })
    {
        words.pop();
    }
    let secret = match words.as_slice() {
        [.., before, last] if last == "key" => SECRET_KEYS.contains(&before.as_str()),
        [.., last] => SECRET_WORDS.contains(&last.trim_end_matches(|c: char| c.is_ascii_digit())),
        [] => false,
    };
    secret && !harmless
}

/// The words of a name in any of the usual spellings, in small letters.
fn words(name: &[u8]) -> Vec<String> {
    let mut words = vec![String::new()];
    let mut before = b'_';
    for (at, byte) in name.iter().copied().enumerate() {
        let next_is_small = name.get(at + 1).is_some_and(u8::is_ascii_lowercase);
        let starts = byte.is_ascii_uppercase()
            && (before.is_ascii_lowercase() || before.is_ascii_uppercase() && next_is_small);
        if !byte.is_ascii_alphanumeric() || starts {
            words.push(String::new());
        }
        if let (true, Some(word)) = (byte.is_ascii_alphanumeric(), words.last_mut()) {
            word.push(char::from(byte.to_ascii_lowercase()));
        }
        before = byte;
    }
    words.retain(|word| !word.is_empty());
    words
}

/// Whether somebody may have chosen the value for a password: no reference, path, address, call or
/// phrase.
fn is_credible(value: &[u8]) -> bool {
    let path = value.starts_with(b"/")
        || value.starts_with(b"./")
        || value.starts_with(b"~")
        || value.starts_with(b"..");
    let address = value.contains_str("://") || value.starts_with(b"www.");
    let call = value.contains_str("(") && value.contains_str(")")
        || value.contains_str("::")
        || value.contains_str("->");
    let member = value
        .split_str(".")
        .all(|part| !part.is_empty() && part.iter().all(|b| b.is_ascii_alphabetic() || *b == b'_'))
        && value.contains(&b'.');
    // A regular expression tells how values look.
    let form = ["[A-", "[a-", "[0-", "[^", "\\d", "\\w", "(?:"]
        .iter()
        .any(|part| value.contains_str(part));
    !(is_placeholder(value) || path || address || call || member || form)
        && value.iter().all(|byte| (0x21..0x7f).contains(byte))
}

/// Whether the value mixes letters with digits or signs, as neither words nor identifiers do.
fn is_mixed(value: &[u8]) -> bool {
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
    let uuid_or_date = value.len() == 36 && value.iter().filter(|b| **b == b'-').count() == 4;
    letters
        && (digits + signs > 0)
        && (chosen || !identifier)
        && !uuid_or_date
        && bits(value) >= 2.6
        && longest_run(value) < 6
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
            !password.is_empty() && password.is_utf8() && !is_placeholder(password)
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
