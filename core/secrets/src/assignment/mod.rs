//! Reading what a name is given: the value behind it, in whatever language, settings file, shell or
//! table it is.

mod blocks;
mod calls;
mod cursor;
mod literal;
mod markup;
mod separators;
mod words;

use super::formats::Kinds;
use super::names::{self, NameKind};
use super::quoting::Quoting;
use bstr::ByteSlice;
use cursor::Cursor;
use foldhash::fast::FixedState;
use std::borrow::Cow;
use std::collections::HashMap;
use std::ops::Range;

/// A name, and the value that stands for it.
pub(super) struct Assignment<'t> {
    /// Where the name is.
    pub(super) name: Range<usize>,
    /// Where the value is; of one in several pieces, all that is between, too.
    pub(super) value: Range<usize>,
    /// The value, its pieces put together.
    pub(super) text: Cow<'t, [u8]>,
    /// What the name says.
    pub(super) says: NameKind,
    /// How it is written.
    pub(super) written: Quoting,
}

/// No name is longer, in bytes.
const LONGEST_NAME: usize = 100;

/// Nor is a value.
const LONGEST_VALUE: usize = 400;

/// How far behind a name its value may start.
const REACH: usize = 160;

/// What names say, as far as they were met: a text has few, and each often.
pub(super) type Known<'t> = HashMap<&'t [u8], Option<NameKind>, FixedState>;

/// What the name that a keyword is in is given; nothing if that can't be determined.
pub(super) fn read<'t>(
    text: &'t [u8],
    keyword: &Range<usize>,
    kinds: &Kinds,
    known: &mut Known<'t>,
) -> Option<Assignment<'t>> {
    let name = name_around(text, keyword)?;
    if !may_be_given(text, &name, kinds) {
        return None;
    }
    let word = &text[name.clone()];
    let says = (*known.entry(word).or_insert_with(|| names::kind_of(word)))?;
    let says = match says {
        NameKind::Hint if is_in_secret_part(text, &name) => NameKind::Maybe,
        says => says,
    };
    let before = &text[name.start.saturating_sub(12)..name.start];
    if before.trim_ascii_end().ends_with(b"typeof") || before.ends_with(b"checksum/") {
        return None;
    }
    let mut at = Cursor {
        text,
        at: name.end,
        end: text.len().min(name.end + REACH),
    };
    let (value, pieces, written) = at.value(&name, says, kinds)?;
    let text = match pieces.as_slice() {
        [one] => Cow::Borrowed(&text[one.clone()]),
        many => Cow::Owned(
            many.iter()
                .flat_map(|piece| text[piece.clone()].iter().copied())
                .collect(),
        ),
    };
    Some(Assignment {
        name,
        value,
        text,
        says,
        written,
    })
}

/// The further texts of a list whose first one was read: `keys = ["…", "…"]`.
pub(super) fn others_in_list<'t>(text: &'t [u8], first: &Assignment<'t>) -> Vec<Assignment<'t>> {
    // In an attribute, a value may be before its name.
    let before = text.get(first.name.end..first.value.start);
    let before = before.unwrap_or_default();
    let opened = before.trim_end_with(|sign| "\"'`b".contains(sign));
    let mut others = Vec::new();
    if opened.len() == before.len() || !opened.trim_ascii_end().ends_with(b"[") {
        return others;
    }
    let mut at = Cursor {
        text,
        at: first.value.end + 1,
        end: text.len().min(first.value.end + LONGEST_VALUE),
    };
    while others.len() < 8 {
        at.skip(|byte| byte.is_ascii_whitespace());
        if !at.take(&[b","]) {
            break;
        }
        at.skip(|byte| byte.is_ascii_whitespace());
        let Some(value) = at.piece() else { break };
        others.push(Assignment {
            name: first.name.clone(),
            text: Cow::Borrowed(&text[value.clone()]),
            value,
            says: first.says,
            written: first.written,
        });
    }
    others
}

/// Whether the name before it, of what it is a part of, is one of secrets: `crypt: { key: … }`.
fn is_in_secret_part(text: &[u8], name: &Range<usize>) -> bool {
    let before = &text[name.start.saturating_sub(PARENT)..name.start];
    let trimmed = before.trim_end_with(|sign| {
        u8::try_from(sign).is_ok_and(|byte| b"{[>:\n\r\t \"'=(<".contains(&byte))
    });
    // Something has to open between the two.
    let is_open = before[trimmed.len()..].find_byteset(b"{[>:").is_some();
    let trimmed = trimmed.strip_suffix(b"![CDATA").unwrap_or(trimmed);
    let start = trimmed
        .iter()
        .rposition(|byte| !PART[usize::from(*byte)])
        .map_or(0, |at| at + 1);
    is_open
        && names::words(&trimmed[start..])
            .iter()
            .any(|word| names::is_part_of_secrets(word))
}

/// So far before a name, what it is a part of may be named, in bytes.
const PARENT: usize = 60;

/// What may be between a name and what gives it a value.
const CLOSERS: &[u8] = b"\\\"'`])} \t";

/// What may give a name a value, or end its line.
const GIVERS: &[u8] = b"=:><,|?[(!-~\n\r";

