//! What is here, is needed, and would not be in a clone.

use crate::Result;
use bstr::ByteSlice;
use redshank_files::FileKind;
use redshank_findings::only_here;
use redshank_rules::{PatternSet, Ruling};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_tables::{TableError, packed, read, rows};
use redshank_templates::{SettingFormat, Survey, setting, swallowed};
use redshank_worktree::settings::GivenLimits;
use redshank_worktree::tree::{Entry, EntryKind, State};
use redshank_worktree::{Class, Overlay, Snapshot, Verdicts};
use serde::Deserialize;
use std::collections::BTreeMap;
use std::io::Read;
use std::sync::LazyLock;

/// Something that works here and would fail in a clone.
pub struct Missing {
    /// The file, or the folder.
    pub path: RepoPathBuf,
    /// Why it is needed.
    pub reason: MissingReason,
    /// The rule that ignores it; none if it is only not staged.
    pub ruling: Option<Ruling>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Row {
    files: PatternSet,
    format: SettingFormat,
    key: String,
    title: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    reference: Vec<Row>,
}

/// Why something is needed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum MissingReason {
    /// What a template says.
    Said(String),
    /// It is ignored for its size alone.
    OnlyHere,
    /// A file of the next commit refers to it.
    Referred {
        /// Path relative to the repository's top.
        by: RepoPathBuf,
        /// What the path is to it.
        title: &'static str,
    },
}

/// The tests read it.
static TABLE: LazyLock<std::result::Result<Table, TableError>> =
    LazyLock::new(|| read("references between files", packed!("references")));

/// How much of a file is looked at, in bytes.
const READ: u64 = 1 << 20;

/// What the projects of a tree need, and what files of the next commit refer to, that is here and
/// is not in that commit: all of `git add --all`, or only what is staged. What a tool makes again,
/// it makes in a clone, too.
///
/// # Errors
/// If the index or an ignore file can't be read.
pub fn missing(snapshot: &Snapshot, survey: &Survey, staged_only: bool) -> Result<Vec<Missing>> {
    let tree = snapshot.tree()?;
    let mut found = BTreeMap::new();
    for file in swallowed(snapshot, tree, &survey.projects, Overlay::new())? {
        let missing = Missing {
            path: file.path.clone(),
            reason: MissingReason::Said(file.needed.reason.clone()),
            ruling: Some(file.ruling),
        };
        found.insert(file.path, missing);
    }
    let limits = snapshot.settings()?.limits.or(&GivenLimits::default());
    for (entry, ruling) in only_here(tree, survey, &limits) {
        let (path, reason) = (entry.path.clone(), MissingReason::OnlyHere);
        let ruling = Some(ruling.clone());
        found.entry(path.clone()).or_insert(Missing {
            path,
            reason,
            ruling,
        });
    }
    let verdicts = Verdicts::new(snapshot, Overlay::new())?;
    let is_in = |entry: &Entry| {
        entry.state == State::Tracked || !staged_only && entry.state == State::Candidate
    };
    let goes_along = |path: &RepoPath| {
        if path.is_folder() {
            tree.below(path).any(is_in)
        } else {
            tree.get(path).is_some_and(is_in)
        }
    };
    let files = tree
        .to_commit()
        .filter(|entry| entry.kind == EntryKind::File && is_in(entry));
    for entry in files {
        for (path, title) in references(snapshot, entry)? {
            let Some(path) = as_it_lies(snapshot, path) else {
                continue;
            };
            if found.contains_key(&path) || goes_along(&path) || is_made(survey, &path) {
                continue;
            }
            let answer = verdicts.query(&path)?;
            let missing = Missing {
                path: path.clone(),
                reason: MissingReason::Referred {
                    by: entry.path.clone(),
                    title,
                },
                ruling: answer.ruling.filter(|_| answer.state == State::Ignored),
            };
            found.insert(path, missing);
        }
    }
    Ok(found.into_values().collect())
}

/// A path that is there, as the folder or file that it is.
fn as_it_lies(snapshot: &Snapshot, path: RepoPathBuf) -> Option<RepoPathBuf> {
    match snapshot.root.kind(&path)? {
        FileKind::Folder => Some(path.as_folder()),
        _ => Some(path),
    }
}

/// Whether a tool makes a path, or a folder above it.
fn is_made(survey: &Survey, path: &RepoPath) -> bool {
    let mut matched = path.parts().filter_map(|part| survey.matches.on(part));
    matched.any(|matched| matched.class() == Class::Generated)
}

/// A path that a file refers to, relative to the top, and what it is to it.
pub type Reference = (RepoPathBuf, &'static str);

fn references(snapshot: &Snapshot, entry: &Entry) -> Result<Vec<Reference>> {
    let path = &entry.path;
    if !rows(&TABLE)?
        .reference
        .iter()
        .any(|row| row.files.has(path))
    {
        return Ok(Vec::new());
    }
    let text = start_of(snapshot, path);
    text.map_or(Ok(Vec::new()), |text| references_in(path, &text))
}

/// What a file of that path and text refers to.
///
/// # Errors
/// If the table of references can't be read.
pub fn references_in(path: &RepoPath, text: &str) -> Result<Vec<Reference>> {
    let of_file = rows(&TABLE)?
        .reference
        .iter()
        .filter(|row| row.files.has(path));
    Ok(of_file
        .flat_map(|row| {
            let named = setting(row.format, &row.key, path.folder(), text, true);
            named.into_iter().map(|path| (path, row.title.as_str()))
        })
        .collect())
}

fn start_of(snapshot: &Snapshot, path: &RepoPath) -> Option<String> {
    let mut start = Vec::new();
    snapshot
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
            let rows = rows(&TABLE)
                .unwrap()
                .reference
                .iter()
                .filter(|row| row.files.has(path.into()));
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
