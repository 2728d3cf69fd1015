//! How much each kind of evidence says, measured: `evidence/origin.py` writes the table.

use crate::evidence::{Weight, Witness};
use redshank_tables::{TableError, read};
use serde::Deserialize;
use std::collections::HashMap;
use std::sync::LazyLock;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    /// The weight that any file has.
    any_file: i32,
    /// By the evidence's kind, `WITNESS/ROW`; in decibans.
    weight: HashMap<String, i32>,
}

static TABLE: LazyLock<Result<Table, TableError>> =
    LazyLock::new(|| read("weights of evidence", include_str!("weights.toml")));

/// The weight of a kind of evidence: of the word if it was measured, else of its row, else of its
/// witness.
pub(crate) fn of(witness: Witness, row: &str, word: &str) -> Weight {
    let Ok(table) = &*TABLE else {
        return Weight::default();
    };
    let witness = witness.word();
    let known = |kind: String| table.weight.get(&kind).copied();
    let measured = known(format!("{witness}/{row}.{word}"))
        .or_else(|| known(format!("{witness}/{row}")))
        .or_else(|| known(witness.to_owned()));
    Weight(measured.unwrap_or_default())
}

/// What counts for any file, whatever it shows.
pub(crate) fn of_any_file() -> Weight {
    let table = TABLE.as_ref();
    Weight(table.map_or(0, |table| table.any_file))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_table_can_be_read_and_weighs_every_witness() {
        let table = TABLE.as_ref().unwrap();
        for witness in ["declared", "tool", "says-so", "format", "derived", "name"] {
            let start = format!("{witness}/");
            let mut kinds = table.weight.keys();
            assert!(kinds.any(|kind| kind.starts_with(&start)), "{witness}");
        }
        assert!(
            table.any_file < 0,
            "without evidence, a file is its author's"
        );
    }
}
