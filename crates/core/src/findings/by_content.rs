//! Files that a tool makes, known by their first bytes, whatever their name.

use super::{Class, Finding, Level};
use crate::rules::Names;
use crate::templates::exactly;
use crate::tree::Entry;
use bstr::ByteSlice;
use serde::Deserialize;
use std::sync::LazyLock;

/// How many bytes of a file's start a signature may reach.
#[cfg(test)]
const HEAD: usize = 64;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Row {
    name: String,
    title: String,
    #[serde(default)]
    at: usize,
    bytes: String,
    only: Option<Names>,
    #[serde(default)]
    kept: Names,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    signature: Vec<Row>,
}

/// The table that comes with the program; the tests see to it that it can be read.
static SIGNATURES: LazyLock<Vec<Row>> = LazyLock::new(|| {
    toml::from_str::<Table>(include_str!("by_content.toml"))
        .map(|table| table.signature)
        .unwrap_or_default()
});

impl Row {
    fn fits(&self, entry: &Entry, head: &[u8]) -> bool {
        let path = entry.path.as_bstr();
        let digits = head
            .get(self.at..)
            .unwrap_or_default()
            .iter()
            .flat_map(|byte| [byte >> 4, byte & 15]);
        let mut wanted = self.bytes.chars().zip(
            digits
                .map(u32::from)
                .map(Some)
                .chain(std::iter::repeat(None)),
        );
        wanted.all(|(digit, found)| {
            digit == '.' && found.is_some() || found.is_some() && digit.to_digit(16) == found
        }) && self.only.as_ref().is_none_or(|only| only.has(path))
            && !self.kept.has(path)
    }
}

/// The finding on a file that starts so, if a tool makes such files.
pub(super) fn finding(entry: &Entry, head: &[u8]) -> Option<Finding> {
    let row = SIGNATURES.iter().find(|row| row.fits(entry, head))?;
    let found = Finding::on(
        entry,
        Class::Generated,
        &row.name,
        Level::Warning,
        &*row.title,
    );
    Some(found.with_evidence("by its first bytes").kept_out_by(
        exactly(entry.path.as_bstr()),
        &*row.title,
        None,
    ))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_signature_can_be_met() {
        assert!(SIGNATURES.len() >= 8);
        for row in SIGNATURES.iter() {
            assert!(row.at + row.bytes.len().div_ceil(2) <= HEAD, "{}", row.name);
            assert!(row.bytes.len() >= if row.only.is_some() { 6 } else { 8 });
            assert!(
                row.bytes
                    .bytes()
                    .all(|digit| digit == b'.' || digit.is_ascii_hexdigit()),
                "{}",
                row.name
            );
        }
    }
}
