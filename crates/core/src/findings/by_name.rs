//! Files that tell by their name what they are, in any project.

use super::claimed::Claimed;
use super::{Class, Finding, Found, Level, Look};
use crate::rules::Names;
use crate::templates::exactly;
use crate::tree::{Entry, Kind};
use bstr::{BString, ByteSlice};
use rayon::prelude::*;
use serde::Deserialize;
use std::collections::HashSet;
use std::sync::LazyLock;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Row {
    class: Class,
    name: String,
    level: Level,
    title: String,
    patterns: Names,
    remake: Option<String>,
    mend: Option<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    file: Vec<Row>,
}

/// The table that comes with the program; the tests see to it that it can be read.
static ROWS: LazyLock<Vec<Row>> = LazyLock::new(|| {
    toml::from_str::<Table>(include_str!("by_name.toml"))
        .map(|table| table.file)
        .unwrap_or_default()
});

pub(super) fn find(look: &Look, claimed: &Claimed, found: &mut Found) {
    // What its contents told of already, its name need not tell again.
    let told: HashSet<BString> = found
        .findings
        .iter()
        .filter(|f| f.class == Class::Generated)
        .map(|f| f.path.clone())
        .collect();
    let files = look
        .tree
        .to_commit()
        .filter(|entry| entry.kind != Kind::Repository && !claimed.has(entry));
    let files: Vec<&Entry> = files.collect();
    let of_tables = files.into_par_iter().filter_map(|entry| {
        let path = entry.path.as_bstr();
        let row = ROWS
            .iter()
            .find(|row| row.patterns.has(path))
            .filter(|_| !told.contains(&entry.path))?;
        let made = Finding::on(entry, row.class, &row.name, row.level, &*row.title)
            .with_evidence("by its name");
        Some(match &row.mend {
            Some(words) => made.by_hand(&**words),
            None => made.kept_out_by(exactly(path), &*row.title, row.remake.clone()),
        })
    });
    found.findings.par_extend(of_tables);
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_table_can_be_read_and_tells_files_from_their_neighbours() {
        let name = |path: &str| {
            ROWS.iter()
                .find(|row| row.patterns.has(path.into()))
                .map(|row| row.name.as_str())
        };
        for (path, wanted) in [
            ("web/app.js.map", Some("source-map")),
            ("web/chart.min.js", Some("minified")),
            ("core.4711", Some("crash-dump")),
            ("src/core.rs", None),
            ("uplink.log.3", Some("log")),
            ("config/settings.local.json", Some("local-settings")),
            ("config/settings.local.json.example", None),
            ("docs/notes.txt", Some("notes")),
            ("docs/release-notes.md", None),
            ("members.XLSX", Some("spreadsheet")),
            ("tests/fixtures/members.xlsx", None),
            ("db/schema.sql", None),
            ("db/dump-2026.sql", Some("data-dump")),
        ] {
            assert_eq!(name(path), wanted, "{path}");
        }
    }
}