/// Whether what follows a name may give it a value; most often, something else follows.
fn may_be_given(text: &[u8], name: &Range<usize>, kinds: &Kinds) -> bool {
    let behind = &text[name.end..text.len().min(name.end + 12)];
    let Some(at) = behind.iter().position(|byte| !CLOSERS.contains(byte)) else {
        return behind.first().is_some_and(|byte| b" \t".contains(byte));
    };
    if GIVERS.contains(&behind[at]) || behind[at] == WIDE[0].as_bytes()[0] {
        return true;
    }
    // password "…", password `…`, <string name="password" translatable="false">
    let blanks = behind
        .iter()
        .take_while(|byte| b" \t".contains(byte))
        .count();
    // A verb is no name of one.
    let is_verb = text[name.clone()].eq_ignore_ascii_case(b"pass");
    let quotes: &[u8] = if is_verb { b"\"'" } else { b"\"'`" };
    if blanks > 0 && behind.get(blanks).is_some_and(|byte| quotes.contains(byte)) {
        return true;
    }
    let head = &text[name.start.saturating_sub(8)..name.start];
    if head.ends_with(b"name=\"") || head.ends_with(b"key=\"") {
        return true;
    }
    // std::string password{"…"}
    if behind[at] == b'{' && behind.get(at + 1).is_some_and(|byte| b"\"'".contains(byte)) {
        return true;
    }
    // variable "password" {, <add value="…" key="password" />
    if matches!(behind[at], b'{' | b'/') && behind[..at].contains(&b'"') {
        return true;
    }
    // const password* = "…"
    if behind[at] == b'*' && behind[at + 1..].starts_with(b" =") {
        return true;
    }
    // env::var("TOKEN").unwrap_or("…")
    if behind[at] == b'.' && behind[..at].contains(&b')') && behind[..at].contains(&b'"') {
        return true;
    }
    if !behind[at].is_ascii_alphabetic() {
        return at > 0 && b" \t".contains(&behind[0]);
    }
    if at > 0 && !b" \t".contains(&behind[0]) {
        return is_worded(&behind[at..]);
    }
    // Words, one behind the other: only where a line is made so.
    let before = &text[name.start.saturating_sub(24)..name.start];
    let end = before.iter().rposition(|byte| !b" \t".contains(byte));
    let before_it = &before[..end.map_or(0, |end| end + 1)];
    let introduces = [
        &b"define"[..],
        b"def",
        b":",
        b"ENV",
        b"ARG",
        b"env",
        b"\n",
        b"<",
        b"^:private",
        b"set",
        b"{",
        b";",
        b"-gx",
        b"-x",
        b"-Ux",
        b"setx",
        b"SetEnv",
        b"setenv",
    ];
    before_it.is_empty()
        || introduces.iter().any(|word| before_it.ends_with(word))
        || is_worded(&behind[at..])
        || kinds.is_settings(text)
}

fn is_worded(behind: &[u8]) -> bool {
    let words = [
        &b"as "[..],
        b"As ",
        b"or ",
        b"value",
        b"to ",
        b"is ",
        b"ist ",
        b"es ",
        b"est ",
        b"lautet ",
        b"de ",
        b"for ",
        b"of ",
        b"string ",
        b"String ",
        b"des ",
        b"do ",
        b"del ",
        b"di ",
        b"VALUE ",
        b"PIC ",
    ];
    words.iter().any(|word| behind.starts_with(word))
}

/// The bytes that names are made of.
static PART: [bool; 256] = {
    let mut part = [false; 256];
    let mut byte = 0;
    while byte < part.len() {
        let sign = byte as u8;
        let joins = matches!(sign, b'_' | b'.' | b'-' | b'$');
        part[byte] = sign.is_ascii_alphanumeric() || joins || sign >= 0x80;
        byte += 1;
    }
    part
};

/// A colon and an equals sign in full width.
const WIDE: &[&str] = &["：", "＝"];

/// Where the name is that a keyword is a part of.
fn name_around(text: &[u8], keyword: &Range<usize>) -> Option<Range<usize>> {
    let is_part = |byte: &u8| PART[usize::from(*byte)];
    // What was spelt out with what is behind it isn't a part of the name.
    let hit = &text[keyword.clone()];
    let hit = &hit[..hit.iter().rposition(is_part).map_or(0, |last| last + 1)];
    let end = keyword.start + hit.len();
    let from = keyword.start.saturating_sub(LONGEST_NAME);
    let before = text[from..keyword.start]
        .iter()
        .rev()
        .take_while(|byte| is_part(byte));
    let behind = text[end..]
        .iter()
        .take(LONGEST_NAME)
        .take_while(|byte| is_part(byte));
    let mut name = keyword.start - before.count()..end + behind.count();
    // Signs of other widths give values, too.
    if let Some(at) = WIDE
        .iter()
        .filter_map(|sign| text[end..name.end].find(sign))
        .min()
    {
        name.end = end + at;
    }
    if name.len() > LONGEST_NAME {
        return None;
    }
    while name.start < name.end && b".-$".contains(&text[name.start]) {
        name.start += 1;
    }
    while name.start < name.end && b".-".contains(&text[name.end - 1]) {
        name.end -= 1;
    }
    Some(name)
}
