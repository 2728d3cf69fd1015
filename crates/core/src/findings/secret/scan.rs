//! Reading a file in windows and looking for credentials in it.

use super::Secret;
use super::formats::{Format, Formats, Kind};
use bstr::ByteSlice;
use encoding_rs_io::DecodeReaderBytesBuilder;
use std::cell::RefCell;
use std::io::Read;

/// How much is read at a time, in bytes.
const WINDOW: usize = 1 << 20;

/// How much of a window is looked at again with the next, so that nothing is cut in two.
const OVERLAP: usize = 16 << 10;

/// A file with a NUL in its first bytes is binary, as git tells it, and not looked into.
const BINARY_TEST: usize = 8000;

/// A credential in a file.
pub(super) struct Hit<'f> {
    pub(super) format: &'f Format,
    /// From 1.
    pub(super) line: u64,
    pub(super) secret: Secret,
    /// The file is nothing but this: it starts with it.
    pub(super) is_the_file: bool,
    /// A comment on its line says that it is all right.
    pub(super) accepted: bool,
}

/// What such a comment holds.
const ACCEPTED: &str = "redshank: accept";

pub(super) fn contents<'f>(file: &mut dyn Read, formats: &'f Formats, kinds: &[Kind]) -> std::io::Result<Vec<Hit<'f>>> {
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
            let decoded = DecodeReaderBytesBuilder::new().bom_sniffing(true).build(mark.chain(file));
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
    kinds: &[Kind],
) -> std::io::Result<Vec<Hit<'f>>> {
    let mut hits = Vec::new();
    let (mut offset, mut lines_before) = (0, 0);
    loop {
        let kept = window.len();
        let read = Read::by_ref(&mut file).take(WINDOW as u64).read_to_end(window)?;
        if offset == 0 && kept == 0 && window[..window.len().min(BINARY_TEST)].contains(&0) {
            return Ok(hits);
        }
        look(window, formats, kinds, &mut |format, span: std::ops::Range<usize>, start| {
            // What ends in the part that was looked at before has been found before.
            if offset == 0 && kept == 0 || span.end > kept {
                let line = lines_before + window[..start].iter().filter(|byte| **byte == b'\n').count() as u64 + 1;
                let line_ends = window[span.end..].find_byte(b'\n').map_or(window.len(), |at| span.end + at);
                let line_starts = window[..span.start].rfind_byte(b'\n').map_or(0, |at| at + 1);
                let accepted = window[line_starts..line_ends].contains_str(ACCEPTED);
                let secret = Secret::new(&window[span]);
                hits.push(Hit { format, line, secret, is_the_file: offset + start == 0, accepted });
            }
        })?;
        if read < WINDOW {
            hits.sort_by_key(|hit| hit.line);
            return Ok(hits);
        }
        let done = window.len().saturating_sub(OVERLAP);
        lines_before += window[..done].iter().filter(|byte| **byte == b'\n').count() as u64;
        offset += done;
        window.drain(..done);
    }
}

/// Where credentials stand in a text, whatever file it comes from.
pub(super) fn spans(text: &[u8], formats: &Formats) -> Vec<std::ops::Range<usize>> {
    let mut spans = Vec::new();
    // The patterns can be read, as the tests see to.
    let _ = look(text, formats, &Kind::ALL, &mut |_, span, _| spans.push(span));
    spans
}

/// Calls `take` with each credential: its format, where the secret part lies, and where the whole starts.
fn look<'f>(
    text: &[u8],
    formats: &'f Formats,
    kinds: &[Kind],
    take: &mut dyn FnMut(&'f Format, std::ops::Range<usize>, usize),
) -> std::io::Result<()> {
    let mut seen: Vec<std::ops::Range<usize>> = Vec::new();
    for (format, places) in formats.suspected(text, kinds) {
        // Most lines with a keyword hold nothing; telling so is much quicker than finding the parts of a match.
        let pattern = format.pattern()?;
        for place in places.into_iter().filter(|place| pattern.is_match(&text[place.clone()])) {
            for found in pattern.captures_iter(&text[place.clone()]) {
                let (Some(whole), Some(secret)) = (found.get(0), found.name("secret")) else {
                    continue;
                };
                let span = place.start + secret.start()..place.start + secret.end();
                // A token inside a connection string or an assignment is one secret, told by its more exact name.
                let told = seen.iter().any(|other| other.start < span.end && span.start < other.end);
                let name = found.name("name").or_else(|| found.name("key")).map(|name| name.as_bytes());
                if !told && format.proof.holds(secret.as_bytes(), name) {
                    seen.push(span.clone());
                    // What stands before it to mark its start may be the line end above.
                    let start = whole.as_bytes().iter().take_while(|byte| byte.is_ascii_whitespace()).count();
                    take(format, span, place.start + whole.start() + start);
                }
            }
        }
    }
    Ok(())
}
