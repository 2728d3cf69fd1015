//! The folders that a file is in: what people and tools call them.

use super::Subject;
use crate::Surroundings;
use crate::evidence::{Detail, Evidence, Witness};
use bstr::{BStr, ByteSlice};
use foldhash::fast::FixedState;
use redshank_rules::RepoPath;
use redshank_tables::{TableError, packed, read, rows};
use serde::Deserialize;
use std::borrow::Cow;
use std::collections::HashMap;
use std::sync::LazyLock;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    /// Names by what is in such folders.
    names: HashMap<String, Vec<String>>,
    /// How names end, the same.
    endings: HashMap<String, Vec<String>>,
}

/// The table, by name.
struct Places {
    names: HashMap<&'static [u8], (&'static str, &'static str), FixedState>,
    endings: Vec<(&'static [u8], &'static str)>,
}

static TABLE: LazyLock<Result<Table, TableError>> =
    LazyLock::new(|| read("names of folders", packed!("place")));

static PLACES: LazyLock<Places> = LazyLock::new(|| {
    let flat = |groups: &'static HashMap<String, Vec<String>>| {
        let names = groups.iter().flat_map(|(group, names)| {
            let names = names.iter().map(String::as_str);
            names.map(move |name| (name.as_bytes(), (group.as_str(), name)))
        });
        names.collect::<Vec<_>>()
    };
    let Ok(table) = rows(&TABLE) else {
        return Places {
            names: HashMap::default(),
            endings: Vec::new(),
        };
    };
    Places {
        names: flat(&table.names).into_iter().collect(),
        endings: flat(&table.endings)
            .into_iter()
            .map(|(ending, (row, _))| (ending, row))
            .collect(),
    }
});

/// What is in folders of that name, and the name as the table has it; nothing if the name doesn't
/// tell.
fn row_of(name: &BStr) -> Option<(&'static str, &'static str)> {
    let lower = in_small_letters(name);
    let known = PLACES.names.get(lower.as_ref()).copied();
    known
        .or_else(|| {
            let mut endings = PLACES.endings.iter();
            let (_, row) = endings.find(|(end, _)| lower.ends_with(end))?;
            Some((*row, ""))
        })
        .or_else(|| is_release(name).then_some(("vendored", "")))
}

/// A name in small letters, as most are.
pub(super) fn in_small_letters(name: &BStr) -> Cow<'_, [u8]> {
    if name.iter().any(u8::is_ascii_uppercase) {
        Cow::Owned(name.to_ascii_lowercase())
    } else {
        Cow::Borrowed(name)
    }
}

/// Whether a folder has the name of what somebody else released: `docbook-xsl-1.76.1`.
pub(super) fn is_release(name: &BStr) -> bool {
    let Some((title, version)) = name.rsplit_once_str("-") else {
        return false;
    };
    !title.is_empty()
        && version.contains(&b'.')
        && version
            .split_str(".")
            .all(|part: &[u8]| !part.is_empty() && part.iter().all(u8::is_ascii_digit))
}

/// Whether people give folders such a name, or may.
pub fn is_peoples_name(name: &BStr) -> bool {
    row_of(name).is_some()
}

/// Whether tools give folders of what they make such a name.
pub fn is_output_name(name: &BStr) -> bool {
    row_of(name).is_some_and(|(row, _)| row.starts_with("output"))
}

/// The same, but for folders of programs, where people keep scripts as well.
pub(crate) fn is_tools_output(name: &BStr) -> bool {
    is_output_name(name) && row_of(name).is_some_and(|(row, _)| row != "output-programs")
}

/// Whether only a tool gives a folder such a name, such as a package manager.
pub(crate) fn is_only_tools(name: &BStr) -> bool {
    row_of(name).is_some_and(|(row, _)| row == "output-sure")
}

/// Whether people give folders of sources such a name, and tools what they make.
pub fn is_shared_name(name: &BStr) -> bool {
    row_of(name).is_some_and(|(row, _)| {
        row.starts_with("output") && row != "output-temporary"
            || ["sources", "public", "documentation", "vendored"].contains(&row)
    })
}

/// The uppermost folder on the way to a path that tools call what they make by.
pub(crate) fn output_folder(path: &RepoPath) -> Option<&RepoPath> {
    path.folders_above()
        .find(|folder| row_of(folder.name()).is_some_and(|(row, _)| row.starts_with("output")))
}

