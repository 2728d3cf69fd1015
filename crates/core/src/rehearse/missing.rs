//! What lies here, is needed, and would not be in a clone.

use crate::Result;
use crate::findings::Class;
use crate::findings::needed::swallowed;
use crate::rules::{Names, Ruling};
use crate::templates::{SettingFormat, Survey, setting};
use crate::tree::{Entry, Kind, Oracle, Overlay, Place, State, Tree};
use bstr::{BStr, BString, ByteSlice};
use serde::Deserialize;
use std::collections::BTreeMap;
use std::io::Read;
use std::sync::LazyLock;

/// Something that works here and would fail in a clone.
pub struct Missing {
    /// The file, or the folder, which ends in a slash.
    pub path: BString,
    /// Why it is needed.
    pub reason: String,
    /// The rule that keeps it out; none if it is only not staged.
    pub ruling: Option<Ruling>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Row {
    files: Names,
    format: SettingFormat,
    key: String,
    title: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    reference: Vec<Row>,
}

/// The table that comes with the program; the tests see to it that it can be read.
static ROWS: LazyLock<Vec<Row>> = LazyLock::new(|| {
    toml::from_str::<Table>(include_str!("references.toml"))
        .map(|table| table.reference)
        .unwrap_or_default()
});

/// How much of a file is looked at, in bytes.
const READ: u64 = 1 << 20;

/// What the projects of a tree need, and what files of the next commit refer to, that lies here and
/// is not in that commit: all of `git add --all`, or only what is staged. What a tool makes again,
/// it makes in a clone, too.
///
/// # Errors
/// If the index or an ignore file can't be read.
pub fn missing(
    place: &Place,
    tree: &Tree,
    survey: &Survey,
    staged_only: bool,
) -> Result<Vec<Missing>> {
    let mut found = BTreeMap::new();
    for file in swallowed(place, tree, &survey.projects, Overlay::new())? {
        let reason = file.needed.reason.clone();
        found.insert(
            file.path.clone(),
            Missing {
                path: file.path,
                reason,
                ruling: Some(file.ruling),
            },
        );
    }
    let oracle = Oracle::new(place, Overlay::new())?;
    let is_in = |entry: &Entry| {
        entry.state == State::Tracked || !staged_only && entry.state == State::Candidate
    };
    for entry in tree
        .to_commit()
        .filter(|entry| entry.kind == Kind::File && is_in(entry))
    {
        for (path, title) in references(place, entry) {
            let Some(kind) = place.root.kind(path.as_bstr()) else {
                continue;
            };
            let path: BString = if kind == redshank_files::Kind::Folder {
                [path.as_slice(), b"/"].concat().into()
            } else {
                path
            };
            let goes_along = || match path.ends_with(b"/") {
                true => tree.below(path.as_bstr()).any(is_in),
                false => tree.get(path.as_bstr()).is_some_and(is_in),
            };
            if found.contains_key(&path) || goes_along() || is_made(survey, path.as_bstr()) {
                continue;
            }
            let answer = oracle.ask(path.as_bstr())?;
            let reason = format!("{} refers to it: {title}", entry.path);
            let ruling = answer.ruling.filter(|_| answer.state == State::Ignored);
            found.insert(
                path.clone(),
                Missing {
                    path,
                    reason,
                    ruling,
                },
            );
        }
    }
    Ok(found.into_values().collect())
}

/// Whether a tool makes a path, or a folder above it.
fn is_made(survey: &Survey, path: &BStr) -> bool {
    let ends = path
        .find_iter("/")
        .map(|slash| slash + 1)
        .chain([path.len()]);
    let mut parts = ends.map(|end| path[..end].as_bstr());
    parts.any(|part| {
        survey
            .claims
            .on(part)
            .is_some_and(|claim| claim.class() == Class::Generated)
    })
}

/// The paths that a file refers to, relative to the top, and what each is to it.
fn references(place: &Place, entry: &Entry) -> Vec<(BString, &'static str)> {
    let path = entry.path.as_bstr();
    let speaks = ROWS.iter().any(|row| row.files.has(path));
    let text = speaks.then(|| start_of(place, path)).flatten();
    text.map_or_else(Vec::new, |text| references_in(path, &text))
}

/// The paths that a file of that path and text refers to, relative to the top, and what each is to
/// it.
pub fn references_in(path: &BStr, text: &str) -> Vec<(BString, &'static str)> {
    let rows = ROWS.iter().filter(|row| row.files.has(path));
    let folder = path
        .rfind_byte(b'/')
        .map_or(b"".as_bstr(), |slash| path[..=slash].as_bstr());
    let of_row = |row: &'static Row| {
        let named = setting(row.format, &row.key, folder, text, true);
        named
            .into_iter()
            .map(|path| (path, row.title.as_str()))
            .collect::<Vec<_>>()
    };
    rows.flat_map(of_row).collect()
}

