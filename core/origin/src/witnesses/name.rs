//! The name of a file, where only tools give such names, or only people.

use super::Subject;
use super::place::is_aside;
use super::says_so::is_marked;
use crate::Surroundings;
use crate::evidence::{Detail, Evidence, Origin, Witness};
use bstr::BStr;
use redshank_rules::{PatternSet, RepoPath};
use redshank_tables::{TableError, packed, read, rows};
use serde::Deserialize;
use std::sync::LazyLock;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Row {
    name: String,
    title: String,
    patterns: PatternSet,
    #[serde(default)]
    local: bool,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    file: Vec<Row>,
}

static TABLE: LazyLock<Result<Table, TableError>> =
    LazyLock::new(|| read("names of files", packed!("name")));

/// What has all names of the table, for most files have none.
static ANY: LazyLock<PatternSet> = LazyLock::new(|| {
    let rows = rows(&TABLE).map_or(&[][..], |table| &table.file);
    PatternSet::of_all(rows.iter().map(|row| &row.patterns))
});

/// Whether only tools give a file of that name.
pub(super) fn is_tools_name(path: &RepoPath) -> bool {
    ANY.has(path)
        && rows(&TABLE).is_ok_and(|table: &'static Table| {
            let mut rows = table.file.iter();
            rows.any(|row| row.name.starts_with("only-") && row.patterns.has(path))
        })
}

pub(super) fn testify(_: &Surroundings, subject: &Subject, evidence: &mut Vec<Evidence>) {
    let path = subject.path;
    if ANY.has(path)
        && let Ok(table) = rows(&TABLE)
    {
        let is_marked = is_marked(path, subject.head);
        for row in table.file.iter().filter(|row| row.patterns.has(path)) {
            // What says itself that a tool made it, has that name from the tool.
            if row.name == "known-to-people" && is_marked {
                continue;
            }
            if (row.name == "database" || row.name == "log") && is_aside(path) {
                continue;
            }
            let name = match row.name.as_str() {
                "known-to-people" => known_name(subject),
                name => name,
            };
            let found = Evidence::new(Witness::Name, name, Detail::Said(&row.title));
            evidence.push(if row.local {
                found.with_origin(Origin::Local)
            } else {
                found
            });
        }
    }
    let name = path.name();
    if is_hashed(name) {
        let detail = Detail::Said("its name holds a hash of its contents");
        evidence.push(Evidence::new(Witness::Name, "hashed", detail));
    }
    if has_time_stamp(name) {
        let detail = Detail::Said("its name holds the time when it was made");
        evidence.push(Evidence::new(Witness::Name, "time-stamp", detail));
    }
    if path.folders_above().any(is_of_a_run) {
        let detail = Detail::Said("its folder is called by the second of a run");
        evidence.push(Evidence::new(Witness::Name, "of-a-run", detail));
    }
    if name.starts_with(b".") {
        evidence.push(Evidence::new(Witness::Name, "hidden", Detail::Name));
    }
    if path.extension().is_none() && subject.is_binary {
        let detail = Detail::Said("binary data under a name without an ending");
        evidence.push(Evidence::new(Witness::Name, "bare-binary", detail));
    }
}

/// What it says that people give such a name: less where tools keep theirs.
fn known_name(subject: &Subject) -> &'static str {
    match () {
        () if !subject.hears_folders => "known-to-people",
        () if subject.output.is_some() => "known-in-output",
        () if subject.hidden.is_some() => "known-in-hidden",
        () => "known-to-people",
    }
}

/// Bundlers put a hash of a file's contents into its name: `index-BkF3x9Qa.js`,
/// `main.51c6dc62.js`.
pub(crate) fn is_hashed(name: &BStr) -> bool {
    let parts: Vec<&[u8]> = name.split(|byte| b".-_".contains(byte)).collect();
    let inner = parts
        .get(..parts.len().saturating_sub(1))
        .unwrap_or_default();
    let count =
        |part: &[u8], is_of: fn(&u8) -> bool| part.iter().filter(|byte| is_of(byte)).count();
    inner.iter().any(|part| {
        let digits = count(part, u8::is_ascii_digit);
        let is_hex = count(part, u8::is_ascii_hexdigit) == part.len() && digits < part.len();
        let is_mixed = count(part, u8::is_ascii_uppercase) > 1 && digits > 1;
        let is_word = count(part, u8::is_ascii_alphanumeric) == part.len();
        part.len() >= 8 && is_word && digits > 0 && (is_hex || is_mixed)
    })
}

/// Whether a folder is called by the second, as programs call what a run of theirs leaves:
/// `2026-12-01/04-40-16/`, `20261201_044016/`, `2026-12-01T04-40-16/`.
fn is_of_a_run(folder: &RepoPath) -> bool {
    let name = folder.name();
    let digits = |part: &[u8]| part.iter().filter(|byte| byte.is_ascii_digit()).count();
    let is_plain = name
        .iter()
        .all(|byte| byte.is_ascii_digit() || b"-_.:T".contains(byte));
    let above = folder.folder();
    let is_date = !above.is_top() && digits(above.name()) == 8 && above.name().starts_with(b"20");
    is_plain
        && (name.starts_with(b"20") && digits(name) == 14
            || is_date && digits(name) == 6 && name.len() == 8)
}

/// Whether a name holds a date and a time of day, or seconds since 1970.
fn has_time_stamp(name: &BStr) -> bool {
    let digits = name.split(|byte| !byte.is_ascii_digit());
    let mut numbers = digits.filter(|number| !number.is_empty());
    numbers
        .any(|number| number.len() >= 10 && (number.starts_with(b"20") || number.starts_with(b"1")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_hash_is_neither_a_date_nor_a_word() {
        for name in [
            "index-BkF3x9Qa.js",
            "main.51c6dc62.js",
            "2.96e8bec8.chunk.css",
        ] {
            assert!(is_hashed(name.into()), "{name}");
        }
        for name in [
            "index.js",
            "test_harmonics.py",
            "20260325-readings.csv",
            "a-performance.js",
            "0001_initial.py",
        ] {
            assert!(!is_hashed(name.into()), "{name}");
        }
    }

    #[test]
    fn the_table_can_be_read() {
        assert!(rows(&TABLE).unwrap().file.len() > 5);
    }
}
