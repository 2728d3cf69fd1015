//! The table of credential formats.

use super::keywords::Keywords;
use super::names;
use super::proof::Proof;
use super::quoting::Quoting;
use super::shape;
use bstr::ByteSlice;
use redshank_rules::PatternSet;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_tables::{TableError, packed, read, rows};
use regex::bytes::{Regex, RegexBuilder};
use serde::Deserialize;
use std::cell::Cell;
use std::collections::BTreeMap;
use std::ops::Range;
use std::sync::{LazyLock, OnceLock};

/// A row of the table as it is written.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Row {
    name: String,
    title: String,
    #[serde(default)]
    keywords: Vec<String>,
    token: Option<String>,
    pattern: Option<String>,
    #[serde(default)]
    proof: Proof,
    only: Option<FileCategory>,
    #[serde(default)]
    by: By,
    issued: Option<bool>,
    replace: Option<String>,
    #[serde(default)]
    armour: bool,
    #[serde(default)]
    client: bool,
}

/// A kind of file, by its name, that formats may be limited to.
#[derive(Deserialize, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
#[serde(rename_all = "lowercase")]
pub(super) enum FileCategory {
    Environment,
    Settings,
    Markup,
    Code,
    Registry,
    /// Of which lines are commands.
    Shell,
    Prose,
    /// Of which most values are fillings-in.
    Sample,
    /// A list with a head.
    Table,
    /// Statements of a database.
    Statements,
    /// A login and its password a line.
    Logins,
    /// In a programming language: what stands bare in it is a name, not a value.
    Source,
}

impl FileCategory {
    /// All that are looked into closely.
    pub(super) const ALL: [Self; 7] = [
        Self::Environment,
        Self::Settings,
        Self::Markup,
        Self::Code,
        Self::Registry,
        Self::Shell,
        Self::Prose,
    ];
}

/// What a pattern is tried on.
#[derive(Deserialize, Clone, Copy, PartialEq, Eq, Default)]
#[serde(rename_all = "lowercase")]
pub(super) enum By {
    /// The line that holds the keyword.
    #[default]
    Line,
    /// From where the name starts that holds the keyword, to the line's end.
    Word,
    /// From where the token starts that holds the keyword, to the line's end.
    Token,
    Text,
    /// Nothing: it is the name for what names are given in its kind of file.
    Assignment,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    format: Vec<Row>,
    call: Vec<CallRow>,
    command: Vec<CommandRow>,
    file: Vec<FileRow>,
    kinds: BTreeMap<FileCategory, PatternSet>,
}

/// Functions that take a secret at a place among their arguments.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct CallRow {
    names: Vec<String>,
    /// How many arguments are before it.
    #[serde(default)]
    behind: usize,
    /// The argument is a login and the secret, with a colon between.
    #[serde(default)]
    login: bool,
    /// Other things are called so, too: a word isn't enough, and what is before it is texts and numbers.
    #[serde(default)]
    mixed: bool,
}

/// Commands that take a secret on their line.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct CommandRow {
    names: Vec<String>,
    /// Options before it, glued to it or not; none if it is a word by itself.
    #[serde(default)]
    options: Vec<String>,
    /// How many words are before it, where it is one by itself.
    #[serde(default)]
    behind: usize,
    /// A login and the secret, with one of these signs between.
    login: Option<String>,
}

/// A pattern of one of some words.
fn one_of(words: &[String]) -> String {
    let words: Vec<String> = words.iter().map(|word| regex::escape(word)).collect();
    words.join("|")
}

