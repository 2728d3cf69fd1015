//! Text that tells where it comes from: that a tool wrote it, by what its first lines say or by
//! lines that nobody types; or whose machine it belongs to.

use super::{Class, Finding, Level};
use crate::rules::Names;
use crate::templates::exactly;
use crate::tree::Entry;
use bstr::ByteSlice;
use memchr::memmem::Finder;
use regex::bytes::Regex;
use serde::Deserialize;
use std::sync::LazyLock;

/// How far a header is looked for, in bytes.
const HEADER: usize = 1500;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Row {
    name: String,
    title: String,
    says: Vec<Vec<String>>,
    level: Level,
    remake: String,
    only: Option<Names>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    header: Vec<Row>,
}

/// The table that comes with the program; the tests see to it that it can be read.
static HEADERS: LazyLock<Vec<Row>> = LazyLock::new(|| {
    toml::from_str::<Table>(include_str!("by_text.toml"))
        .map(|table| table.header)
        .unwrap_or_default()
});

/// What every header holds, one or the other: most files hold neither, and are done with.
static SIGNS: LazyLock<[Finder; 5]> = LazyLock::new(|| {
    [
        &b"generated"[..],
        b"made by",
        b"created by",
        b"from reading",
        b"\"generator\"",
    ]
    .map(Finder::new)
});

/// Prose and settings, which only speak of what is generated.
static PROSE: LazyLock<Names> = LazyLock::new(|| {
    [
        "*.md", "*.rst", "*.txt", "*.adoc", "*.toml", "*.yml", "*.yaml", "*.json", "*.lock",
    ]
    .map(str::to_owned)
    .to_vec()
    .into()
});

/// Scripts and styles, of which bundlers write whole programs into few lines.
static BUNDLED: LazyLock<Names> = LazyLock::new(|| {
    ["*.js", "*.mjs", "*.cjs", "*.css"]
        .map(str::to_owned)
        .to_vec()
        .into()
});

/// From this size on, in bytes, a script is looked at for lines that nobody types.
const LEAST_BUNDLE: usize = 4_096;

/// A mean length, in bytes, that nobody's lines have.
const LONG_LINES: usize = 700;

/// The finding on a file that starts so.
pub(super) fn finding(entry: &Entry, head: &[u8]) -> Option<Finding> {
    by_header(entry, head)
        .or_else(|| by_lines(entry, head))
        .or_else(|| by_machine_path(entry, head))
}

/// Settings that programs read, of which a path of one machine makes a personal file.
static SETTINGS: LazyLock<Names> = LazyLock::new(|| {
    let names = [
        "*.ini",
        "*.cfg",
        "*.conf",
        "*.toml",
        "*.json",
        "*.yml",
        "*.yaml",
        "*.properties",
        "*.props",
        "*.xml",
    ];
    let without = [
        "!*.lock",
        "!package-lock.json",
        "!*.example*",
        "!*.sample*",
        "!*.schema.json",
        "!**/fixtures/**",
        "!**/testdata/**",
    ];
    names
        .iter()
        .chain(&without)
        .map(ToString::to_string)
        .collect::<Vec<_>>()
        .into()
});

