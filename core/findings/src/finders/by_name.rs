//! Files that tell by their name what they are, in any project.

use crate::{ByHand, Cause, Evidence, Finding, Known, Level, Result, ScanContext};
use rayon::prelude::*;
use redshank_rules::PatternSet;
use redshank_rules::exactly;
use redshank_secrets::Downgrade;
use redshank_secrets::by_place;
use redshank_tables::{TableError, packed, read, rows};
use redshank_worktree::Class;
use redshank_worktree::tree::{Entry, EntryKind};
use serde::Deserialize;
use std::sync::LazyLock;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Row {
    class: Class,
    name: String,
    level: Level,
    title: String,
    patterns: PatternSet,
    #[serde(default)]
    is_given_to_tests: bool,
    remake: Option<String>,
    fix: Option<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    file: Vec<Row>,
}

const NAME: &str = "files known by their name";

static TABLE: LazyLock<Result<Table, TableError>> =
    LazyLock::new(|| read(NAME, packed!("by_name")));

/// What has all names of the table, for most files have none.
static ANY: LazyLock<PatternSet> = LazyLock::new(|| {
    let rows = TABLE.as_ref().map_or(&[][..], |table| &table.file);
    PatternSet::of_all(rows.iter().map(|row| &row.patterns))
});

pub(super) fn find(scan: &ScanContext, known: &Known) -> Result<Vec<Finding>> {
    let rows = &rows(&TABLE)?.file;
    // What its contents told of already, its name need not tell again.
    let is_open = |entry: &&Entry| {
        entry.kind != EntryKind::Repository
            && !known.templates.has(entry)
            && !entry.path.parts().any(|part| known.made.contains(part))
    };
    let files: Vec<&Entry> = scan.tree.to_commit().filter(is_open).collect();
    let found = files
        .into_par_iter()
        .filter(|entry| ANY.has(&entry.path))
        .filter_map(|entry| {
            let row = rows.iter().find(|row| row.patterns.has(&entry.path))?;
            let top = entry.path.top_folder();
            let is_test = |path| by_place(path) == Some(Downgrade::Test);
            let is_given = row.is_given_to_tests && is_test(&entry.path)
                || row.class == Class::Generated && is_test(top);
            (!is_given).then(|| finding(row, entry))
        });
    Ok(found.collect())
}

fn finding(row: &Row, entry: &Entry) -> Finding {
    let cause = Cause::Said(row.title.clone());
    let made =
        Finding::on(entry, row.class, &row.name, row.level, cause).with_evidence(Evidence::Name);
    match &row.fix {
        Some(words) => made.by_hand(ByHand::Said(words.clone())),
        // What many keep on purpose isn't ignored unasked.
        None if row.level == Level::Note => {
            let remake = row.remake.clone().unwrap_or_default();
            made.by_hand(ByHand::IgnoreUnlessOnPurpose { remake })
        }
        None => made.kept_out_by(exactly(&entry.path), &*row.title, row.remake.clone()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_table_can_be_read_and_tells_files_from_their_neighbours() {
        let name = |path: &str| {
            rows(&TABLE)
                .unwrap()
                .file
                .iter()
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
            ("notes.txt", Some("notes")),
            ("docs/notes.txt", None),
            ("vendor/x/Cargo.toml.orig", None),
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
