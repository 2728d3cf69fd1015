//! Reading a file in windows and looking for credentials in it.

use super::Secret;
use super::assignment::{self, Assignment, Known};
use super::downgrade::{Downgrade, Surroundings, by_place, downgrade, in_source};
use super::formats::{FileCategory, Format, Formats, Kinds};
use super::quoting::Quoting;
use super::tables;
use super::utf_32::Utf32;
use super::value::{self, Standing, Strength};
use bstr::ByteSlice;
use encoding_rs::{Encoding, UTF_16BE, UTF_16LE};
use encoding_rs_io::DecodeReaderBytesBuilder;
use redshank_rules::RepoPath;
use std::borrow::Cow;
use std::cell::RefCell;
use std::collections::{BTreeMap, HashSet};
use std::io::Read;

/// How much is read at a time, in bytes.
const WINDOW: usize = 1 << 20;

/// How much of a window is looked at again with the next, so that nothing is cut in two.
const OVERLAP: usize = 16 << 10;

/// A line of this many bytes before or behind a name wasn't typed.
const LONG_LINE: usize = 1000;

/// How many bytes tell how a text is encoded.
const START: usize = 64;

/// How many of a file's first bytes tell whether it is binary, as many as git looks at.
const BINARY_TEST: usize = 8000;

/// One byte in so many may be one that no text has. git calls a file binary for a single NUL; a
/// secret in a text with a stray one is a secret anyway.
const STRAY: usize = 50;

/// A credential in a file.
pub(super) struct Hit<'f> {
    pub(super) format: &'f Format,
    pub(super) line: u64,
    pub(super) secret: Secret,
    /// The file is nothing but this: it starts with it.
    pub(super) is_the_file: bool,
    /// Why it is a note, if it is one.
    pub(super) downgrade: Option<Downgrade>,
    /// A comment on its line says that it is all right.
    pub(super) accepted: bool,
}

/// How many credentials of one line are reported; a line of so many is no line that a person reads.
const A_LINE: usize = 1000;

/// What such a comment holds.
const ACCEPTED: &str = "redshank: accept";

pub(super) fn contents<'f>(
    file: &mut dyn Read,
    formats: &'f Formats,
    path: &RepoPath,
    kinds: &Kinds,
) -> std::io::Result<Vec<Hit<'f>>> {
    thread_local! {
        /// One for all files that a thread reads.
        static WINDOW_OF_THREAD: RefCell<Vec<u8>> = const { RefCell::new(Vec::new()) };
    }
    WINDOW_OF_THREAD.with_borrow_mut(|window| {
        window.clear();
        let mut start = [0; START];
        let length = read_start(file, &mut start)?;
        let start = &start[..length];
        let file = start.chain(file);
        // UTF-32 and UTF-16 become UTF-8 on the way.
        if let Some(form) = Utf32::of_start(start) {
            return windows(form.decode(file), window, formats, path, kinds);
        }
        match utf_16(start) {
            Some(encoding) => {
                let mut builder = DecodeReaderBytesBuilder::new();
                let decoded = builder.encoding(Some(encoding)).build(file);
                windows(decoded, window, formats, path, kinds)
            }
            None => windows(file, window, formats, path, kinds),
        }
    })
}

/// Reads the first bytes of a file, as far as there are any; returns their number.
fn read_start(file: &mut dyn Read, mark: &mut [u8; START]) -> std::io::Result<usize> {
    let mut length = 0;
    while length < mark.len() {
        match file.read(&mut mark[length..])? {
            0 => break,
            read => length += read,
        }
    }
    Ok(length)
}

/// The form of UTF-16 that a text is in, by its byte-order mark or by the zeros of plain letters.
fn utf_16(start: &[u8]) -> Option<&'static Encoding> {
    let letters = |zero_at: usize| {
        let pairs = start.chunks_exact(2);
        let is_letter =
            |pair: &[u8]| pair[zero_at] == 0 && (0x09..0x7f).contains(&pair[1 - zero_at]);
        start.len() >= 8
            && pairs.clone().filter(|pair| is_letter(pair)).count() * 10 >= pairs.len() * 9
    };
    match start {
        [0xff, 0xfe, ..] => Some(UTF_16LE),
        [0xfe, 0xff, ..] => Some(UTF_16BE),
        _ if letters(1) => Some(UTF_16LE),
        _ if letters(0) => Some(UTF_16BE),
        _ => None,
    }
}

/// Whether a file that starts so is not a text.
fn is_binary(start: &[u8]) -> bool {
    if memchr::memchr(0, start).is_none() {
        return false;
    }
    let strays = start
        .iter()
        .filter(|byte| matches!(byte, 0..=8 | 14..=26 | 28..=31 | 127))
        .count();
    let is_unreadable = start
        .utf8_chunks()
        .filter(|chunk| !chunk.invalid().is_empty())
        .count();
    strays + is_unreadable > (start.len() / STRAY).max(2)
}

