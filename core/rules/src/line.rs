//! From the bytes of an ignore file to its lines.

use crate::rule::{Case, Rule};
use bstr::ByteSlice;

/// A line of an ignore file.
#[derive(Clone)]
pub enum Line {
    /// Nothing on it.
    Blank,
    /// It starts with `#`.
    Comment,
    /// It holds a rule.
    Rule(Rule),
}

/// The lines of an ignore file as git reads them: a byte-order mark of UTF-8 at the start is passed
/// over; lines end with LF or CR LF, the last one also with the file; spaces at the end are dropped
/// unless a back-slash keeps them.
pub fn lines(file: &[u8], case: Case) -> impl Iterator<Item = Line> + '_ {
    (1..)
        .zip(raw_lines(file))
        .map(move |(number, line)| Line::read(line, number, case))
}

/// The same lines, not yet read: without LF.
pub fn raw_lines(file: &[u8]) -> impl Iterator<Item = &[u8]> {
    let file = file.strip_prefix(b"\xef\xbb\xbf").unwrap_or(file);
    let lines = file.strip_suffix(b"\n").unwrap_or(file).split_str("\n");
    lines.take(if file.is_empty() { 0 } else { usize::MAX })
}

impl Line {
    /// Reads a line without its LF; `number` says which it is, from 1.
    pub fn read(line: &[u8], number: u32, case: Case) -> Self {
        match line {
            b"" => Self::Blank,
            [b'#', ..] => Self::Comment,
            _ => {
                let line = line.strip_suffix(b"\r").unwrap_or(line);
                // git keeps lines as C strings: a NUL ends the pattern.
                let line = line.find_byte(0).map_or(line, |nul| &line[..nul]);
                Self::Rule(Rule::parse(trimmed(line), number, case))
            }
        }
    }
}

/// Drops the spaces at the end that no back-slash protects.
fn trimmed(line: &[u8]) -> &[u8] {
    if line.last() != Some(&b' ') {
        return line;
    }
    let mut end = 0;
    let mut at = 0;
    while let Some(&byte) = line.get(at) {
        at += if byte == b'\\' { 2 } else { 1 };
        if byte != b' ' {
            end = at.min(line.len());
        }
    }
    &line[..end]
}
