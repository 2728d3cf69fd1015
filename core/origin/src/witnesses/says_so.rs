//! What a file says of itself: generators mark what they write, bundlers write lines that nobody
//! types.

use super::Subject;
use super::format::is_binary;
use super::language::language;
use super::name::is_hashed;
use crate::evidence::{Detail, Evidence, Origin, Witness};
use crate::{HEAD, Surroundings};
use bstr::ByteSlice;
use memchr::memmem::Finder;
use redshank_rules::{PatternSet, RepoPath};
use redshank_tables::{TableError, packed, read, rows};
use regex::bytes::Regex;
use serde::Deserialize;
use std::sync::LazyLock;

/// How far a mark is looked for, in bytes.
const HEADER: usize = 2_000;

/// A way in which a tool says that it made a file.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Mark {
    /// The kind of evidence.
    pub name: String,
    /// What such a file is.
    pub title: String,
    says: Vec<Vec<Words>>,
    /// The command that makes it again, or what to do.
    pub remake: String,
    only: Option<PatternSet>,
    /// How far the words may be from the start, in bytes.
    start: Option<usize>,
    /// What such files are made of: where one is here, they are made here.
    made_of: Option<PatternSet>,
    /// Many keep such files on purpose.
    #[serde(default)]
    pub kept: bool,
}

