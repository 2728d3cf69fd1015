//! Reading a file in windows and looking for credentials in it.

use super::Secret;
use super::formats::{Format, Formats, Only};
use bstr::ByteSlice;
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
}

pub(super) fn contents<'f>(
    file: &mut dyn Read,
    formats: &'f Formats,
    environment: bool,
) -> std::io::Result<Vec<Hit<'f>>> {
    let mut hits = Vec::new();
    let mut window = Vec::new();
    let (mut offset, mut lines_before) = (0, 0);
    loop {
        let kept = window.len();
        let read = Read::take(&mut *file, WINDOW as u64).read_to_end(&mut window)?;
        if offset == 0 && kept == 0 && window.iter().take(BINARY_TEST).any(|byte| *byte == 0) {
            return Ok(hits);
        }
        look(&window, formats, environment, &mut |format, span: std::ops::Range<usize>, start| {
            // What ends in the part that was looked at before has been found before.
            if offset == 0 && kept == 0 || span.end > kept {
                let line = lines_before + window[..start].iter().filter(|byte| **byte == b'\n').count() as u64 + 1;
                let secret = Secret::new(&window[span]);
                hits.push(Hit { format, line, secret, is_the_file: offset + start == 0 });
            }
        });
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

/// Calls `take` with each credential: its format, where the secret part lies, and where the whole starts.
fn look<'f>(
    text: &[u8],
    formats: &'f Formats,
    environment: bool,
    take: &mut dyn FnMut(&'f Format, std::ops::Range<usize>, usize),
) {
    let mut seen: Vec<std::ops::Range<usize>> = Vec::new();
    for format in formats.suspected(text) {
        if format.only == Some(Only::Environment) && !environment {
            continue;
        }
        for found in format.pattern.captures_iter(text) {
            let (Some(whole), Some(secret)) = (found.get(0), found.name("secret")) else {
                continue;
            };
            let span = secret.range();
            // A token inside a connection string or an assignment is one secret, told by its more exact name.
            let told = seen.iter().any(|other| other.start < span.end && span.start < other.end);
            if !told && format.proof.holds(secret.as_bytes().as_bytes()) {
                seen.push(span.clone());
                take(format, span, whole.start());
            }
        }
    }
}
