//! How much each kind of evidence says, measured: `evidence/origin.py` writes the table.

use crate::evidence::{Weight, Witness};
use foldhash::fast::FixedState;
use redshank_tables::{TableError, packed, read};
use serde::Deserialize;
use std::collections::HashMap;
use std::sync::LazyLock;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    /// The weight that any file has.
    any_file: i32,
    /// By the evidence's kind, `WITNESS/ROW.WORD`, `WITNESS/ROW` or `WITNESS`; in decibans.
    weight: HashMap<String, i32>,
}

static TABLE: LazyLock<Result<Table, TableError>> =
    LazyLock::new(|| read("weights of evidence", packed!("weights")));

/// Witness, row and word; the last or the last two may be empty.
type Kind<'k> = (&'k str, &'k str, &'k str);

/// The same weights by the parts of a kind: they are asked for several times a file.
static BY_KIND: LazyLock<HashMap<Kind<'static>, Weight, FixedState>> = LazyLock::new(|| {
    let weights = TABLE.iter().flat_map(|table| &table.weight);
    let by_kind = weights.map(|(kind, weight)| {
        let (witness, rest) = kind.split_once('/').unwrap_or((kind, ""));
        let (row, word) = rest.split_once('.').unwrap_or((rest, ""));
        ((witness, row, word), Weight(*weight))
    });
    by_kind.collect()
});

/// The weight of a kind of evidence: of the word if it was measured, else of its row, else of its
/// witness.
pub(crate) fn of(witness: Witness, row: &'static str, word: &'static str) -> Weight {
    let witness = witness.word();
    let known = |row, word| BY_KIND.get(&(witness, row, word)).copied();
    known(row, word)
        .or_else(|| known(row, ""))
        .or_else(|| known("", ""))
        .unwrap_or_default()
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
