//! Files that are secret by nature, known by their first bytes, whatever their name.

use crate::credentials;
use crate::{Evidence, Finding, Result};
use redshank_tables::{Signature, TableError, packed, read, rows};
use redshank_worktree::tree::Entry;
use serde::Deserialize;
use std::sync::LazyLock;

/// No key is shorter, in bytes.
const SHORTEST_KEY: u64 = 48;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Row {
    name: String,
    title: String,
    bytes: Signature,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    signature: Vec<Row>,
}

const NAME: &str = "files that are secret by nature";

static TABLE: LazyLock<Result<Table, TableError>> =
    LazyLock::new(|| read(NAME, packed!("by_nature")));

/// The finding on a file that starts so, if it is a key or a key store.
pub(super) fn finding(entry: &Entry, head: &[u8]) -> Result<Option<Finding>> {
    if entry.size.0 < SHORTEST_KEY {
        return Ok(None);
    }
    let mut signatures = rows(&TABLE)?.signature.iter();
    let row = signatures.find(|row| row.bytes.begins(head));
    Ok(row.map(|row| {
        credentials::by_nature(entry, &row.name, &row.title).with_evidence(Evidence::FirstBytes)
    }))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_signature_says_enough() {
        let signatures = &rows(&TABLE).unwrap().signature;
        assert!(signatures.len() >= 8);
        for row in signatures {
            assert!(row.bytes.digits() >= 8, "{}", row.name);
        }
    }
}
