//! Values of names that are values themselves: `name: PASSWORD`, and what stands for it near by, or
//! in a block below.

use super::super::formats::{FileCategory, Kinds};
use super::super::quoting::Quoting;
use super::cursor::Cursor;
use super::literal::Value;
use bstr::ByteSlice;
use std::ops::Range;

/// How far below its head a block is looked into, in bytes and in lines.
const BLOCK: usize = 600;
const BLOCK_LINES: usize = 10;

/// What may stand for "the value" where a name is a value itself.
pub(super) const VALUES: &[&[u8]] = &[
    b"value",
    b"val",
    b"content",
    b"default",
    b"defaultvalue",
    b"default_value",
    b"data",
    b"string",
];

impl Cursor<'_> {
    /// `name: PASSWORD`, and below or beside it `value: …`.
    pub(super) fn beside_its_name(&mut self, before: &[u8]) -> Option<Value> {
        if !matches!(self.peek(), b'\n' | b',') || !names_itself(before) {
            return None;
        }
        let is_inner = self.peek() == b',';
        self.skip(|byte| byte.is_ascii_whitespace() || b"-,".contains(&byte));
        if !self.take(VALUES) {
            return None;
        }
        self.blanks();
        if !self.take(&[b":", b"="]) {
            return None;
        }
        if !is_inner {
            return self.of_its_own();
        }
        self.blanks();
        let at = self.at;
        self.literal().or_else(|| {
            self.at = at;
            self.bare(Quoting::Word)
        })
    }

    /// `variable "password" {` or `Password:`, and a line below it, further in, that says `default` or
    /// `value`.
    pub(super) fn in_block_below(&mut self, name: &Range<usize>, kinds: &Kinds) -> Option<Value> {
        // Most names head nothing.
        let is_part = |byte: &u8| b"\"': {=>(\r\t,".contains(byte);
        let start = self.part(name.end, name.end + 3);
        if !start.iter().take_while(|byte| **byte != b'\n').all(is_part) {
            return None;
        }
        self.end = self.text.len().min(name.end + BLOCK);
        let behind = self.rest().lines().next()?;
        let is_head = behind.iter().all(|byte| b"\"': {=>(\r\t,".contains(byte))
            && behind.iter().any(|byte| b":{=".contains(byte));
        if !is_head {
            return None;
        }
        let line = self.text[..name.start].rsplit_str("\n").next()?;
        let depth = line.len() - line.trim_start().len();
        self.at += behind.len() + 1;
        for _ in 0..BLOCK_LINES {
            let line = self.rest().lines().next()?;
            let inner = line.trim_start();
            if !inner.is_empty() && line.len() - inner.len() <= depth {
                return None;
            }
            let at = self.at;
            self.at += line.len() - inner.len();
            self.take(&[b"\"", b"'", b"- "]);
            if self.take(VALUES) {
                self.take(&[b"\"", b"'"]);
                self.blanks();
                if self.take(&[b":", b"="]) {
                    return self.of_its_own().filter(|_| kinds.has(FileCategory::Code));
                }
            }
            self.at = at + line.len() + 1;
        }
        None
    }

    /// A value, in quotes or not, that stands for itself.
    pub(super) fn of_its_own(&mut self) -> Option<Value> {
        self.blanks();
        let at = self.at;
        self.literal().or_else(|| {
            self.at = at;
            self.bare(Quoting::Bare)
        })
    }
}

/// Whether what is before it says that it is itself the value of `name` or `key`.
fn names_itself(before: &[u8]) -> bool {
    let before = before.trim_end_with(|sign| "\"' ".contains(sign));
    [
        &b"name:"[..],
        b"key:",
        b"name=",
        b"key=",
        b"\"name\":",
        b"\"key\":",
    ]
    .iter()
    .any(|word| before.to_ascii_lowercase().ends_with(word))
}