/// Words in small letters, ready to be found.
#[derive(Deserialize)]
#[serde(from = "String")]
struct Words(Finder<'static>);

impl From<String> for Words {
    fn from(words: String) -> Self {
        Self(Finder::new(words.as_bytes()).into_owned())
    }
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    /// Names of what a tool always marks.
    always_marked: PatternSet,
    mark: Vec<Mark>,
}

static TABLE: LazyLock<Result<Table, TableError>> =
    LazyLock::new(|| read("marks of tools", packed!("says_so")));

/// The same from the end, in bytes, of a file that was read whole or is signed there.
pub(crate) const FOOTER: usize = 1_000;

/// What most marks hold one of: a file with none of these is asked only for marks of its own type.
static SIGNS: LazyLock<[Finder; 7]> = LazyLock::new(|| {
    [
        &b"generated"[..],
        b"made by",
        b"created",
        b"from reading",
        b"generator",
        b"do not edit",
        b"produced by",
    ]
    .map(Finder::new)
});

/// What has every name that a mark is bound to, for most files have none.
static BOUND: LazyLock<PatternSet> = LazyLock::new(|| {
    let marks = rows(&TABLE).map_or(&[][..], |table| &table.mark);
    PatternSet::of_all(marks.iter().filter_map(|mark| mark.only.as_ref()))
});

/// Prose and settings, which only write of what is generated.
static PROSE: LazyLock<PatternSet> = LazyLock::new(|| {
    [
        "*.md", "*.rst", "*.adoc", "*.toml", "*.yml", "*.yaml", "*.lock",
    ]
    .map(str::to_owned)
    .to_vec()
    .into()
});

/// Scripts and styles, of which bundlers write whole programs into few lines.
static BUNDLED: LazyLock<PatternSet> = LazyLock::new(|| {
    ["*.js", "*.mjs", "*.cjs", "*.css"]
        .map(str::to_owned)
        .to_vec()
        .into()
});

/// From this size on, in bytes, a script is looked at for lines that nobody types.
const LEAST_BUNDLE: usize = 2_048;

/// A mean length, in bytes, that nobody's lines have.
const LONG_LINES: usize = 500;

pub(super) fn testify(around: &Surroundings, subject: &Subject, evidence: &mut Vec<Evidence>) {
    if is_signed_at_end(subject.path) && loads_hashed(subject.head) {
        let detail =
            Detail::Said("the scripts that it loads have a hash of their contents in their names");
        evidence.push(Evidence::new(Witness::SaysSo, "bundled-page", detail));
    }
    if let Some(mark) = mark_of(subject.path, subject.head) {
        let source = mark
            .made_of
            .as_ref()
            .and_then(|of| around.first_of(&mark.name, of));
        if let Some(source) = source.filter(|source| **source != *subject.path) {
            let found = Evidence::new(Witness::Derived, "of-its-kind", Detail::MadeOf(source));
            evidence.push(found);
        }
        let found = Evidence::new(Witness::SaysSo, &mark.name, Detail::Said(&mark.title));
        evidence.push(found);
    } else if rows(&TABLE).is_ok_and(|table| table.always_marked.has(subject.path))
        && !subject.head.is_empty()
    {
        let detail =
            Detail::Said("the tool that makes such files marks them, and this one has no mark");
        evidence.push(Evidence::new(Witness::SaysSo, "unmarked", detail));
    }
    if is_of_one_machine(subject.path, subject.head) {
        let detail =
            Detail::Said("its first line names a program in its own folder on one machine");
        let found = Evidence::new(Witness::SaysSo, "machine-script", detail);
        evidence.push(found.with_origin(Origin::Local));
    }
    if is_list_of_dependencies(subject) {
        let detail = Detail::Said("what is made of what, as compilers write it down");
        evidence.push(Evidence::new(Witness::SaysSo, "dependencies", detail));
    }
    if is_inlined(subject) {
        let detail =
            Detail::Said("a page with a program in it whose lines are nothing that anybody types");
        evidence.push(Evidence::new(Witness::SaysSo, "inlined-page", detail));
    }
    if is_bundled(subject) {
        let detail = Detail::Said(
            "a bundled or minified script or style: its lines are nothing that anybody types",
        );
        evidence.push(Evidence::new(Witness::SaysSo, "minified", detail));
    }
}

/// How files end in which compilers write down what they read, for make.
const DEPENDENCIES: [&[u8]; 7] = [b".d", b".dd", b".dep", b".deps", b".P", b".Po", b".Plo"];

/// Whether all lines of a file say what is made of what: `gauge.o: gauge.c level.h`.
fn is_list_of_dependencies(subject: &Subject) -> bool {
    let ending = subject.path.extension();
    if ending.is_none_or(|ending| !DEPENDENCIES.contains(&ending.as_bytes())) || subject.is_binary {
        return false;
    }
    let mut goes_on = false;
    let mut count = 0;
    let mut lines: Vec<&[u8]> = subject.head.lines().map(ByteSlice::trim_end).collect();
    if subject.head.len() as u64 >= HEAD {
        lines.pop(); // It is cut.
    }
    for line in lines {
        let is_rule = line.find_byte(b':').is_some_and(|colon| {
            colon > 0 && matches!(line.get(colon + 1), None | Some(b' ' | b'\t'))
        });
        if !goes_on && !line.is_empty() && !line.starts_with(b"#") {
            if !is_rule || line.ends_with(b";") || line.contains(&b'=') {
                return false;
            }
            count += 1;
        }
        goes_on = line.ends_with(b"\\");
    }
    count > 0
}

/// A length, in bytes, that no line of a page has that somebody typed.
const LONG_LINE: usize = 4_000;

/// Whether a page has a whole program in one line, as reports that are one file have it. A picture
/// in a page is long as well.
fn is_inlined(subject: &Subject) -> bool {
    let is_page = matches!(subject.language, Some(("html" | "htm" | "xhtml", _)));
    is_page
        && subject.head.lines().any(|line| {
            line.len() >= LONG_LINE
                && line.contains_str("function")
                && !line.contains_str(";base64,")
        })
}

/// Whether a page loads a script or a style from beside it whose name holds a hash: a bundler wrote
/// it there.
fn loads_hashed(head: &[u8]) -> bool {
    LOADED.captures_iter(head).any(|found| {
        let name = found.get(1).map_or(&[][..], |name| name.as_bytes());
        is_hashed(name.as_bstr())
    })
}

/// The name of a script or a style that a page loads from its own place.
#[allow(clippy::expect_used, reason = "the tests compile it")]
static LOADED: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new(
        r#"(?i-u)(?:src|href)=["']?(?:[a-z0-9_./@-]*/)?([a-z0-9_@~-][a-z0-9_.@~-]*\.(?:js|mjs|css))["'\s>?]"#,
    )
    .expect("an expression of the program's own")
});

