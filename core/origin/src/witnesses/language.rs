//! The language that a file is written in: people write some, tools write some, and some both.

use super::format::is_binary;
use super::place::output_folder;
use super::{Subject, says_so};
use crate::Surroundings;
use crate::evidence::{Detail, Evidence, Witness};
use redshank_rules::RepoPath;
use redshank_tables::{TableError, read, rows};
use serde::Deserialize;
use std::collections::HashMap;
use std::sync::LazyLock;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    code: Vec<String>,
    page: Vec<String>,
    prose: Vec<String>,
    text: Vec<String>,
    settings: Vec<String>,
    data: Vec<String>,
}

static TABLE: LazyLock<Result<Table, TableError>> =
    LazyLock::new(|| read("languages", include_str!("language.toml")));

/// What kind of language it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Group {
    Code,
    /// Scripts and pages, which bundlers and generators write as well.
    Page,
    Prose,
    /// Plain text.
    Text,
    Settings,
    Data,
}

impl Group {
    fn word(self) -> &'static str {
        match self {
            Self::Code => "code",
            Self::Page => "page",
            Self::Prose => "prose",
            Self::Text => "text",
            Self::Settings => "settings",
            Self::Data => "data",
        }
    }

    /// The kind of evidence in a folder of what tools make.
    fn in_output(self) -> &'static str {
        match self {
            Self::Code => "code-in-output",
            Self::Page => "page-in-output",
            Self::Prose => "prose-in-output",
            Self::Text => "text-in-output",
            Self::Settings => "settings-in-output",
            Self::Data => "data-in-output",
        }
    }
}

/// By the ending of the name, without its dot: the ending as the table has it, and the group.
static LANGUAGES: LazyLock<HashMap<&'static [u8], (&'static str, Group)>> = LazyLock::new(|| {
    let Ok(table) = rows(&TABLE) else {
        return HashMap::new();
    };
    let groups = [
        (&table.data, Group::Data),
        (&table.settings, Group::Settings),
        (&table.text, Group::Text),
        (&table.prose, Group::Prose),
        (&table.page, Group::Page),
        (&table.code, Group::Code),
    ];
    let endings = groups.into_iter().flat_map(|(endings, group)| {
        let endings = endings.iter().map(String::as_str);
        endings.map(move |ending| (ending.as_bytes(), (ending, group)))
    });
    endings.collect()
});

/// The language of a file of that name.
pub(crate) fn language(path: &RepoPath) -> Option<(&'static str, Group)> {
    let ending = path.extension()?[1..].to_ascii_lowercase();
    LANGUAGES.get(ending.as_slice()).copied()
}

pub(super) fn testify(_: &Surroundings, subject: &Subject, evidence: &mut Vec<Evidence>) {
    let Some((ending, group)) = language(subject.path) else {
        if subject.path.extension().is_none() && subject.head.starts_with(b"#!") {
            let detail = Detail::Said("a script");
            evidence.push(Evidence::new(Witness::Language, "script", detail));
        }
        return;
    };
    // A binary file under such a name is in no language, and an empty one says nothing, but
    // for a source that was just begun.
    let is_telling = group == Group::Code && subject.path.name() != "__init__.py";
    if is_binary(subject.head) || subject.head.is_empty() && !is_telling {
        return;
    }
    let row = match () {
        () if subject.hears_folders && output_folder(subject.path).is_some() => group.in_output(),
        () if says_so::is_bundled(subject) => "bundled",
        () => group.word(),
    };
    let detail = Detail::Extension(ending.into());
    evidence.push(Evidence::new(Witness::Language, row, detail).with_word(ending));
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn endings_are_known_whatever_their_case() {
        assert_eq!(language("src/level.RS".into()), Some(("rs", Group::Code)));
        assert_eq!(language("Makefile".into()), None);
    }
}
