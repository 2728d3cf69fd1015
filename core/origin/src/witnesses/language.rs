//! The language that a file is written in: people write some, tools write some, and some both.

use super::name::is_tools_name;
use super::place::in_small_letters;
use super::{Basis, Subject, declared, says_so};
use crate::Surroundings;
use crate::evidence::{Detail, Evidence, Witness};
use bstr::ByteSlice;
use foldhash::fast::FixedState;
use redshank_rules::RepoPath;
use redshank_tables::{TableError, packed, read, rows};
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
    LazyLock::new(|| read("languages", packed!("language")));

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
    /// The kind of evidence, by what is known of the place already.
    fn row(self, about: About) -> &'static str {
        let [plain, in_output, in_hidden, named, in_named] = match self {
            Self::Code => [
                "code",
                "code-in-output",
                "code-in-hidden",
                "code-named",
                "code-in-named",
            ],
            Self::Page => [
                "page",
                "page-in-output",
                "page-in-hidden",
                "page-named",
                "page-in-named",
            ],
            Self::Prose => [
                "prose",
                "prose-in-output",
                "prose-in-hidden",
                "prose-named",
                "prose-in-named",
            ],
            Self::Text => [
                "text",
                "text-in-output",
                "text-in-hidden",
                "text-named",
                "text-in-named",
            ],
            Self::Settings => [
                "settings",
                "settings-in-output",
                "settings-in-hidden",
                "settings-named",
                "settings-in-named",
            ],
            Self::Data => [
                "data",
                "data-in-output",
                "data-in-hidden",
                "data-named",
                "data-in-named",
            ],
        };
        match about {
            About::Nothing => plain,
            About::Output => in_output,
            About::Hidden => in_hidden,
            About::Named => named,
            About::InNamed => in_named,
        }
    }
}

/// What is known of a file before its language is: a language says less where another witness has
/// named it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum About {
    Nothing,
    /// It is in a folder of what tools make, by that folder's name.
    Output,
    /// It is in a hidden folder that people aren't known to keep.
    Hidden,
    /// A template names the file, or it has a name that only tools give.
    Named,
    /// A template names a folder that it is in.
    InNamed,
}

impl About {
    fn of(subject: &Subject) -> Self {
        let path = subject.path;
        match subject.claim {
            Some(claim) if !claim.is_of_folder() && claim.basis != Basis::AnyName => Self::Named,
            _ if is_tools_name(path) => Self::Named,
            _ if !subject.hears_folders => Self::Nothing,
            _ if subject.output.is_some() => Self::Output,
            _ if subject.hidden.is_some() => Self::Hidden,
            Some(claim) if claim.is_of_folder() => Self::InNamed,
            _ => Self::Nothing,
        }
    }
}

/// By the ending of the name, without its dot: the ending as the table has it, and the group.
type Languages = HashMap<&'static [u8], (&'static str, Group), FixedState>;

static LANGUAGES: LazyLock<Languages> = LazyLock::new(|| {
    let Ok(table) = rows(&TABLE) else {
        return Languages::default();
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
    let ending = &path.extension()?[1..];
    LANGUAGES.get(in_small_letters(ending).as_ref()).copied()
}

pub(super) fn testify(around: &Surroundings, subject: &Subject, evidence: &mut Vec<Evidence>) {
    let Some((ending, group)) = subject.language else {
        let is_named = About::of(subject) == About::Named;
        if !is_named && subject.path.extension().is_none() && subject.head.starts_with(b"#!") {
            let detail = Detail::Said("a script");
            evidence.push(Evidence::new(Witness::Language, "script", detail));
        }
        return;
    };
    let group = match ending {
        // What depends on what, as compilers write it for make, or a source in D.
        "d" if is_source_in_d(subject.head) => Group::Code,
        _ => group,
    };
    // A binary file under such a name is in no language, and an empty one says nothing, but
    // for a source that was just begun.
    let is_telling = group == Group::Code && subject.path.name() != "__init__.py";
    if subject.is_binary || subject.head.is_empty() && !is_telling {
        return;
    }
    let is_code = matches!(group, Group::Code | Group::Prose);
    let row = match About::of(subject) {
        // What a script says that it writes, it writes in whatever language.
        About::Nothing if !is_code && around.declared().writes(subject.path) => {
            group.row(About::Named)
        }
        About::Nothing if says_so::is_bundled(subject) => "bundled",
        About::Nothing if group != Group::Code && declared::is_in_output(around, subject) => {
            group.row(About::InNamed)
        }
        about => group.row(about),
    };
    let detail = Detail::Extension(ending);
    evidence.push(Evidence::new(Witness::Language, row, detail).with_word(ending));
}

/// Whether a text is a source in D, not what a file depends on: `gauge.o: gauge.c level.h`.
pub(super) fn is_source_in_d(head: &[u8]) -> bool {
    head.lines().any(|line| line.trim_end().ends_with(b";"))
}

/// Whether a file's name is that of a source in a programming language.
pub fn is_source_name(path: &RepoPath) -> bool {
    matches!(language(path), Some((_, Group::Code)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn endings_are_known_whatever_their_case() {
        assert_eq!(language("src/level.RS".into()), Some(("rs", Group::Code)));
        assert_eq!(language("Makefile".into()), None);
    }

    #[test]
    fn a_source_in_d_is_no_list_of_dependencies() {
        assert!(!is_source_in_d(b"build/gauge.o: gauge.c \\\n level.h\n"));
        assert!(is_source_in_d(b"module gauge;\nimport std.stdio;\n"));
    }
}
