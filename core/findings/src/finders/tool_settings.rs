//! Settings of a project's own tools that work against version control, read as data.

use crate::{ByHand, Cause, Finding, Known, Level, Result, ScanContext};
use bstr::{BStr, ByteSlice};
use rayon::prelude::*;
use redshank_rules::PatternSet;
use redshank_tables::{TableError, packed, read, rows};
use redshank_worktree::Class;
use redshank_worktree::tree::{Entry, EntryKind};
use regex::bytes::{Regex, RegexBuilder};
use serde::Deserialize;
use std::collections::HashMap;
use std::sync::LazyLock;

/// No larger settings file is looked into, in bytes.
const LARGEST: u64 = 16 << 20;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Row {
    name: String,
    files: PatternSet,
    all: Vec<Expression>,
    unless: Option<String>,
    level: Level,
    title: String,
    fix: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    setting: Vec<Row>,
}

#[derive(Deserialize)]
#[serde(try_from = "String")]
struct Expression(Regex);

impl TryFrom<String> for Expression {
    type Error = regex::Error;

    fn try_from(written: String) -> std::result::Result<Self, regex::Error> {
        let lines = RegexBuilder::new(&written).multi_line(true).build();
        lines.map(Self)
    }
}

const NAME: &str = "settings that work against version control";

static TABLE: LazyLock<std::result::Result<Table, TableError>> =
    LazyLock::new(|| read(NAME, packed!("tool_settings")));

/// What has all names of the table, for most files have none.
static ANY: LazyLock<PatternSet> = LazyLock::new(|| {
    let rows = TABLE.as_ref().map_or(&[][..], |table| &table.setting);
    PatternSet::of_all(rows.iter().map(|row| &row.files))
});

pub(super) fn find(scan: &ScanContext, known: &Known) -> Result<Vec<Finding>> {
    let rows = &rows(&TABLE)?.setting;
    let files: Vec<&Entry> = scan
        .tree
        .to_commit()
        .filter(|entry| {
            entry.kind == EntryKind::File
                && entry.size.0 <= LARGEST
                && ANY.has(&entry.path)
                && !known.templates.has(entry)
        })
        .collect();
    let met = files.into_par_iter().flat_map_iter(|entry| {
        // A file that can't be read is reported by the pass that reads all of them.
        let text = scan.snapshot.root.read(&entry.path, LARGEST);
        let text = text.unwrap_or_default();
        rows.iter()
            .filter(move |row| {
                row.files.has(&entry.path) && row.all.iter().all(|each| each.0.is_match(&text))
            })
            .map(move |row| (row, entry))
    });
    let met: Vec<(&Row, &Entry)> = met.collect();
    let mut findings = Vec::new();
    for row in rows {
        let of_row = met.iter().filter(|(other, _)| std::ptr::eq(*other, row));
        let entries: Vec<&Entry> = of_row.map(|(_, entry)| *entry).collect();
        let paths: Vec<&BStr> = entries.iter().map(|entry| entry.path.as_bstr()).collect();
        let values = match (&row.unless, &scan.snapshot.repository) {
            (Some(attribute), Some(repository)) => repository.attribute(attribute, &paths)?,
            _ => HashMap::new(),
        };
        findings.extend(
            entries
                .into_iter()
                .filter(|entry| !values.contains_key(entry.path.as_bstr()))
                .map(|entry| {
                    let cause = Cause::Said(row.title.clone());
                    let found = Finding::on(entry, Class::Needed, &row.name, row.level, cause);
                    found.by_hand(ByHand::Said(row.fix.clone()))
                }),
        );
    }
    Ok(findings)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_row_can_be_read() {
        assert!(rows(&TABLE).unwrap().setting.len() >= 8);
    }
}