/// The mark of a kind of evidence, by its name.
pub fn mark(name: &str) -> Option<&'static Mark> {
    let marks = rows(&TABLE).map_or(&[][..], |table| &table.mark);
    marks.iter().find(|mark| mark.name == name)
}

/// Whether a file that starts so says that a tool made it.
pub(crate) fn is_marked(path: &RepoPath, head: &[u8]) -> bool {
    mark_of(path, head).is_some()
}

/// Whether the tools that write such files sign them in the last line.
pub(crate) fn is_signed_at_end(path: &RepoPath) -> bool {
    let signed = ["html", "htm", "xhtml", "js", "mjs", "cjs", "css"];
    language(path).is_some_and(|(ending, _)| signed.contains(&ending))
}

/// What a file that starts so says of itself.
fn mark_of(path: &RepoPath, head: &[u8]) -> Option<&'static Mark> {
    let mut start = head[..head.len().min(HEADER)].to_ascii_lowercase();
    if is_binary(&start) {
        return None;
    }
    if head.len() > HEADER && ((head.len() as u64) < HEAD || is_signed_at_end(path)) {
        let footer = HEADER.max(head.len().saturating_sub(FOOTER));
        start.push(b'\n');
        start.extend(head[footer..].to_ascii_lowercase());
    }
    let marks = rows(&TABLE).map_or(&[][..], |table| &table.mark);
    let is_signed = SIGNS.iter().any(|sign| sign.find(&start).is_some()) && !PROSE.has(path);
    let is_bound = BOUND.has(path);
    if !is_signed && !is_bound {
        return None;
    }
    marks.iter().find(|mark| {
        let may_be = mark
            .only
            .as_ref()
            .map_or(is_signed, |only| is_bound && only.has(path));
        let start = &start[..mark.start.unwrap_or(start.len()).min(start.len())];
        may_be
            && mark
                .says
                .iter()
                .any(|parts| parts.iter().all(|part| part.0.find(start).is_some()))
    })
}

/// Whether a script is started by a program in its own folder, as package managers write them into
/// an environment: `#!/home/nia/tides/venv/bin/python` in `venv/bin/`.
fn is_of_one_machine(path: &RepoPath, head: &[u8]) -> bool {
    let Some(program) = head.strip_prefix(b"#!").map(ByteSlice::trim_start) else {
        return false;
    };
    let line = program.lines().next().unwrap_or_default();
    let Some((folder, _)) = line.rsplit_once_str("/") else {
        return false;
    };
    let own = path.folder().bare();
    let Some(last) = own.rfind_byte(b'/') else {
        return false;
    };
    let start = own[..last].rfind_byte(b'/').map_or(0, |at| at + 1);
    let end = [b"/", own[start..].as_bytes()].concat();
    folder.starts_with(b"/") && folder.ends_with(&end) && !folder.starts_with(b"/usr/")
}

/// Whether a script's lines are nothing that anybody types.
pub(super) fn is_bundled(subject: &Subject) -> bool {
    let head = subject.head;
    if head.len() < LEAST_BUNDLE || !BUNDLED.has(subject.path) {
        return false;
    }
    let lines = memchr::memchr_iter(b'\n', head).count() + 1;
    head.len() / lines >= LONG_LINES
}

#[cfg(test)]
mod tests {
    use super::*;
    use redshank_worktree::size::Bytes;

