//! Values in elements and attributes.

use super::LONGEST_VALUE;
use super::cursor::Cursor;
use super::literal::Value;
use bstr::ByteSlice;
use std::ops::Range;

/// What a value stands in, behind the element that is its name.
const HOLDERS: &[&[u8]] = &[
    b"<string>",
    b"<value>",
    b"<data>",
    b"<td>",
    b"<dd>",
    b"<td><code>",
    b"<code>",
];

impl Cursor<'_> {
    /// `<name>value</name>`, perhaps with attributes.
    pub(super) fn of_element(&mut self) -> Option<Value> {
        let tag = self.rest().find_byteset(b"<>\n")?;
        self.at += tag + 1;
        let is_open = self.text[self.at - 1] == b'>' && self.text[self.at - 2] != b'/';
        if is_open { self.element() } else { None }
    }

    /// `<key>name</key><string>value</string>`
    pub(super) fn of_next_element(&mut self) -> Option<Value> {
        self.skip(|byte| byte != b'>');
        self.at += 1;
        self.skip(|byte| byte.is_ascii_whitespace());
        if self.take(HOLDERS) {
            self.element()
        } else {
            None
        }
    }

    /// `<string name="…">value</string>`, perhaps with further attributes.
    pub(super) fn of_named_element(&mut self, before: &[u8]) -> Option<Value> {
        if self.peek() == b'>' {
            self.at += 1;
            return self.element();
        }
        let is_named = before.ends_with(b"name=\"") && before.contains(&b'<');
        let closes = self.rest().find_byteset(b"<>\n")?;
        let attributes = &self.rest()[..closes];
        let is_open =
            self.rest()[closes] == b'>' && attributes.last().is_some_and(|last| *last != b'/');
        let says_value = attributes.contains_str("value") || attributes.starts_with(b",");
        if !is_named || !is_open || says_value {
            return None;
        }
        self.at += closes + 1;
        self.element()
    }

    /// `<add value="…" key="name" />`: the value is in the same element, before its name.
    pub(super) fn in_attribute_before(&mut self, name: &Range<usize>) -> Option<Value> {
        let near = &self.text[name.start.saturating_sub(6)..name.start];
        let is_naming = [&b"key=\""[..], b"name=\"", b"key='", b"name='"];
        if !matches!(self.peek(), b'"' | b'\'')
            || !is_naming.iter().any(|word: &&[u8]| {
                let at = near.len().checked_sub(word.len());
                at.is_some_and(|at| near[at..].eq_ignore_ascii_case(word))
            })
        {
            return None;
        }
        let from = name.start.saturating_sub(2 * LONGEST_VALUE);
        let before = &self.text[from..name.start];
        let opens = before.rfind_byteset(b"<>")?;
        if before[opens] != b'<' {
            return None;
        }
        let element = &before[opens..];
        let at = element.to_ascii_lowercase().rfind(b" value=")?;
        self.at = from + opens + at + b" value=".len();
        self.literal()
    }
}