fn start_of(place: &Place, path: &BStr) -> Option<String> {
    let mut start = Vec::new();
    place
        .root
        .file(path)
        .and_then(|file| file.take(READ).read_to_end(&mut start))
        .ok()?;
    Some(start.to_str_lossy().into_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_row_finds_what_a_file_of_its_kind_names() {
        let named = |path: &str, text: &str| {
            let rows = ROWS.iter().filter(|row| row.files.has(path.into()));
            let mut found: Vec<String> = rows
                .flat_map(|row| setting(row.format, &row.key, "a/".into(), text, true))
                .map(|path| path.to_string())
                .collect();
            found.sort();
            found
        };
        for (path, text, wanted) in [
            (
                "Cargo.toml",
                "[workspace]\nmembers = ['gauge', 'tools/*']\n",
                &["a/gauge"][..],
            ),
            (
                "Cargo.toml",
                "[dependencies]\ntide = { path = '../tide' }\nserde = '1'\n",
                &["tide"],
            ),
            (
                "Cargo.toml",
                "[[bin]]\nname = 'x'\npath = 'src/x.rs'\n",
                &["a/src/x.rs"],
            ),
            (
                "package.json",
                r#"{ "workspaces": ["kiosk", "parts/*"] }"#,
                &["a/kiosk"],
            ),
            (
                "pyproject.toml",
                "[project]\nreadme = 'README.md'\n",
                &["a/README.md"],
            ),
            (
                "tsconfig.json",
                r#"{ "extends": "./base.json", "references": [{ "path": "../core" }] }"#,
                &["a/base.json", "core"],
            ),
            ("go.work", "go 1.22\nuse (\n\t./gauge\n)\n", &["a/gauge"]),
            ("go.mod", "replace tide.example/x => ../x\n", &["x"]),
            (
                "CMakeLists.txt",
                "project(x)\nadd_subdirectory(gauge)\nadd_subdirectory(${OTHER})\n",
                &["a/gauge"],
            ),
            ("meson.build", "subdir('gauge')\n", &["a/gauge"]),
            (
                "pom.xml",
                "<modules><module>gauge</module></modules>",
                &["a/gauge"],
            ),
            ("settings.gradle", "include ':kiosk'\n", &["a/kiosk"]),
            (
                "Makefile",
                "include rules.mk\n-include local.mk\n",
                &["a/rules.mk"],
            ),
            ("requirements.txt", "-r base.txt\nnumpy\n", &["a/base.txt"]),
            (
                "level.c",
                "#include <stdio.h>\n#include \"level.h\"\n",
                &["a/level.h"],
            ),
            ("level.cpp", "#include \"level.h\"\n", &["a/level.h"]),
            ("level.cc", "#include \"level.h\"\n", &["a/level.h"]),
            (
                "run.sh",
                "#!/bin/sh\n. ./settings.sh\nsource $HOME/x\n",
                &["a/settings.sh"],
            ),
            (
                "Dockerfile",
                "FROM x\nCOPY tables/ /srv/\nCOPY --from=x /a /b\n",
                &["a/tables"],
            ),
        ] {
            assert_eq!(named(path, text), wanted, "{path}");
        }
    }
}