impl CallRow {
    fn row(self) -> Row {
        let names = one_of(&self.names);
        let text = r#""(?:[^"\\\n]|\\.)*"|'(?:[^'\\\n]|\\.)*'"#;
        let argument = if self.mixed {
            format!(r"(?:{text}|\d+)\s*(?:,|=>)")
        } else {
            format!(r#"(?:[^,"'()\n]|{text}|\([^()\n]*\))*?(?:,|=>)"#)
        };
        let login = if self.login {
            r#"(?P<login>[^"':\n]{1,80}):"#
        } else {
            ""
        };
        let secret = r#"(?P<secret>[^"'\s]{4,200})["']"#;
        let pattern = format!(
            r#"(?i)(?:{names})\(\s*(?:{argument}\s*){{{behind}}}(?:some\(|new\s+|@|b|n|u|l|r|\[\]byte\()?\s*["']{login}{secret}"#,
            behind = self.behind
        );
        Row {
            title: "a password handed to what connects or signs".to_owned(),
            // An only argument may be anything.
            proof: if self.behind == 0 || self.mixed {
                Proof::Mixed
            } else {
                Proof::Chosen
            },
            ..Row::chosen(
                "password-in-call",
                self.names.iter().map(|name| format!("{name}(")),
                pattern,
            )
        }
    }
}

impl CommandRow {
    fn row(self) -> Row {
        let names = one_of(&self.names);
        let options = one_of(&self.options);
        let before = if self.options.is_empty() {
            format!(r"(?:[^\s|;&]+\s+){{{}}}", self.behind)
        } else {
            format!(r#"(?:[^\n|;&]{{0,200}}?[\s"'])??(?:{options})(?:=|["',]*\s*)"#)
        };
        let login = self
            .login
            .map(|signs| format!(r#"(?P<login>[^\s"'{signs}]{{1,80}})[{signs}]["']?"#));
        let pattern = format!(
            r#"(?i)(?:^|[\s"'`(\[/\\;&|=])(?:{names})(?:\.exe|\.cmd)?["',]*\s+{before}["']?{login}(?P<secret>[^\s"'$<{{`|;&%-][^\s"'`|;&]{{3,120}})"#,
            login = login.unwrap_or_default()
        );
        let words = self.names.iter().map(|name| format!("{name} "));
        Row {
            title: "a password on a command line".to_owned(),
            ..Row::chosen("command-line-password", words, pattern)
        }
    }
}

impl Row {
    /// About what somebody chose, found by a pattern on its line.
    fn chosen(name: &str, keywords: impl Iterator<Item = String>, pattern: String) -> Self {
        Self {
            name: name.to_owned(),
            title: String::new(),
            keywords: keywords.collect(),
            token: None,
            pattern: Some(pattern),
            proof: Proof::Mixed,
            only: None,
            by: By::Line,
            issued: None,
            replace: None,
            armour: false,
            client: false,
        }
    }
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct FileRow {
    pub(super) name: String,
    pub(super) title: String,
    patterns: PatternSet,
}

/// A credential format, ready to be looked for.
pub(super) struct Format {
    pub(super) name: String,
    pub(super) title: String,
    /// As it is written, and ready once it was wanted: most files make few of them ready.
    written: String,
    ready: OnceLock<Result<Regex, String>>,
    pub(super) proof: Proof,
    pub(super) only: Option<FileCategory>,
    by: By,
    /// Where it is undone and made again.
    pub(super) replace: Option<String>,
    /// Its issuer's form tells it: it works wherever it is read.
    pub(super) is_issued: bool,
    /// It is a key between lines that say what it is.
    pub(super) is_armour: bool,
    /// Its issuer has such for programs that anybody can look into, too.
    pub(super) is_client_key: bool,
}

/// The kinds of a file, each told when it is asked for: most files need few of them told.
pub(super) struct Kinds<'a> {
    formats: &'a Formats,
    /// Without one, it is of any kind that is looked into closely.
    path: Option<&'a RepoPath>,
    /// As bits, by their places: which were asked for, and which it is of.
    asked: Cell<u32>,
    is_of: Cell<u32>,
    /// Whether its lines are settings, once that was asked.
    is_settings: Cell<Option<bool>>,
}

impl<'a> Kinds<'a> {
    /// Those of a file.
    pub(super) fn at(formats: &'a Formats, path: &'a RepoPath) -> Self {
        Self {
            path: Some(path),
            ..Self::any(formats)
        }
    }

    /// All that are looked into closely.
    pub(super) fn any(formats: &'a Formats) -> Self {
        let bits = FileCategory::ALL.iter().map(|kind| 1 << *kind as u32);
        Self {
            formats,
            path: None,
            asked: Cell::new(0),
            is_of: Cell::new(bits.sum()),
            is_settings: Cell::new(None),
        }
    }

    /// Whether values stand bare behind their names in it: by its name, or by its lines, where its
    /// name says nothing.
    pub(super) fn is_settings(&self, text: &[u8]) -> bool {
        use FileCategory::{Markup, Prose, Settings, Shell, Source, Statements, Table};
        if self.has(Settings) {
            return true;
        }
        let is_known = [Markup, Prose, Shell, Source, Statements, Table];
        if let Some(known) = self.is_settings.get() {
            return known;
        }
        let is_settings = self.path.is_some()
            && !is_known.iter().any(|kind| self.has(*kind))
            && shape::is_settings(text);
        self.is_settings.set(Some(is_settings));
        is_settings
    }

    pub(super) fn has(&self, kind: FileCategory) -> bool {
        let bit = 1 << kind as u32;
        if let (Some(path), 0) = (self.path, self.asked.get() & bit) {
            let names = self.formats.kinds.get(&kind);
            // A copy of an environment file is one for filling in, or has a name of its own.
            let inner = (kind != FileCategory::Environment)
                .then(|| inner_name(path))
                .flatten();
            let is_of = names.is_some_and(|names| {
                names.has(path) || inner.is_some_and(|inner| names.has(&inner))
            });
            let others = self.is_of.get() & !bit;
            self.is_of.set(others | if is_of { bit } else { 0 });
            self.asked.set(self.asked.get() | bit);
        }
        self.is_of.get() & bit != 0
    }
}

/// Endings behind a name that say which copy of a file it is, or that something is filled in; its
/// kind is that of the name without them.
const COPIES: &[&str] = &[
    ".j2",
    ".jinja",
    ".jinja2",
    ".tmpl",
    ".tpl",
    ".gotmpl",
    ".mustache",
    ".hbs",
    ".erb",
    ".ejs",
    ".in",
    ".old",
    ".bak",
    ".backup",
    ".orig",
    ".save",
    ".saved",
    ".swp",
    ".copy",
    ".dist",
    ".local",
    ".prod",
    ".production",
    ".dev",
    ".staging",
    ".disabled",
    ".off",
    "~",
];

/// The name of what a file is a copy or a template of.
fn inner_name(path: &RepoPath) -> Option<RepoPathBuf> {
    let bare = path.bare();
    let end = COPIES
        .iter()
        .find(|end| bare.ends_with(end.as_bytes()) && bare.len() > end.len())?;
    Some(RepoPath::new(&bare[..bare.len() - end.len()]).to_owned())
}

/// Where something may be in a text.
pub(super) struct Suspected<'f> {
    /// The formats, and where each is tried.
    pub(super) formats: Vec<(&'f Format, Vec<Range<usize>>)>,
    pub(super) names: Vec<Range<usize>>,
}

/// The whole table, ready.
pub(super) struct Formats {
    pub(super) formats: Vec<Format>,
    keywords: Keywords,
    /// For each keyword, its format; none for a part of a name.
    owners: Vec<Option<usize>>,
    files: Vec<FileRow>,
    /// What has all of their names, for most files have none.
    any_file: PatternSet,
    kinds: BTreeMap<FileCategory, PatternSet>,
}

/// The table's name in errors.
const TABLE: &str = "credential formats";

impl Formats {
    /// The table that comes with the program.
    ///
    /// # Errors
    /// If a row is not in the format; the tests see to it that this does not happen.
    pub(super) fn get() -> Result<&'static Self, TableError> {
        static READ: LazyLock<Result<Formats, TableError>> =
            LazyLock::new(|| Formats::parse(packed!("formats")));
        rows(&READ)
    }

    fn parse(text: &str) -> Result<Self, TableError> {
        let table: Table = read(TABLE, text)?;
        let mut owners = Vec::new();
        let mut keywords = Vec::new();
        let mut formats = Vec::new();
        let calls = table.call.into_iter().map(CallRow::row);
        let commands = table.command.into_iter().map(CommandRow::row);
        let all = table.format.into_iter().chain(calls).chain(commands);
        for (at, row) in all.enumerate() {
            owners.extend(row.keywords.iter().map(|_| Some(at)));
            keywords.extend(row.keywords);
            let Row {
                name,
                title,
                proof,
                only,
                issued,
                replace,
                armour,
                client,
                ..
            } = row;
            let is_issued = issued.unwrap_or(row.token.is_some());
            let (pattern, by) = match (row.token, row.pattern, row.by) {
                (None, None, By::Assignment) => (String::new(), By::Assignment),
                (Some(token), None, By::Line) => (
                    format!(r"\A(?P<secret>{token})(?:[^A-Za-z0-9_-]|\z)"),
                    By::Token,
                ),
                (None, Some(pattern), By::Word) => (format!(r"\A(?:{pattern})"), By::Word),
                (None, Some(pattern), by) => (pattern, by),
                _ => {
                    return Err(TableError {
                        table: TABLE,
                        after: name,
                        message: "either a token or a pattern".to_owned(),
                    });
                }
            };
            formats.push(Format {
                written: pattern,
                ready: OnceLock::new(),
                name,
                title,
                proof,
                only,
                by,
                replace,
                is_issued,
                is_armour: armour,
                is_client_key: client,
            });
        }
        let names = names::keywords();
        owners.extend(names.iter().map(|_| None));
        keywords.extend(names);
        Ok(Self {
            formats,
            keywords: Keywords::new(keywords),
            owners,
            any_file: PatternSet::of_all(table.file.iter().map(|row| &row.patterns)),
            files: table.file,
            kinds: table.kinds,
        })
    }

    /// The formats of which a keyword is in the text, in the table's order, each with the
    /// places to try its pattern on; and where parts of names stand that may be secret. A format
    /// that is limited to other kinds of files is left out.
    pub(super) fn suspected(&self, text: &[u8], kinds: &Kinds) -> Suspected<'_> {
        let mut places: Vec<Vec<Range<usize>>> = vec![Vec::new(); self.formats.len()];
        let mut starts = Starts::new();
        let mut names = Vec::new();
        self.keywords.find(text, |keyword, hit| {
            let Some(at) = self.owners[keyword] else {
                names.push(hit);
                return;
            };
            let format = &self.formats[at];
            if format.only.is_some_and(|kind| match kind {
                FileCategory::Settings => !kinds.is_settings(text),
                _ => !kinds.has(kind),
            }) {
                return;
            }
            let Some(place) = format.place(text, &hit, &mut starts) else {
                return;
            };
            match places[at].last_mut() {
                // One line, and hits so near that what is looked at around them overlaps: it is
                // looked at once.
                Some(last)
                    if format.by == By::Line
                        && place.start < last.end
                        && place.end - last.start <= LONGEST_PLACE =>
                {
                    last.end = last.end.max(place.end);
                }
                Some(last) if last.start == place.start && last.end >= hit.end => {}
                _ => places[at].push(place),
            }
        });
        let formats = self.formats.iter().zip(places);
        Suspected {
            formats: formats.filter(|(_, places)| !places.is_empty()).collect(),
            names,
        }
    }

    /// The name for what a name is given in a file of these kinds.
    pub(super) fn of_assignment(&self, written: Quoting, kinds: &Kinds) -> Option<&Format> {
        let order = [
            (FileCategory::Markup, written == Quoting::Element),
            (FileCategory::Environment, true),
            (FileCategory::Settings, true),
            (FileCategory::Markup, true),
            (FileCategory::Code, true),
        ];
        let kind = order
            .into_iter()
            .find(|(kind, is_so)| *is_so && kinds.has(*kind))
            .map(|(kind, _)| kind)?;
        let mut formats = self.formats.iter();
        formats.find(|format| format.by == By::Assignment && format.only == Some(kind))
    }

    /// What makes the file of that path secret by nature.
    pub(super) fn by_nature(&self, path: &RepoPath) -> Option<&FileRow> {
        if !self.any_file.has(path) {
            return None;
        }
        self.files.iter().find(|row| row.patterns.has(path))
    }
}

/// How much of a line is looked at together, in bytes: patterns are quickest on short texts.
const LONGEST_PLACE: usize = 8 * LINE_REACH;

/// How far a line is looked at on either side of a keyword, in bytes.
const LINE_REACH: usize = 1000;

impl Format {
    /// Whether it is about what people choose, not about what issuers or tools make.
    pub(super) fn is_chosen(&self) -> bool {
        self.by == By::Assignment || self.proof == Proof::Chosen
    }

