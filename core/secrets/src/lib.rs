//! Credentials in texts: which there are, on which line, and what makes one less than an error.
//!
//! A value is known by the form that its issuer documents, by the name it is assigned to, or
//! because the whole file is one. Nothing here knows of findings or reads from disk.
//!
//! # Examples
//!
//! ```
//! use redshank_secrets::{masked, scan};
//!
//! let text = format!("password = \"{}\"\n", "tR7v-Kd2qX9m");
//! let scanned = scan("gateway/settings.ini".into(), &mut text.as_bytes())??;
//! assert_eq!(scanned.credentials[0].line, 1);
//! assert!(!masked(&text).contains("Kd2qX9m"));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod assignment;
mod downgrade;
mod formats;
mod keywords;
mod names;
mod proof;
mod quoting;
mod randomness;
mod scan;
mod shape;
mod tables;
mod utf_32;
mod value;

pub use downgrade::{Downgrade, by_place, is_fixture};
pub use redshank_tables::TableError;

use bstr::{BString, ByteSlice};
use formats::{FileCategory, Formats, Kinds};
use redshank_rules::RepoPath;
use std::fmt;
use std::io::Read;
use std::ops::Range;

/// A secret value. However it is printed, only its start and its length show.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Secret(BString);

impl Secret {
    /// Keeps a value from being shown.
    pub fn new(value: &[u8]) -> Self {
        Self(value.into())
    }

    /// Sixteen bits of a hash: enough to tell that a value was replaced, too little to try guesses
    /// on.
    pub fn trace(&self) -> [u8; 2] {
        let hash = blake3::hash(&self.0);
        [hash.as_bytes()[0], hash.as_bytes()[1]]
    }
}

impl fmt::Display for Secret {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let length = self.0.chars().count();
        let shown = if length >= 20 { 4 } else { 0 };
        let start: String = self
            .0
            .chars()
            .take(shown)
            .filter(|c| c.is_ascii_graphic())
            .collect();
        write!(f, "{start}… ({length} characters)")
    }
}

impl fmt::Debug for Secret {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(self, f)
    }
}

/// A credential in a text.
pub struct Credential {
    /// The format that it has, as in a finding's rule: `private-key`.
    pub name: &'static str,
    /// What it is, in a few words.
    pub title: &'static str,
    /// Where its issuer replaces it, if that is known: an address.
    pub replace: Option<&'static str>,
    /// Line number, from 1.
    pub line: u64,
    /// The value, never shown whole.
    pub secret: Secret,
    /// The file is nothing but this: it starts with it.
    pub is_the_file: bool,
    /// Why it is less than an error, if it is.
    pub downgrade: Option<Downgrade>,
}

/// A kind of file that is secret as a whole, whatever it holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct SecretFile {
    /// As in a finding's rule.
    pub name: &'static str,
    /// What it is, in a few words.
    pub title: &'static str,
}

/// What a text holds.
pub struct ScannedText {
    /// Its credentials, but for those that a comment accepts.
    pub credentials: Vec<Credential>,
    /// How many a comment on their line accepts.
    pub accepted: usize,
    /// By its name, it is secret as a whole.
    pub secret_file: Option<SecretFile>,
    /// By its name, it is an environment file.
    pub is_environment: bool,
}

/// Whether a file is an environment file, by its name; a sample of one is none.
pub fn is_environment(path: &RepoPath) -> bool {
    Formats::get().is_ok_and(|formats| Kinds::at(formats, path).has(FileCategory::Environment))
}

/// A text in which no credential is shown whole, for whatever is echoed of other people's files:
/// settings, rules, targets of links.
pub fn masked(text: &str) -> String {
    let (mut masked, mut from) = (String::with_capacity(text.len()), 0);
    for (span, shown) in secrets_in(text) {
        masked += &text[from..span.start];
        masked += &shown;
        from = span.end;
    }
    masked + &text[from..]
}

/// Where credentials are in a text, in order, and how each may be shown.
pub fn secrets_in(text: &str) -> Vec<(Range<usize>, String)> {
    let Ok(formats) = Formats::get() else {
        return Vec::new();
    };
    let mut spans = scan::spans(text.as_bytes(), formats);
    spans.sort_by_key(|span| span.start);
    let mut from = 0;
    let mut is_next = |span: &Range<usize>| {
        let fits = span.start >= from
            && text.is_char_boundary(span.start)
            && text.is_char_boundary(span.end);
        from = if fits { span.end } else { from };
        fits
    };
    spans.retain(|span| is_next(span));
    spans
        .into_iter()
        .map(|span| {
            (
                span.clone(),
                Secret::new(&text.as_bytes()[span]).to_string(),
            )
        })
        .collect()
}

/// Reads the tables now, so that the first scan doesn't wait for them. An error is that scan's.
pub fn preload() {
    let _ = Formats::get();
}

/// Scans a file that would be at a path.
///
/// # Errors
/// If the tables of credentials can't be used; within, if the file can't be read.
pub fn scan(
    path: &RepoPath,
    file: &mut dyn Read,
) -> Result<std::io::Result<ScannedText>, TableError> {
    let formats = Formats::get()?;
    let kinds = Kinds::at(formats, path);
    Ok(scan::contents(file, formats, path, &kinds).map(|hits| {
        let all = hits.len();
        let credentials: Vec<Credential> = hits
            .into_iter()
            .filter(|hit| !hit.accepted)
            .map(|hit| Credential {
                name: &hit.format.name,
                title: &hit.format.title,
                replace: hit.format.replace.as_deref(),
                line: hit.line,
                secret: hit.secret,
                is_the_file: hit.is_the_file,
                downgrade: hit.downgrade,
            })
            .collect();
        ScannedText {
            accepted: all - credentials.len(),
            credentials,
            secret_file: formats.by_nature(path).map(|row| SecretFile {
                name: &row.name,
                title: &row.title,
            }),
            is_environment: kinds.has(FileCategory::Environment),
        }
    }))
}