/// A home folder of somebody who has a name.
static HOME: LazyLock<Option<Regex>> = LazyLock::new(|| {
    Regex::new(r#"(?-u)(?:^|["'=:\s(])(?:/home/|/Users/|[A-Za-z]:\\{1,2}Users\\{1,2})(?P<who>[A-Za-z][\w.-]*)[/\\]"#)
        .ok()
});

/// Names that stand for anybody, for a service or for a system's own user.
const NOBODY: [&str; 26] = [
    "user", "username", "users", "you", "your", "yourname", "me", "myuser", "name", "example",
    "runner", "vscode", "node", "ubuntu", "debian", "app", "appuser", "git", "jovyan", "vagrant",
    "circleci", "travis", "build", "shared", "public", "default",
];

fn by_machine_path(entry: &Entry, head: &[u8]) -> Option<Finding> {
    if !SETTINGS.has(entry.path.as_bstr())
        || !(head.contains_str("/home/") || head.contains_str("Users"))
    {
        return None;
    }
    let is_somebody = |who: &[u8]| {
        !NOBODY
            .iter()
            .any(|nobody| who.eq_ignore_ascii_case(nobody.as_bytes()))
    };
    let at = HOME
        .as_ref()?
        .captures_iter(head)
        .find_map(|found| found.name("who").filter(|who| is_somebody(who.as_bytes())))?;
    let line = head[..at.start()].find_iter("\n").count() as u64 + 1;
    let message = "a path of one person's machine; it leads nowhere elsewhere";
    let made =
        Finding::on(entry, Class::Personal, "machine-path", Level::Note, message).at_line(line);
    Some(
        made.with_evidence("a home folder")
            .by_hand("make it relative, or read it from the environment"),
    )
}

fn by_header(entry: &Entry, head: &[u8]) -> Option<Finding> {
    let start = head[..head.len().min(HEADER)].to_ascii_lowercase();
    if !SIGNS.iter().any(|sign| sign.find(&start).is_some()) {
        return None;
    }
    let path = entry.path.as_bstr();
    if PROSE.has(path) {
        return None;
    }
    let says = |parts: &Vec<String>| parts.iter().all(|part| start.contains_str(part));
    let of_name = |row: &&Row| row.only.as_ref().is_none_or(|only| only.has(path));
    let row = HEADERS
        .iter()
        .filter(of_name)
        .find(|row| row.says.iter().any(says))?;
    let made = Finding::on(entry, Class::Generated, &row.name, row.level, &*row.title)
        .with_evidence("by its first lines");
    Some(match row.level {
        Level::Note => made.by_hand(format!(
            "if it isn't kept on purpose, ignore it; made again by: {}",
            row.remake
        )),
        Level::Error | Level::Warning => {
            made.kept_out_by(exactly(path), &*row.title, Some(row.remake.clone()))
        }
    })
}

fn by_lines(entry: &Entry, head: &[u8]) -> Option<Finding> {
    if head.len() < LEAST_BUNDLE || !BUNDLED.has(entry.path.as_bstr()) {
        return None;
    }
    let lines = memchr::memchr_iter(b'\n', head).count() + 1;
    let title =
        "a bundled or minified script or style; fine if it is somebody else's and kept on purpose";
    let made = Finding::on(entry, Class::Generated, "minified", Level::Note, title);
    (head.len() / lines >= LONG_LINES).then(|| {
        made.with_evidence("by its lines, which nobody types")
            .by_hand("if it is made here, ignore it; made again by: build again")
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::size::Bytes;
    use crate::tree::{Kind, State};

    fn entry(path: &str) -> Entry {
        Entry {
            path: path.into(),
            state: State::Candidate,
            kind: Kind::File,
            size: Bytes(9_000),
            ruling: None,
        }
    }

    /// Every row's every list of words, in capitals, in a file of a name that the row allows.
    #[test]
    fn every_header_is_found_as_its_row_and_has_a_sign() {
        assert!(HEADERS.len() >= 8);
        for row in HEADERS.iter() {
            for parts in &row.says {
                let text = parts.join("\n * ").to_ascii_uppercase();
                let name = if row
                    .only
                    .as_ref()
                    .is_some_and(|only| only.has("a.html".into()))
                {
                    "a.html"
                } else {
                    "a.go"
                };
                let found = finding(&entry(name), text.as_bytes()).map(|found| found.rule);
                assert_eq!(found, Some(format!("generated/{}", row.name)), "{parts:?}");
            }
        }
    }

    #[test]
    fn a_word_in_prose_is_no_header() {
        for text in [
            "The tide tables are generated by hand.",
            "# Random values are generated here, do edit them",
        ] {
            assert!(finding(&entry("a.py"), text.as_bytes()).is_none(), "{text}");
        }
    }

    #[test]
    fn only_scripts_with_long_lines_are_bundles_and_prose_is_nothing() {
        let line = "const level = gauge(17, 'north-jetty');";
        let typed = format!("{line}\n").repeat(300);
        assert!(finding(&entry("app.js"), typed.as_bytes()).is_none());
        assert_eq!(
            finding(&entry("app.js"), line.repeat(300).as_bytes()).map(|f| f.rule),
            Some("generated/minified".into())
        );
        assert!(
            finding(
                &entry("notes.md"),
                b"generated by the protocol buffer compiler"
            )
            .is_none()
        );
        assert!(finding(&entry("app.svg"), line.repeat(300).as_bytes()).is_none());
    }
}