    /// Whether it is known by where a value is given, rather than by the value.
    pub(super) fn is_made_by_people(&self) -> bool {
        let is_token = matches!(
            self.proof,
            Proof::JsonWebToken | Proof::Base64Login | Proof::Base64Key | Proof::Form
        );
        let is_sample = self.name == "authorization-header";
        self.is_chosen() || !self.is_armour && !self.is_issued && !is_token && !is_sample
    }

    /// Its pattern, ready to be tried.
    ///
    /// # Errors
    /// If it isn't one; the tests see to it that this does not happen.
    pub(super) fn pattern(&self) -> std::io::Result<&Regex> {
        // Credentials are ASCII; bytes are quicker to match than characters.
        let build = || {
            RegexBuilder::new(&self.written)
                .unicode(false)
                .build()
                .map_err(|error| error.to_string())
        };
        let ready = self.ready.get_or_init(build).as_ref();
        ready.map_err(|said| {
            std::io::Error::other(format!("the credential format {}: {said}", self.name))
        })
    }

    /// What the pattern is tried on for a keyword there; nothing where no name or token would be so
    /// long.
    fn place(
        &self,
        text: &[u8],
        keyword: &Range<usize>,
        starts: &mut Starts,
    ) -> Option<Range<usize>> {
        let before = &text[keyword.start.saturating_sub(LINE_REACH)..keyword.start];
        let behind = &text[keyword.end..text.len().min(keyword.end + LINE_REACH)];
        let end = keyword.end + behind.find_byte(b'\n').unwrap_or(behind.len());
        let start = match self.by {
            By::Assignment => return None,
            By::Text => return Some(0..text.len()),
            By::Line => {
                keyword.start - before.len() + before.rfind_byte(b'\n').map_or(0, |at| at + 1)
            }
            By::Word => starts.word.before(text, keyword.start),
            By::Token => starts.token.before(text, keyword.start),
        };
        (keyword.start - start <= LINE_REACH).then_some(start..end)
    }
}

/// Where words and tokens start, for hits that come nearly in order: what was looked at before
/// isn't looked at again.
struct Starts {
    word: Start,
    token: Start,
}

impl Starts {
    fn new() -> Self {
        let start = |is_part| Start {
            is_part,
            upto: 0,
            start: 0,
        };
        Self {
            word: start(|byte| byte.is_ascii_alphanumeric() || b"_.$-".contains(&byte)),
            token: start(|byte| byte.is_ascii_alphanumeric() || b"_-".contains(&byte)),
        }
    }
}

struct Start {
    is_part: fn(u8) -> bool,
    /// Up to where was looked, and where the word starts that goes on there.
    upto: usize,
    start: usize,
}

impl Start {
    /// Where the word starts that goes on at a place.
    fn before(&mut self, text: &[u8], at: usize) -> usize {
        if (self.start..self.upto).contains(&at) {
            return self.start;
        }
        let from = if at >= self.upto { self.upto } else { 0 };
        let stop = text[from..at]
            .iter()
            .rposition(|byte| !(self.is_part)(*byte))
            .map(|stop| from + stop + 1);
        if at < self.upto {
            return stop.unwrap_or(0);
        }
        self.upto = at;
        self.start = stop.unwrap_or(self.start);
        self.start
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::value::Strength;
    use proptest::strategy::{Strategy, ValueTree};
    use proptest::test_runner::TestRunner;

    /// What is around the form of a token.
    const ALONE: (&str, &str) = (r"\A(?P<secret>", r")(?:[^A-Za-z0-9_-]|\z)");

    #[test]
    fn every_pattern_can_be_made_ready() {
        for format in &Formats::get().unwrap().formats {
            format.pattern().unwrap();
        }
    }

    /// Where the format finds a secret in a text that passes its proof.
    fn found(formats: &Formats, format: &Format, text: &str) -> Option<Range<usize>> {
        let kinds = Kinds::any(formats);
        let suspected = formats.suspected(text.as_bytes(), &kinds).formats;
        let (_, places) = suspected
            .into_iter()
            .find(|(other, _)| std::ptr::eq(*other, format))?;
        places.into_iter().find_map(|place| {
            let part = &text.as_bytes()[place.clone()];
            let captures = format.pattern().unwrap().captures(part)?;
            let secret = captures.name("secret").unwrap();
            let holds = format.proof.strength(secret.as_bytes()) == Some(Strength::Secret);
            holds.then(|| place.start + secret.start()..place.start + secret.end())
        })
    }

    /// What a person puts in the place of a secret: its start, and one character from there on.
    fn filled(secret: &str) -> String {
        let fixed = secret
            .find(|c: char| c.is_ascii_digit())
            .unwrap_or(secret.len())
            .clamp(secret.len() / 4, secret.len() / 2);
        secret
            .char_indices()
            .map(|(at, c)| {
                if at > fixed && c.is_alphanumeric() {
                    'x'
                } else {
                    c
                }
            })
            .collect()
    }

    /// Random values of every row whose value is alone pass; the same with one character
    /// repeated, as placeholders have it, don't.
    #[test]
    fn every_token_is_found_by_its_form_and_no_placeholder_is() {
        let formats = Formats::get().unwrap();
        let mut runner = TestRunner::deterministic();
        let (mut rows, mut missed) = (0, Vec::new());
        for format in &formats.formats {
            if matches!(format.proof, Proof::Crc32Base62 | Proof::Form) {
                continue;
            }
            let pattern = format.pattern().unwrap().as_str();
            let inner = pattern.strip_prefix(ALONE.0);
            let Some(inner) = inner.and_then(|rest| rest.strip_suffix(ALONE.1)) else {
                continue;
            };
            rows += 1;
            let values = proptest::string::string_regex(inner).unwrap();
            for _ in 0..40 {
                let value = values.new_tree(&mut runner).unwrap().current();
                let holds =
                    |value: &str| found(formats, format, &format!("twilio = {value}\n")).is_some();
                if !holds(&value) {
                    missed.push(format!("{}: {value}", format.name));
                }
                if holds(&filled(&value)) {
                    missed.push(format!("{}, a placeholder: {value}", format.name));
                }
            }
        }
        assert_eq!(missed, [""; 0]);
        assert!(rows >= 60, "{rows} rows are tried by their form");
    }

    /// The same for rows that know a secret by what is around it: random texts of the row's
    /// pattern.
    #[test]
    fn every_surrounding_is_found_by_its_form_and_no_placeholder_is() {
        let formats = Formats::get().unwrap();
        let mut runner = TestRunner::deterministic();
        let (mut rows, mut missed) = (0, Vec::new());
        for format in &formats.formats {
            let pattern = format.pattern().unwrap().as_str();
            if pattern.starts_with(ALONE.0) || made_otherwise(format) {
                continue;
            }
            rows += 1;
            let texts = proptest::string::string_regex(&plain(pattern));
            let texts = texts.unwrap_or_else(|error| panic!("{}: {error}", format.name));
            let mut seen = 0;
            for _ in 0..40 {
                let text = texts.new_tree(&mut runner).unwrap().current() + "\n";
                // Some forms mean nothing without their issuer's name on the line.
                let named = format!("discord twilio asana wallet = {text}");
                let Some((text, place)) = [text, named].into_iter().find_map(|text| {
                    let place = found(formats, format, &text)?;
                    Some((text, place))
                }) else {
                    continue;
                };
                seen += 1;
                let mut placeholder = text.clone();
                placeholder.replace_range(place.clone(), &filled(&text[place]));
                if !is_told_by_words(format) && found(formats, format, &placeholder).is_some() {
                    missed.push(format!("{}, a placeholder: {placeholder:?}", format.name));
                }
            }
            // Patterns take more than any keyword names, and proofs refuse what looks made up.
            if seen < 10 && !(is_told_by_words(format) && format.proof != Proof::Form) {
                missed.push(format!("{}: {seen} of 40", format.name));
            }
        }
        assert_eq!(missed, [""; 0]);
        assert!(rows >= 20, "{rows} rows are tried by what stands around");
    }

    /// Whether its pattern is made of words that random text hardly has: the corpora try those.
    fn is_told_by_words(format: &Format) -> bool {
        use Proof::{Chosen, Form, Mixed, NotAPlaceholder};
        matches!(format.proof, Chosen | Form | Mixed | NotAPlaceholder)
    }

    /// Whether random text of its form can't pass: it holds a sum, or a document.
    fn made_otherwise(format: &Format) -> bool {
        use Proof::{Base64Key, Base64Login, Crc32Base62, JsonWebToken, KeyStart, SeedPhrase};
        let is_made = matches!(
            format.proof,
            Base64Key | Base64Login | Crc32Base62 | JsonWebToken | KeyStart | SeedPhrase
        );
        is_made || format.by == By::Assignment
    }

    /// A pattern as one that texts can be made of: without edges, in plain characters, with a
    /// name that says what it is, and with a secret as machines make them where any would do.
    fn plain(pattern: &str) -> String {
        let machine_made = "(?P<secret>[A-Za-z0-9]{16,24})";
        let mut plain = pattern.to_owned();
        for (from, to) in [
            (r"\(\?P<secret>\[\^[^\]]*\]\{\d+,\d*\}\)", machine_made),
            (r"\(\?P<secret>\[[^\]]*~[^\]]*\]\{12,\}\)", machine_made),
            (
                r"\(\?P<(name|key)>\[[^\]]*\]\{\d+,\d*\}\)",
                "(?P<$1>db_password)",
            ),
            (r"\(\?(m|mi|i)\)\^", "(?i)"),
            (r"^\\A", ""),
            (r"\)\$$", ")"),
            (r"\(\?:\^\|", "(?:"),
            (r"\|\$\)", ")"),
            (r"(\\s\*|\|\\s\*)\$", ""),
            (r"\(\?s:\.", "(?:[a-z\n]"),
            (r"\\s\+\[#;\]\.\*", " "),
            (r"\[\^\\s[^\]]*\]", "[a-z]"),
            (r"\[\^[^\]]*\]", "[ ]"),
            (r"\\s\*", " ?"),
        ] {
            let from = regex::Regex::new(from).unwrap();
            plain = from.replace_all(&plain, to).into_owned();
        }
        // Inside of a class and outside alike.
        let plain = plain.replace(r"\s", " ").replace(r"\w", "a-z0-9_");
        plain.replace(r"\W", "[ =:]").replace("(?i)", "")
    }
}
