//! Files that a tool makes, known by their first bytes, whatever their name.

use crate::credentials;
use crate::{Cause, Evidence, Finding, Level, Result};
use redshank_rules::PatternSet;
use redshank_rules::exactly;
use redshank_secrets::{Downgrade, by_place, is_fixture};
use redshank_tables::{TableError, read, rows};
use redshank_worktree::Class;
use redshank_worktree::tree::Entry;
use serde::Deserialize;
use std::sync::LazyLock;

/// No key is shorter, in bytes.
const SHORTEST_KEY: u64 = 48;

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
    bytes: Signature,
    only: Option<PatternSet>,
    #[serde(default)]
    secret: bool,
    #[serde(default)]
    kept: PatternSet,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    signature: Vec<Row>,
}

const NAME: &str = "files known by their first bytes";

static TABLE: LazyLock<Result<Table, TableError>> =
    LazyLock::new(|| read(NAME, include_str!("by_first_bytes.toml")));

impl Row {
    fn fits(&self, entry: &Entry, head: &[u8]) -> bool {
        let path = &entry.path;
        let start = head.get(self.at..).unwrap_or_default();
        self.bytes.begins(start)
            && self.only.as_ref().is_none_or(|only| only.has(path))
            && !self.kept.has(path)
            // A shorter one has no room for a key.
            && (!self.secret || entry.size.0 >= SHORTEST_KEY)
    }
}

/// The first bytes of a file, as hexadecimal digits; a dot stands for any digit.
#[derive(Deserialize)]
#[serde(try_from = "String")]
struct Signature {
    /// For each byte, the bits that count, and what they are.
    bytes: Vec<(u8, u8)>,
}

impl TryFrom<String> for Signature {
    type Error = String;

    fn try_from(written: String) -> Result<Self, String> {
        let digit = |digit: u8| match digit {
            b'.' => Ok((0, 0)),
            _ => char::from(digit)
                .to_digit(16)
                .map(|value| (15, value as u8))
                .ok_or_else(|| format!("`{written}` is not hexadecimal")),
        };
        let pairs = written.as_bytes().chunks(2).map(|pair| {
            let (high, low) = (
                digit(pair[0])?,
                pair.get(1).map_or(Ok((0, 0)), |low| digit(*low))?,
            );
            Ok((high.0 << 4 | low.0, high.1 << 4 | low.1))
        });
        Ok(Self {
            bytes: pairs.collect::<Result<_, String>>()?,
        })
    }
}

impl Signature {
    /// Whether a text begins with it.
    fn begins(&self, text: &[u8]) -> bool {
        let mut pairs = self.bytes.iter().zip(text);
        text.len() >= self.bytes.len()
            && pairs.all(|((counts, wanted), found)| found & counts == *wanted)
    }
}

/// Tests are given such files on purpose, but for what a compiler makes of them.
fn is_test_file(entry: &Entry, row: &Row) -> bool {
    if !row.secret && is_fixture(&entry.path) {
        return true;
    }
    let is_built = row.secret || ["program", "core-dump"].contains(&row.name.as_str());
    !is_built && by_place(&entry.path) == Some(Downgrade::Test)
}

/// The finding on a file that starts so, if a tool makes such files.
pub(super) fn finding(entry: &Entry, head: &[u8]) -> Result<Option<Finding>> {
    let signatures = &rows(&TABLE)?.signature;
    let row = signatures.iter().find(|row| row.fits(entry, head));
    let row = row.filter(|row| !is_test_file(entry, row));
    Ok(row.map(|row| {
        if row.secret {
            return credentials::by_nature(entry, &row.name, &row.title)
                .with_evidence(Evidence::FirstBytes);
        }
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
        let signatures = &rows(&TABLE).unwrap().signature;
        assert!(signatures.len() >= 8);
        for row in signatures {
            let bytes = &row.bytes.bytes;
            assert!(row.at + bytes.len() <= HEAD, "{}", row.name);
            let digits: u32 = bytes
                .iter()
                .map(|(counts, _)| counts.count_ones() / 4)
                .sum();
            assert!(
                digits >= if row.only.is_some() { 6 } else { 8 },
                "{}",
                row.name
            );
        }
    }
}