/// Lines of another make, a mark before the first one, and stray zeros become what all others are;
/// nothing moves.
fn make_plain(window: &mut [u8], is_first: bool) {
    if memchr::memchr(0, window).is_some() {
        for byte in window.iter_mut().filter(|byte| **byte == 0) {
            *byte = b' ';
        }
    }
    if is_first && window.starts_with(BYTE_ORDER_MARK) {
        window[..BYTE_ORDER_MARK.len()].fill(b' ');
    }
    if memchr::memchr(b'\r', window).is_some() && memchr::memchr(b'\n', window).is_none() {
        for byte in window.iter_mut().filter(|byte| **byte == b'\r') {
            *byte = b'\n';
        }
    }
}

const BYTE_ORDER_MARK: &[u8] = b"\xef\xbb\xbf";

fn windows<'f>(
    mut file: impl Read,
    window: &mut Vec<u8>,
    formats: &'f Formats,
    path: &RepoPath,
    kinds: &Kinds,
) -> std::io::Result<Vec<Hit<'f>>> {
    let mut found = Credentials::default();
    loop {
        let seen = window.len();
        let mut part = Read::by_ref(&mut file).take(WINDOW as u64);
        let is_last = part.read_to_end(window)? < WINDOW;
        if found.is_at_start(seen) && is_binary(&window[..window.len().min(BINARY_TEST)]) {
            return Ok(Vec::new());
        }
        make_plain(&mut window[seen..], found.is_at_start(seen));
        found.take_in(window, seen, path, spans_of(window, formats, kinds)?);
        if is_last {
            return Ok(found.by_line());
        }
        let done = window.len().saturating_sub(OVERLAP);
        found.go_on(&window[..done]);
        window.drain(..done);
    }
}

/// What was found up to a window of a file.
#[derive(Default)]
struct Credentials<'f> {
    credentials: Vec<Hit<'f>>,
    /// Where the window starts, in bytes and in lines.
    offset: usize,
    lines_before: u64,
    /// The last line that held something, and what.
    last_line: (u64, HashSet<(&'f str, Secret)>),
}

impl<'f> Credentials<'f> {
    /// Whether nothing of the file was looked at, with so much of the window seen before.
    fn is_at_start(&self, seen: usize) -> bool {
        self.offset == 0 && seen == 0
    }

    /// Takes in what a window holds, of which so much was in the one before, too.
    fn take_in(&mut self, window: &[u8], seen: usize, path: &RepoPath, mut spans: Vec<Span<'f>>) {
        // What ends in the part that was looked at before has been found before.
        spans.retain(|span| self.is_at_start(seen) || span.secret.end > seen);
        let mut lines = Lines::new(window);
        for span in spans {
            let (line, accepted) = lines.around(span.start, &span.secret);
            let line = self.lines_before + line;
            let around = Surroundings {
                path,
                text: window,
                start: span.start,
                secret: &window[span.secret.clone()],
                host: span.host.map(|host| &window[host]),
                login: span.login.map(|login| &window[login]),
            };
            let downgrade = downgrade(span.format, span.strength, &around);
            // Among tests, passwords for tests are no news.
            let is_no_news = downgrade == Some(Downgrade::StandIn) && span.format.is_chosen();
            if is_no_news && (by_place(path).is_some() || in_source(&around).is_some()) {
                continue;
            }
            let secret = Secret::new(&window[span.secret]);
            if self.is_new(line, span.format, &secret) {
                self.credentials.push(Hit {
                    format: span.format,
                    line,
                    secret,
                    is_the_file: span.format.is_armour && self.offset + span.start == 0,
                    downgrade,
                    accepted,
                });
            }
        }
    }

    /// A value that a line holds over and over is one place.
    fn is_new(&mut self, line: u64, format: &'f Format, secret: &Secret) -> bool {
        if self.last_line.0 != line {
            self.last_line = (line, HashSet::new());
        }
        let of_line = &mut self.last_line.1;
        of_line.len() < A_LINE && of_line.insert((format.name.as_str(), secret.clone()))
    }

    /// Leaves behind what was looked at.
    fn go_on(&mut self, done: &[u8]) {
        self.lines_before += memchr::memchr_iter(b'\n', done).count() as u64;
        self.offset += done.len();
    }

    fn by_line(mut self) -> Vec<Hit<'f>> {
        self.credentials.sort_by_key(|one| one.line);
        self.credentials
    }
}