/// The uppermost hidden folder on the way to a path that people aren't known to keep.
pub(crate) fn hidden_folder(path: &RepoPath) -> Option<&RepoPath> {
    path.folders_above()
        .find(|folder| folder.name().starts_with(b".") && row_of(folder.name()).is_none())
}

/// Whether a path, or a folder that it is in, is hidden and not one that people are known to keep.
pub fn is_in_hidden(path: &RepoPath) -> bool {
    hidden_folder(path).is_some()
        || path.is_folder() && path.name().starts_with(b".") && row_of(path.name()).is_none()
}

/// Whether people give such a name to folders of what tests are to bring about.
pub(crate) fn is_expected(name: &BStr) -> bool {
    row_of(name).is_some_and(|(row, _)| row == "expected")
}

/// The uppermost folder on the way to a path that has a version in its name.
pub(crate) fn release_folder(path: &RepoPath) -> Option<&RepoPath> {
    path.folders_above()
        .find(|folder| is_release(folder.name()))
}

/// Whether a path is in a folder of what tests are given.
pub(crate) fn is_given(path: &RepoPath) -> bool {
    path.folders_above()
        .any(|folder| row_of(folder.name()).is_some_and(|(row, _)| row == "fixtures"))
}

/// Whether a path is where people put what they did not build: tests, samples, vendored sources,
/// assets, packaging.
pub fn is_aside(path: &RepoPath) -> bool {
    // A library among libraries is what nobody builds here.
    let libraries = [".jar", ".so", ".a", ".dll", ".dylib", ".lib", ".aar"];
    let ending = path.extension();
    let is_library = ending.is_some_and(|ending| libraries.iter().any(|known| ending == known));
    if is_library && path.folders_above().any(|folder| folder.name() == "lib") {
        return true;
    }
    let aside = [
        "fixtures",
        "expected",
        "tests",
        "samples",
        "vendored",
        "assets",
        "packaging",
    ];
    let rows = path
        .folders_above()
        .filter_map(|folder| row_of(folder.name()));
    let mut rows = rows.take_while(|(row, _)| !row.starts_with("output"));
    rows.any(|(row, _)| aside.contains(&row))
}

/// Lists the checksums of all files of a vendored crate: each of them is needed as it is.
const CHECKSUMS: &str = ".cargo-checksum.json";

pub(super) fn testify(around: &Surroundings, subject: &Subject, evidence: &mut Vec<Evidence>) {
    let mut is_in_output = false;
    for folder in subject.path.folders_above() {
        let name = folder.name();
        if subject.claim.is_some() && around.tree().get(&folder.join(CHECKSUMS)).is_some() {
            let detail = Detail::Folder(name.to_owned());
            evidence.push(Evidence::new(Witness::Place, "checksummed", detail));
        }
        if !subject.hears_folders {
            continue;
        }
        // Below a folder of what tools make or hide, names say no more of what people keep.
        let row = row_of(name).filter(|(row, _)| !is_in_output || row.starts_with("output"));
        is_in_output |= row.is_some_and(|(row, _)| row.starts_with("output"));
        if let Some((row, word)) = row {
            let detail = Detail::Folder(name.to_owned());
            evidence.push(Evidence::new(Witness::Place, row, detail).with_word(word));
        } else if name.starts_with(b".") {
            is_in_output = true;
            let detail = Detail::Folder(name.to_owned());
            evidence.push(Evidence::new(Witness::Place, "hidden", detail));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_release_has_a_version_in_its_name() {
        for (name, is) in [
            ("docbook-xsl-1.76.1", true),
            ("tides-1", false),
            ("2026.11", false),
        ] {
            assert_eq!(is_release(name.into()), is, "{name}");
        }
    }

    #[test]
    fn every_name_is_in_one_group_and_in_small_letters() {
        let table = rows(&TABLE).unwrap();
        let all: Vec<&String> = table.names.values().flatten().collect();
        assert_eq!(all.len(), PLACES.names.len(), "a name is in two groups");
        for name in all.into_iter().chain(table.endings.values().flatten()) {
            assert_eq!(*name, name.to_lowercase());
        }
    }
}
