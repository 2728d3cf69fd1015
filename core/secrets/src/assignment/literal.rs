//! Reading a value: a text in quotes, in one piece or several; a word or a line without; the text
//! of an element.

use super::super::quoting::Quoting;
use super::cursor::Cursor;
use super::{LONGEST_VALUE, REACH};
use bstr::ByteSlice;
use std::ops::Range;

/// Where a value is, its pieces, and how it is written.
pub(super) type Value = (Range<usize>, Vec<Range<usize>>, Quoting);

/// Fewer bytes are no key.
const LEAST_BYTES: usize = 16;

/// What wraps a literal and leaves it what it is.
const WRAPPERS: &[&[u8]] = &[
    b"from",
    b"new",
    b"byte",
    b"bytes",
    b"some",
    b"str",
    b"string",
    b"secretstr",
    b"secretstring",
    b"secret",
    b"text",
    b"_t",
    b"valueof",
    b"of",
    b"literal",
    b"ok",
    b"just",
    b"option",
    b"secretbox",
    b"_",
];

impl Cursor<'_> {
    /// A text in quotes, in one piece or several.
    pub(super) fn literal(&mut self) -> Option<Value> {
        self.wrapper();
        // The value may be on the next line.
        let at = self.at;
        self.skip(|byte| byte.is_ascii_whitespace() || byte == b'\\' || byte == b'(');
        if !matches!(
            self.peek(),
            b'"' | b'\'' | b'`' | b'@' | b'L' | b'b' | b'r' | b'N' | b'u'
        ) {
            self.at = at;
        }
        let first = self.piece()?;
        let mut pieces = vec![first.clone()];
        let mut last = first;
        loop {
            let at = self.at;
            self.end = self.text.len().min(at + REACH + LONGEST_VALUE);
            let newline = self
                .part(at, self.end)
                .iter()
                .take_while(|byte| byte.is_ascii_whitespace())
                .any(|byte| *byte == b'\n');
            self.skip(|byte| byte.is_ascii_whitespace());
            let joins = self.take(&[b"+", b"..", b".", b"&", b"||", b"~", b"<>", b"\\"]);
            self.skip(|byte| byte.is_ascii_whitespace() || byte == b'_');
            if (joins || newline)
                && pieces.len() < 8
                && let Some(piece) = self.piece()
            {
                last = piece.clone();
                pieces.push(piece);
                continue;
            }
            self.at = at;
            // What is put together with something that isn't here, isn't known.
            let goes_on = self.part(at, self.end).trim_start();
            let is_formed = [
                &b"+"[..],
                b". ",
                b".. ",
                b"& ",
                b".format",
                b"% ",
                b"%(",
                b"~ ",
            ];
            if is_formed.iter().any(|mark| goes_on.starts_with(mark)) {
                return None;
            }
            break;
        }
        Some((pieces[0].start..last.end, pieces, Quoting::Quoted))
    }

    /// The first text of a list, or the bytes of one that are written as numbers.
    pub(super) fn first_of_list(&mut self) -> Option<Value> {
        let words = [
            &b"bytes"[..],
            b"bytearray",
            b"new",
            b"byte",
            b"[]byte",
            b"uint8array.from",
            b"b",
        ];
        while self.take(&words) {
            self.blanks();
        }
        let opened = self.skip(|byte| b"([{&%w".contains(&byte) || byte.is_ascii_whitespace());
        if opened == 0 {
            return None;
        }
        if self.rest().starts_with(b"0x") {
            return self.bytes_in_numbers();
        }
        let is_list = self
            .part(self.at - opened, self.at)
            .iter()
            .any(|byte| b"[(".contains(byte));
        let value = self.piece().filter(|_| is_list)?;
        self.blanks();
        let ends = matches!(self.peek(), b',' | b']' | b')');
        ends.then(|| (value.clone(), vec![value], Quoting::Quoted))
    }

    /// `0x3a, 0x7f, …`, at least sixteen of them.
    fn bytes_in_numbers(&mut self) -> Option<Value> {
        let start = self.at;
        self.end = self.text.len().min(start + 2 * LONGEST_VALUE);
        let mut pieces = Vec::new();
        loop {
            self.skip(|byte| byte.is_ascii_whitespace() || byte == b',');
            if !self.take(&[b"0x"]) {
                break;
            }
            let at = self.at;
            if self.skip(|byte| byte.is_ascii_hexdigit()) != 2 {
                return None;
            }
            pieces.push(at..self.at);
        }
        let last = pieces.last()?.end;
        (pieces.len() >= LEAST_BYTES && matches!(self.peek(), b'}' | b']' | b')')).then_some((
            start..last,
            pieces,
            Quoting::Quoted,
        ))
    }

    /// Takes what only says of which kind a text is: `String::from(`, `[]byte(`, `@`, `L`, `b`.
    fn wrapper(&mut self) {
        let at = self.at;
        let many = self.skip(|byte| byte.is_ascii_alphanumeric() || b"_:.[]<>&!* ".contains(&byte));
        let words = self.part(at, at + many);
        // T.pack "…"
        if words.trim_ascii_end().ends_with(b"pack") && matches!(self.peek(), b'"') {
            return;
        }
        if self.peek() != b'(' || many > 50 {
            self.at = at;
            return;
        }
        let last = words
            .rsplit(|byte| !byte.is_ascii_alphanumeric() && *byte != b'_')
            .find(|part| !part.is_empty());
        let last = last.unwrap_or_default().to_ascii_lowercase();
        if WRAPPERS.contains(&last.as_slice()) || words.is_empty() {
            self.at += 1;
        } else {
            self.at = at;
        }
        self.blanks();
    }

    pub(super) fn piece(&mut self) -> Option<Range<usize>> {
        self.end = self.text.len().min(self.at + 2 * LONGEST_VALUE);
        let at = self.at;
        let letters = self.skip(|byte| b"bBrRuULNf8@$".contains(&byte));
        if letters > 2 {
            self.at = at;
            return None;
        }
        let is_escaped = self.peek() == b'\\';
        if is_escaped {
            self.at += 1;
        }
        let quote = self.peek();
        if !matches!(quote, b'"' | b'\'' | b'`') {
            self.at = at;
            return None;
        }
        let three = [quote; 3];
        let mark: &[u8] = match () {
            () if is_escaped => &[b'\\', quote],
            () if self.rest().starts_with(&three) => &three,
            () => &[quote],
        };
        self.at += if is_escaped { 1 } else { mark.len() };
        let start = self.at;
        let mut from = start;
        loop {
            let Some(found) = self.part(from, self.end).find(mark) else {
                self.at = at;
                return None;
            };
            let end = from + found;
            let is_odd = self.text[start..end]
                .iter()
                .rev()
                .take_while(|byte| **byte == b'\\')
                .count()
                % 2
                == 1;
            if is_odd && !is_escaped {
                from = end + 1;
                continue;
            }
            let is_formed = letters > 0 && b"f$F".contains(&self.text[start - mark.len() - 1]);
            if is_formed && self.text[start..end].contains(&b'{') {
                self.at = at;
                return None;
            }
            let is_one_line = mark.len() == 3 || !self.text[start..end].contains(&b'\n');
            if end - start > LONGEST_VALUE || !is_one_line {
                self.at = at;
                return None;
            }
            self.at = end + mark.len();
            if mark.len() == 3 {
                let blanks = |text: &[u8]| text.len() - text.trim_ascii_start().len();
                let from = start + blanks(&self.text[start..end]);
                let to = end - (end - from - self.text[from..end].trim_ascii_end().len());
                return (from < to).then_some(from..to);
            }
            return Some(start..end);
        }
    }

    /// A value without quotes, up to the end of its line.
    pub(super) fn bare(&mut self, written: Quoting) -> Option<Value> {
        self.end = self.text.len().min(self.at + LONGEST_VALUE);
        let line = self.rest().lines().next().unwrap_or_default();
        let line = match written {
            Quoting::Bare => line,
            Quoting::Word => {
                let word = line.fields().next().unwrap_or_default();
                // An expression, not a value.
                let is_expression =
                    word.contains_str("$(") || word.contains_str("(${") || word.starts_with(b"@(");
                if is_expression { &[] } else { word }
            }
            _ => {
                let ends = |byte: u8| {
                    byte.is_ascii_whitespace()
                        || b"\"'`<>;|)}\\".contains(&byte)
                        || byte == b'&' && written == Quoting::Query
                };
                &line[..line
                    .iter()
                    .position(|byte| ends(*byte))
                    .unwrap_or(line.len())]
            }
        };
        let comment = [" #", " ;", "\t#", " //"]
            .iter()
            .filter_map(|mark| line.find(mark))
            .min();
        let line = line[..comment.unwrap_or(line.len())].trim_ascii();
        let line = line.trim_end_with(|sign| {
            matches!(sign, ',' | ';' | '\\')
                || matches!(written, Quoting::Loose | Quoting::Query)
                    && matches!(sign, '.' | ':' | '}' | ']')
        });
        if line.is_empty() {
            return None;
        }
        // An expression, not a value.
        let is_called = |at: usize| {
            at > 0
                && line[..at]
                    .iter()
                    .all(|byte| byte.is_ascii_alphanumeric() || b"_.!:".contains(byte))
                && !line[..at].iter().all(u8::is_ascii_digit)
        };
        let opens = line.iter().position(|byte| b"([{".contains(byte));
        if opens.is_some_and(|at| {
            is_called(at) && (written != Quoting::Bare || line.contains(&b' '))
                || at == 0 && (line.contains(&b' ') || line.contains(&b'"'))
        }) {
            return None;
        }
        let value = self.at..self.at + line.len();
        Some((value.clone(), vec![value], written))
    }

    /// The text of an element, up to its end.
    pub(super) fn element(&mut self) -> Option<Value> {
        self.end = self.text.len().min(self.at + LONGEST_VALUE);
        self.skip(|byte| byte.is_ascii_whitespace());
        // <Password><Value>…</Value></Password>
        let at = self.at;
        if self.peek() == b'<' && self.rest().get(1).is_some_and(u8::is_ascii_alphabetic) {
            self.skip(|byte| byte != b'>' && byte != b'\n');
            if self.peek() == b'>' && self.part(self.at - 1, self.at) != b"/" {
                self.at += 1;
                self.skip(|byte| byte.is_ascii_whitespace());
            } else {
                self.at = at;
            }
        }
        let ends = if self.take(&[b"<![CDATA["]) {
            self.rest().find(b"]]>")?
        } else {
            self.rest().find_byte(b'<')?
        };
        let long = self.rest()[..ends].trim_ascii_end().len();
        let value = self.at..self.at + long;
        (long > 0).then(|| (value.clone(), vec![value], Quoting::Element))
    }
}
