//! Files that a tool makes, known by their first bytes, whatever their name.

use crate::table::{read, rows};
use crate::{Cause, Evidence, Finding, Level, Result};
use redshank_pattern::exactly;
use redshank_worktree::Class;
use redshank_worktree::rules::PatternSet;
use redshank_worktree::tree::Entry;
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
    only: Option<PatternSet>,
    #[serde(default)]
    kept: PatternSet,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    signature: Vec<Row>,
}

const NAME: &str = "files known by their first bytes";

static TABLE: LazyLock<Result<Table, String>> =
    LazyLock::new(|| read(NAME, include_str!("by_first_bytes.toml")));

impl Row {
    fn fits(&self, entry: &Entry, head: &[u8]) -> bool {
        let path = &entry.path;
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
pub(super) fn finding(entry: &Entry, head: &[u8]) -> Result<Option<Finding>> {
    let signatures = &rows(NAME, &TABLE)?.signature;
    let row = signatures.iter().find(|row| row.fits(entry, head));
    Ok(row.map(|row| {
        let cause = Cause::Said(row.title.clone());
        Finding::on(entry, Class::Generated, &row.name, Level::Warning, cause)
            .with_evidence(Evidence::FirstBytes)
            .kept_out_by(exactly(&entry.path), &*row.title, None)
    }))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_signature_can_be_met() {
        let signatures = &rows(NAME, &TABLE).unwrap().signature;
        assert!(signatures.len() >= 8);
        for row in signatures {
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