    /// Every row's every list of words, in capitals, in a file of a name that the row allows.
    #[test]
    fn a_page_that_loads_hashed_scripts_from_beside_it_is_a_bundlers() {
        assert!(loads_hashed(
            b"<script type=module src=\"./assets/index-BkF3x9Qa.js\">"
        ));
        assert!(loads_hashed(
            b"<link rel=stylesheet href='/tide/main.51c6dc62.css'>"
        ));
        assert!(!loads_hashed(
            b"<script src=\"lib/gauge-4.3.1.min.js\"></script>"
        ));
        assert!(!loads_hashed(
            b"<script src=\"https://cdn.example.org/main.51c6dc62.js\">"
        ));
    }

    #[test]
    fn a_list_of_dependencies_has_nothing_else_in_it() {
        let is = |path: &str, text: &str| {
            let subject = Subject::new(path.into(), Bytes(0), text.as_bytes(), None, true);
            is_list_of_dependencies(&subject)
        };
        assert!(is(
            "build/gauge.d",
            "gauge.o: gauge.c \\\n level.h\n\nlevel.h:\n"
        ));
        assert!(is(".Makefile.d", "Tides.vo Tides.glob: Tides.v \n"));
        for text in [
            "module gauge;\nimport std.stdio;\n",
            "",
            "level: 3\nrate = 4\n",
            "case 1: run();\n",
        ] {
            assert!(!is("gauge.d", text), "{text}");
        }
        assert!(!is("gauge.mk", "gauge.o: gauge.c\n"));
    }

    #[test]
    fn a_program_in_one_line_of_a_page_was_not_typed() {
        let page = |line: &str| format!("<!doctype html>\n<script>{line}</script>\n");
        let is = |path: &str, text: &str| {
            is_inlined(&Subject::new(
                path.into(),
                Bytes(0),
                text.as_bytes(),
                None,
                true,
            ))
        };
        let program = "(function(){return 1})();".repeat(400);
        assert!(is("stats.html", &page(&program)));
        assert!(!is("stats.js", &page(&program)));
        assert!(!is("stats.html", &page("function tide() { return 1 }")));
        assert!(!is(
            "stats.html",
            &page(&format!("<img src=\"data:image/png;base64,{program}"))
        ));
    }

    #[test]
    fn every_mark_is_found() {
        let marks = &rows(&TABLE).unwrap().mark;
        assert!(marks.len() >= 8);
        let names = [
            "a.go",
            "a.html",
            "a.js",
            "a.svg",
            "a.xml",
            "a.log",
            "a.lst",
            "METADATA",
            "a.cmd",
            "a.1",
            "activate.fish",
        ];
        for mark in marks {
            for parts in &mark.says {
                let words = parts.iter().map(|part| part.0.needle());
                let text = bstr::join("\n * ", words).to_ascii_uppercase();
                let found = names.iter().any(|name| {
                    let found = mark_of(RepoPath::new(name), &text);
                    found.is_some_and(|found| found.name == mark.name)
                });
                assert!(found, "{}: {}", mark.name, text.as_bstr());
            }
        }
    }

    #[test]
    fn a_script_of_one_machine_is_started_by_a_program_beside_it() {
        for (path, line, is) in [
            ("venv/bin/tides", "#!/home/nia/hub/venv/bin/python\n", true),
            (
                "hub/venv/bin/tides",
                "#! /home/nia/hub/venv/bin/python3 -I\n",
                true,
            ),
            ("bin/tides", "#!/usr/bin/python3\n", false),
            ("root/usr/bin/tides", "#!/usr/bin/env python3\n", false),
            ("scripts/tides", "#!/home/nia/bin/python\n", false),
            ("tides", "#!/bin/sh\n", false),
        ] {
            assert_eq!(
                is_of_one_machine(path.into(), line.as_bytes()),
                is,
                "{path}: {line}"
            );
        }
    }

    #[test]
    fn a_word_in_prose_is_no_mark() {
        for text in [
            "The tide tables are generated by hand.",
            "# Random values are generated here, do edit them",
        ] {
            assert!(mark_of("a.py".into(), text.as_bytes()).is_none(), "{text}");
        }
    }
}
