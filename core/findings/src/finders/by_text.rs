//! Text that tells where it comes from: that a tool wrote it, by what its first lines say or by
//! lines that nobody types; or whose machine it belongs to.

use crate::{ByHand, Cause, Evidence, Finding, Level, Result};
use bstr::ByteSlice;
use memchr::memmem::Finder;
use redshank_rules::PatternSet;
use redshank_rules::exactly;
use redshank_secrets::by_place;
use redshank_tables::{TableError, read, rows};
use redshank_worktree::Class;
use redshank_worktree::tree::Entry;
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
    only: Option<PatternSet>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    header: Vec<Row>,
}

const NAME: &str = "files known by their first lines";

static TABLE: LazyLock<Result<Table, TableError>> =
    LazyLock::new(|| read(NAME, include_str!("by_text.toml")));

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

/// Prose and settings, which only cover what is generated.
static PROSE: LazyLock<PatternSet> = LazyLock::new(|| {
    [
        "*.md", "*.rst", "*.txt", "*.adoc", "*.toml", "*.yml", "*.yaml", "*.json", "*.lock",
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
const LEAST_BUNDLE: usize = 4_096;

/// A mean length, in bytes, that nobody's lines have.
const LONG_LINES: usize = 700;

/// The finding on a file that starts so.
pub(super) fn finding(entry: &Entry, head: &[u8]) -> Result<Option<Finding>> {
    let by_header = by_header(entry, head)?;
    Ok(by_header.or_else(|| by_lines(entry, head).or_else(|| by_machine_path(entry, head))))
}

/// Settings that programs read, of which a path of one machine makes a personal file.
static SETTINGS: LazyLock<PatternSet> = LazyLock::new(|| {
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
const NOBODY: [&str; 61] = [
    "user",
    "username",
    "users",
    "you",
    "your",
    "yourname",
    "me",
    "myuser",
    "name",
    "example",
    "runner",
    "vscode",
    "node",
    "ubuntu",
    "debian",
    "app",
    "appuser",
    "git",
    "jovyan",
    "vagrant",
    "circleci",
    "travis",
    "build",
    "shared",
    "public",
    "default",
    "jenkins",
    "gitlab-runner",
    "coder",
    "dev",
    "developer",
    "admin",
    "pi",
    "ec2-user",
    "centos",
    "azureuser",
    "opc",
    "steam",
    "www",
    "www-data",
    "service",
    "linuxbrew",
    "container",
    "docker",
    "root",
    "test",
    "tester",
    "foo",
    "bar",
    "alice",
    "bob",
    "john",
    "jane",
    "doe",
    "johndoe",
    "somebody",
    "someone",
    "nobody",
    "worker",
    "builder",
    "ci",
];

fn by_machine_path(entry: &Entry, head: &[u8]) -> Option<Finding> {
    if !SETTINGS.has(&entry.path) || !(head.contains_str("/home/") || head.contains_str("Users")) {
        return None;
    }
    if by_place(&entry.path).is_some() {
        return None;
    }
    let is_somebody = |who: &[u8]| {
        !who.ends_with(b"user")
            && !NOBODY
                .iter()
                .any(|nobody| who.eq_ignore_ascii_case(nobody.as_bytes()))
    };
    let at = HOME
        .as_ref()?
        .captures_iter(head)
        .find_map(|found| found.name("who").filter(|who| is_somebody(who.as_bytes())))?;
    let line = head[..at.start()].find_iter("\n").count() as u64 + 1;
    let cause = Cause::MachinePath;
    Some(
        Finding::on(entry, Class::Personal, "machine-path", Level::Note, cause)
            .at_line(line)
            .with_evidence(Evidence::HomeFolder)
            .by_hand(ByHand::MakePathRelative),
    )
}

fn by_header(entry: &Entry, head: &[u8]) -> Result<Option<Finding>> {
    let start = head[..head.len().min(HEADER)].to_ascii_lowercase();
    let path = &entry.path;
    if !SIGNS.iter().any(|sign| sign.find(&start).is_some()) || PROSE.has(path) {
        return Ok(None);
    }
    let mut headers = rows(&TABLE)?
        .header
        .iter()
        .filter(|row| row.only.as_ref().is_none_or(|only| only.has(path)));
    let row = headers.find(|row| {
        row.says
            .iter()
            .any(|parts| parts.iter().all(|part| start.contains_str(part)))
    });
    Ok(row.map(|row| {
        let cause = Cause::Said(row.title.clone());
        let made = Finding::on(entry, Class::Generated, &row.name, row.level, cause)
            .with_evidence(Evidence::FirstLines);
        let remake = row.remake.clone();
        match row.level {
            Level::Note => made.by_hand(ByHand::IgnoreUnlessOnPurpose { remake }),
            Level::Error | Level::Warning => {
                made.kept_out_by(exactly(path), &*row.title, Some(remake))
            }
        }
    }))
}

fn by_lines(entry: &Entry, head: &[u8]) -> Option<Finding> {
    if head.len() < LEAST_BUNDLE || !BUNDLED.has(&entry.path) {
        return None;
    }
    let lines = memchr::memchr_iter(b'\n', head).count() + 1;
    (head.len() / lines >= LONG_LINES).then(|| {
        Finding::on(
            entry,
            Class::Generated,
            "minified",
            Level::Note,
            Cause::Bundled,
        )
        .with_evidence(Evidence::LongLines)
        .by_hand(ByHand::IgnoreIfMadeHere)
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use redshank_worktree::size::Bytes;
    use redshank_worktree::tree::{EntryKind, State};

    fn entry(path: &str) -> Entry {
        Entry {
            path: path.into(),
            state: State::Candidate,
            kind: EntryKind::File,
            size: Bytes(9_000),
            ruling: None,
        }
    }

    /// Every row's every list of words, in capitals, in a file of a name that the row allows.
    #[test]
    fn every_header_is_found_as_its_row_and_has_a_sign() {
        let headers = &rows(&TABLE).unwrap().header;
        assert!(headers.len() >= 8);
        for row in headers {
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
                let found = finding(&entry(name), text.as_bytes()).unwrap();
                let found = found.map(|found| found.rule.to_string());
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
            let found = finding(&entry("a.py"), text.as_bytes()).unwrap();
            assert!(found.is_none(), "{text}");
        }
    }

    #[test]
    fn only_scripts_with_long_lines_are_bundles_and_prose_is_nothing() {
        let line = "const level = gauge(17, 'north-jetty');";
        let typed = format!("{line}\n").repeat(300);
        let rule = |name: &str, text: &str| {
            let found = finding(&entry(name), text.as_bytes()).unwrap();
            found.map(|found| found.rule.to_string())
        };
        assert_eq!(rule("app.js", &typed), None);
        let bundled = Some("generated/minified".to_owned());
        assert_eq!(rule("app.js", &line.repeat(300)), bundled);
        assert_eq!(
            rule("notes.md", "generated by the protocol buffer compiler"),
            None
        );
        assert_eq!(rule("app.svg", &line.repeat(300)), None);
    }
}
