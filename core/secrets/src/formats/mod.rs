//! The table of credential formats.

mod kinds;
mod rows;
#[cfg(test)]
mod tests;

pub(crate) use kinds::{FileCategory, Kinds};

use super::keywords::Keywords;
use super::names;
use super::proof::Proof;
use super::quoting::Quoting;
use bstr::ByteSlice;
use redshank_rules::{PatternSet, RepoPath};
use redshank_tables::{TableError, packed, read};
use regex::bytes::{Regex, RegexBuilder};
use rows::{By, CallRow, CommandRow, FileRow, Row, Table};
use std::collections::BTreeMap;
use std::ops::Range;
use std::sync::{LazyLock, OnceLock};

/// A credential format, ready to be looked for.
pub(crate) struct Format {
    pub(crate) name: String,
    pub(crate) title: String,
    /// As it is written, and ready once it was wanted: most files make few of them ready.
    written: String,
    ready: OnceLock<Result<Regex, String>>,
    pub(crate) proof: Proof,
    pub(crate) only: Option<FileCategory>,
    by: By,
    /// Where it is undone and made again.
    pub(crate) replace: Option<String>,
    /// Its issuer's form tells it: it works wherever it is read.
    pub(crate) is_issued: bool,
    /// It is a key between lines that say what it is.
    pub(crate) is_armour: bool,
    /// Its issuer has such for programs that anybody can look into, too.
    pub(crate) is_client_key: bool,
}

/// Where something may be in a text.
pub(crate) struct Suspected<'f> {
    /// The formats, and where each is tried.
    pub(crate) formats: Vec<(&'f Format, Vec<Range<usize>>)>,
    pub(crate) names: Vec<Range<usize>>,
}

/// The whole table, ready.
pub(crate) struct Formats {
    pub(crate) formats: Vec<Format>,
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
    pub(crate) fn get() -> Result<&'static Self, TableError> {
        static READ: LazyLock<Result<Formats, TableError>> =
            LazyLock::new(|| Formats::parse(packed!("formats")));
        redshank_tables::rows(&READ)
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
    pub(crate) fn suspected(&self, text: &[u8], kinds: &Kinds) -> Suspected<'_> {
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
    pub(crate) fn of_assignment(&self, written: Quoting, kinds: &Kinds) -> Option<&Format> {
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
    pub(crate) fn by_nature(&self, path: &RepoPath) -> Option<&FileRow> {
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
    pub(crate) fn is_chosen(&self) -> bool {
        self.by == By::Assignment || self.proof == Proof::Chosen
    }

    /// Whether it is known by where a value is given, rather than by the value.
    pub(crate) fn is_made_by_people(&self) -> bool {
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
    pub(crate) fn pattern(&self) -> std::io::Result<&Regex> {
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
