//! What people write in the place of a secret, by the words of values.toml.

use aho_corasick::AhoCorasick;
use bstr::ByteSlice;
use redshank_tables::{packed, read};
use serde::Deserialize;
use std::sync::LazyLock;

use super::Words;

/// Whether it says that something is to be put there.
pub(crate) fn is_placeholder_text(value: &[u8]) -> bool {
    tables().placeholders.is_match(value)
        || value
            .first()
            .is_none_or(|first| value.iter().all(|byte| byte == first))
}

/// Whether a password in small letters is one that people write where it doesn't matter.
pub(crate) fn is_common(value: &[u8]) -> bool {
    let lower = value.to_ascii_lowercase();
    tables().common.has(&lower) || is_stand_in(&lower)
}

/// Whether what is left of it without digits and signs at its ends is such a word.
pub(super) fn is_stand_in(lower: &[u8]) -> bool {
    let bare = lower.trim_with(|sign| !sign.is_alphabetic());
    let parts: Vec<&[u8]> = bare
        .split(|byte| !byte.is_ascii_alphanumeric())
        .filter(|part| !part.is_empty())
        .collect();
    !parts.is_empty()
        && parts.iter().all(|part| {
            let part = part.trim_end_with(|sign| sign.is_ascii_digit());
            tables().common.has(part) || tables().fields.has(part)
        })
        || tables().made_up.is_match(lower) && lower.len() <= 24
}

/// The words of values.toml.
#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields)]
pub(super) struct Tables {
    pub(super) common: Words,
    pub(super) made_up: Parts,
    pub(super) labels: Words,
    pub(super) prose: Words,
    pub(super) fields: Words,
    pub(super) placeholders: Parts,
    pub(super) references: ExactParts,
    pub(super) elsewhere: Vec<String>,
    pub(super) protected: Vec<String>,
    pub(super) forms: Parts,
    pub(super) files: Words,
}

pub(super) fn tables() -> &'static Tables {
    static TABLES: LazyLock<Tables> = LazyLock::new(|| {
        // It can be read, as the tests see to.
        read("words of values", packed!("values")).unwrap_or_default()
    });
    &TABLES
}

/// Parts of words, looked for at once, in their case.
#[derive(Deserialize, Default)]
#[serde(from = "Vec<String>")]
pub(super) struct ExactParts(Option<AhoCorasick>);

impl From<Vec<String>> for ExactParts {
    fn from(parts: Vec<String>) -> Self {
        // So few words always make an automaton.
        Self(AhoCorasick::new(parts).ok())
    }
}

impl ExactParts {
    pub(super) fn is_match(&self, text: &[u8]) -> bool {
        self.0.as_ref().is_some_and(|parts| parts.is_match(text))
    }
}

/// Parts of words, looked for at once, whatever their case.
#[derive(Deserialize, Default)]
#[serde(from = "Vec<String>")]
pub(super) struct Parts(Option<AhoCorasick>);

impl From<Vec<String>> for Parts {
    fn from(parts: Vec<String>) -> Self {
        // So few words always make an automaton.
        Self(
            AhoCorasick::builder()
                .ascii_case_insensitive(true)
                .build(parts)
                .ok(),
        )
    }
}

impl Parts {
    pub(super) fn is_match(&self, text: &[u8]) -> bool {
        self.0.as_ref().is_some_and(|parts| parts.is_match(text))
    }
}