/// The lines of a text, for places that come in order: each line is looked at once, however long it
/// is.
struct Lines<'t> {
    text: &'t [u8],
    /// Up to where line endings were counted, and how many there were.
    counted: (usize, u64),
    /// The line of the last place, and whether a comment on it accepts what it holds.
    line: std::ops::Range<usize>,
    accepted: bool,
}

impl<'t> Lines<'t> {
    fn new(text: &'t [u8]) -> Self {
        Self {
            text,
            counted: (0, 0),
            line: 0..0,
            accepted: false,
        }
    }

    /// The number of the line, from 1, in which something starts, and whether the line or lines
    /// that its secret part is on accept it.
    fn around(&mut self, start: usize, secret: &std::ops::Range<usize>) -> (u64, bool) {
        let (upto, ends) = self.counted;
        if start > upto {
            let more = memchr::memchr_iter(b'\n', &self.text[upto..start]).count() as u64;
            self.counted = (start, ends + more);
        }
        if self.line.is_empty() || secret.start < self.line.start || secret.end > self.line.end {
            let starts = self.text[..secret.start]
                .rfind_byte(b'\n')
                .map_or(0, |at| at + 1);
            let ends = self.text[secret.end..]
                .find_byte(b'\n')
                .map_or(self.text.len(), |at| secret.end + at);
            self.accepted = self.text[starts..ends].contains_str(ACCEPTED);
            self.line = starts..ends;
        }
        (self.counted.1 + 1, self.accepted)
    }
}

/// Where credentials are in a text, whatever file it comes from.
pub(super) fn spans(text: &[u8], formats: &Formats) -> Vec<std::ops::Range<usize>> {
    // The patterns can be read, as the tests see to.
    let found = spans_of(text, formats, &Kinds::any(formats)).unwrap_or_default();
    found.into_iter().map(|found| found.secret).collect()
}

/// The values of names that say they are secret.
fn named<'f>(
    text: &[u8],
    formats: &'f Formats,
    kinds: &Kinds,
    names: &[std::ops::Range<usize>],
    taken: &mut Taken,
) -> Vec<Span<'f>> {
    // Translations and locks are full of such names.
    if !kinds.has(FileCategory::Code) {
        return Vec::new();
    }
    let mut found = Vec::new();
    let mut known = Known::default();
    let mut last_name = 0..0;
    let mut cells = if kinds.has(FileCategory::Table) {
        tables::of_list(text)
    } else {
        Vec::new()
    };
    if kinds.has(FileCategory::Prose) && memchr::memmem::find(text, b"--").is_some() {
        cells.extend(tables::of_text(text));
    }
    if kinds.has(FileCategory::Logins) {
        cells.extend(tables::of_logins(text));
    }
    for hit in names {
        if last_name.contains(&hit.start) {
            continue;
        }
        if kinds.has(FileCategory::Statements) {
            cells.extend(tables::of_statement(text, hit));
        }
        if let Some(assignment) = assignment::read(text, hit, kinds, &mut known) {
            last_name = assignment.name.clone();
            let others = assignment::others_in_list(text, &assignment);
            found.push(assignment);
            found.extend(others);
        }
    }
    found.extend(cells.into_iter().map(|cell| Assignment {
        text: Cow::Borrowed(&text[cell.value.clone()]),
        name: cell.name,
        value: cell.value,
        says: cell.says,
        written: Quoting::Element,
    }));
    let spans = found.into_iter().filter_map(|found| {
        let format = formats.of_assignment(found.written, kinds)?;
        let standing = standing(text, &found, kinds);
        let strength = value::strength(&found.text, &text[found.name.clone()], standing)?;
        let is_new = taken.is_free(&found.value);
        taken.add(&found.value);
        is_new.then_some(Span {
            format,
            start: found.value.start,
            secret: found.value,
            strength,
            host: None,
            login: None,
        })
    });
    spans.collect()
}

/// What is known of where a value is.
fn standing(text: &[u8], found: &Assignment, kinds: &Kinds) -> Standing {
    // Lines of such length are a tool's.
    let around = &text[found.name.start.saturating_sub(LONG_LINE)..found.name.start];
    let behind = &text[found.value.end..text.len().min(found.value.end + LONG_LINE)];
    let is_long = around.len() == LONG_LINE && !around.contains(&b'\n')
        || behind.len() == LONG_LINE && !behind.contains(&b'\n');
    Standing {
        says: found.says,
        written: found.written,
        is_strict: is_long || kinds.has(FileCategory::Sample),
        is_setting: found.written == Quoting::Element
            || kinds.is_settings(text)
            || kinds.has(FileCategory::Environment),
    }
}

/// Where secret parts lie, by their ends: none of them is in another. A token inside a connection
/// string or an assignment is one secret, told by its more exact name.
#[derive(Default)]
struct Taken(BTreeMap<usize, usize>);

