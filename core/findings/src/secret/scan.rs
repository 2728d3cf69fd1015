//! Reading a file in windows and looking for credentials in it.

use super::Secret;
use super::formats::{FileCategory, Format, Formats};
use bstr::ByteSlice;
use encoding_rs_io::DecodeReaderBytesBuilder;
use std::cell::RefCell;
use std::collections::{BTreeMap, HashSet};
use std::io::Read;

/// How much is read at a time, in bytes.
const WINDOW: usize = 1 << 20;

/// How much of a window is looked at again with the next, so that nothing is cut in two.
const OVERLAP: usize = 16 << 10;

/// A file with a NUL in its first bytes is binary, as git tells it, and not looked into.
const BINARY_TEST: usize = 8000;

/// A credential in a file.
pub(super) struct Credential<'f> {
    pub(super) format: &'f Format,
    /// From 1.
    pub(super) line: u64,
    pub(super) secret: Secret,
    /// The file is nothing but this: it starts with it.
    pub(super) is_the_file: bool,
    /// A comment on its line says that it is all right.
    pub(super) accepted: bool,
}

/// How many credentials of one line are told; a line of so many is no line that a person reads.
const A_LINE: usize = 1000;

/// What such a comment holds.
const ACCEPTED: &str = "redshank: accept";

pub(super) fn contents<'f>(
    file: &mut dyn Read,
    formats: &'f Formats,
    kinds: &[FileCategory],
) -> std::io::Result<Vec<Credential<'f>>> {
    thread_local! {
        /// One for all files that a thread reads.
        static WINDOW_OF_THREAD: RefCell<Vec<u8>> = const { RefCell::new(Vec::new()) };
    }
    WINDOW_OF_THREAD.with_borrow_mut(|window| {
        window.clear();
        let mut mark = [0; 2];
        let length = read_start(file, &mut mark)?;
        // UTF-16 becomes UTF-8 on the way, by its byte-order mark.
        if matches!(mark, [0xff, 0xfe] | [0xfe, 0xff]) {
            let decoded = DecodeReaderBytesBuilder::new()
                .bom_sniffing(true)
                .build(mark.chain(file));
            return windows(decoded, window, formats, kinds);
        }
        windows(mark[..length].chain(file), window, formats, kinds)
    })
}

/// Reads the first bytes of a file, as far as there are any; gives their number.
fn read_start(file: &mut dyn Read, mark: &mut [u8; 2]) -> std::io::Result<usize> {
    let mut length = 0;
    while length < mark.len() {
        match file.read(&mut mark[length..])? {
            0 => break,
            read => length += read,
        }
    }
    Ok(length)
}

fn windows<'f>(
    mut file: impl Read,
    window: &mut Vec<u8>,
    formats: &'f Formats,
    kinds: &[FileCategory],
) -> std::io::Result<Vec<Credential<'f>>> {
    let mut found = Credentials::default();
    loop {
        let seen = window.len();
        let mut part = Read::by_ref(&mut file).take(WINDOW as u64);
        let is_last = part.read_to_end(window)? < WINDOW;
        if found.is_at_start(seen) && window[..window.len().min(BINARY_TEST)].contains(&0) {
            return Ok(Vec::new());
        }
        found.take_in(window, seen, spans_of(window, formats, kinds)?);
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
    credentials: Vec<Credential<'f>>,
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
    fn take_in(&mut self, window: &[u8], seen: usize, mut spans: Vec<Span<'f>>) {
        // What ends in the part that was looked at before has been found before.
        spans.retain(|span| self.is_at_start(seen) || span.secret.end > seen);
        let mut lines = Lines::of(window);
        for span in spans {
            let (line, accepted) = lines.around(span.start, &span.secret);
            let line = self.lines_before + line;
            let secret = Secret::new(&window[span.secret]);
            if self.is_new(line, span.format, &secret) {
                self.credentials.push(Credential {
                    format: span.format,
                    line,
                    secret,
                    is_the_file: self.offset + span.start == 0,
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

    fn by_line(mut self) -> Vec<Credential<'f>> {
        self.credentials.sort_by_key(|one| one.line);
        self.credentials
    }
}

/// The lines of a text, for places that come in order: each line is looked at once, however long it
/// is.
struct Lines<'t> {
    text: &'t [u8],
    /// Up to where line ends were counted, and how many there were.
    counted: (usize, u64),
    /// The line of the last place, and whether a comment on it accepts what it holds.
    line: std::ops::Range<usize>,
    accepted: bool,
}

impl<'t> Lines<'t> {
    fn of(text: &'t [u8]) -> Self {
        Self {
            text,
            counted: (0, 0),
            line: 0..0,
            accepted: false,
        }
    }

    /// The number of the line, from 1, in which something starts, and whether the line or lines
    /// that its secret part stands on accept it.
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

/// Where credentials stand in a text, whatever file it comes from.
pub(super) fn spans(text: &[u8], formats: &Formats) -> Vec<std::ops::Range<usize>> {
    // The patterns can be read, as the tests see to.
    let found = spans_of(text, formats, &FileCategory::ALL).unwrap_or_default();
    found.into_iter().map(|found| found.secret).collect()
}

/// A credential in a text.
struct Span<'f> {
    format: &'f Format,
    /// Where the part lies that must not be shown.
    secret: std::ops::Range<usize>,
    /// Where the whole starts.
    start: usize,
}

/// The credentials in a text, by where they start.
fn spans_of<'f>(
    text: &[u8],
    formats: &'f Formats,
    kinds: &[FileCategory],
) -> std::io::Result<Vec<Span<'f>>> {
    let mut all: Vec<Span> = Vec::new();
    // Where the secret parts lie, by their ends: none of them lies in another.
    let mut taken: BTreeMap<usize, usize> = BTreeMap::new();
    for (format, places) in formats.suspected(text, kinds) {
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
                let span = place.start + secret.start()..place.start + secret.end();
                // A token inside a connection string or an assignment is one secret, told by its
                // more exact name.
                let next = taken.range(span.start + 1..).next();
                let told = next.is_some_and(|(_, start)| *start < span.end);
                let name = found
                    .name("name")
                    .or_else(|| found.name("key"))
                    .map(|name| name.as_bytes());
                if !told && format.proof.holds(secret.as_bytes(), name) {
                    taken.insert(span.end, span.start);
                    // What stands before it to mark its start may be the line end above.
                    let blank = whole
                        .as_bytes()
                        .iter()
                        .take_while(|byte| byte.is_ascii_whitespace())
                        .count();
                    all.push(Span {
                        format,
                        secret: span,
                        start: place.start + whole.start() + blank,
                    });
                }
            }
        }
    }
    all.sort_by_key(|found| found.start);
    Ok(all)
}