impl Taken {
    fn is_free(&self, span: &std::ops::Range<usize>) -> bool {
        let next = self.0.range(span.start + 1..).next();
        next.is_none_or(|(_, start)| *start >= span.end)
    }

    fn add(&mut self, span: &std::ops::Range<usize>) {
        self.0.insert(span.end, span.start);
    }
}

/// A credential in a text.
struct Span<'f> {
    format: &'f Format,
    /// Where the part lies that must not be shown.
    secret: std::ops::Range<usize>,
    /// Where the whole starts.
    start: usize,
    strength: Strength,
    /// Where it leads, and the login beside it, where that is reported.
    host: Option<std::ops::Range<usize>>,
    login: Option<std::ops::Range<usize>>,
}

/// The credentials in a text, by where they start.
fn spans_of<'f>(
    text: &[u8],
    formats: &'f Formats,
    kinds: &Kinds,
) -> std::io::Result<Vec<Span<'f>>> {
    let mut all: Vec<Span> = Vec::new();
    let mut taken = Taken::default();
    let suspected = formats.suspected(text, kinds);
    for (format, places) in suspected.formats {
        // Most lines with a keyword hold nothing; telling so is much quicker than finding the parts
        // of a match.
        let pattern = format.pattern()?;
        for place in places
            .into_iter()
            .filter(|place| pattern.is_match(&text[place.clone()]))
        {
            for found in pattern.captures_iter(&text[place.clone()]) {
                let (Some(whole), Some(secret)) = (found.get(0), found.name("secret")) else {
                    continue;
                };
                let part = |name: &str| {
                    let found = found.name(name)?;
                    Some(place.start + found.start()..place.start + found.end())
                };
                let span = place.start + secret.start()..place.start + secret.end();
                let Some(strength) = format.proof.strength(secret.as_bytes()) else {
                    continue;
                };
                if taken.is_free(&span) {
                    taken.add(&span);
                    // What is before it to mark its start may be the line end above.
                    let blanks = whole.as_bytes().iter();
                    let blanks = blanks.take_while(|byte| byte.is_ascii_whitespace());
                    let start = place.start + whole.start() + blanks.count();
                    let is_below = !format.is_armour && text[start..span.start].contains(&b'\n');
                    all.push(Span {
                        format,
                        start: if is_below { span.start } else { start },
                        secret: span,
                        strength,
                        host: part("host"),
                        login: part("login"),
                    });
                }
            }
        }
    }
    all.extend(named(text, formats, kinds, &suspected.names, &mut taken));
    all.sort_by_key(|found| found.start);
    Ok(all)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Parts of texts, of which most go wrong somewhere.
    const PARTS: &[&str] = &[
        "password",
        "token",
        "apiKey",
        "db_pass",
        "пароль",
        "<",
        "</",
        ">",
        "=",
        ":",
        ":=",
        "=>",
        " ",
        "\n",
        "\r\n",
        "\t",
        "\"",
        "'",
        "`",
        "\\",
        "\\\"",
        "\"\"\"",
        "${",
        "}",
        ":-",
        "(",
        ")",
        "[",
        "]",
        ",",
        "||",
        "??",
        "+",
        "..",
        "#",
        "//",
        "--",
        "name",
        "value",
        "define(",
        "add_argument(",
        "default='",
        "<string>",
        "insert into x (",
        ") values (",
        "export ",
        "set ",
        "#define ",
        "As String",
        "gull7!Wing",
        "é",
        "\u{0}",
        "://",
        "@",
        "typeof ",
        "|-",
        ">-",
        ";",
        "?token=",
        "badge",
        "$x",
        "f\"",
        "{y}",
        "b'",
    ];

    proptest! {
        #[test]
        fn whatever_a_text_holds_it_is_read_to_its_end(
            parts in proptest::collection::vec(0..PARTS.len(), 0..60),
        ) {
            let text: String = parts.into_iter().map(|part| PARTS[part]).collect();
            let formats = Formats::get().unwrap();
            for path in ["a.py", "a.yml", "a.sh", "a.csv", "a.sql", "a.xml", ".env", "a.md", "a.min.js"] {
                let kinds = Kinds::at(formats, RepoPath::new(path));
                for span in spans_of(text.as_bytes(), formats, &kinds).unwrap() {
                    prop_assert!(!span.secret.is_empty() && span.secret.end <= text.len());
                    prop_assert!(span.start <= span.secret.start);
                }
                let mut file = text.as_bytes();
                let found = contents(&mut file, formats, RepoPath::new(path), &kinds);
                prop_assert!(found.is_ok());
            }
        }
    }
}
