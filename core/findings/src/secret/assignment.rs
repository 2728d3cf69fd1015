//! Reading what a name is given: the value behind it, in whatever language, settings file, shell or
//! table it stands.

use super::formats::{FileCategory, Kinds};
use super::names::{self, Says};
use bstr::ByteSlice;
use foldhash::fast::FixedState;
use std::borrow::Cow;
use std::collections::HashMap;
use std::ops::Range;

/// A name, and the value that stands for it.
pub(super) struct Assignment<'t> {
    /// Where the name stands.
    pub(super) name: Range<usize>,
    /// Where the value stands; of one in several pieces, all that lies between, too.
    pub(super) value: Range<usize>,
    /// The value, its pieces put together.
    pub(super) text: Cow<'t, [u8]>,
    /// What the name says.
    pub(super) says: Says,
    /// How it is written.
    pub(super) written: Written,
}

/// How a value is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Written {
    /// Between quotes.
    Quoted,
    /// As it is, in a file in which values are written so.
    Bare,
    /// As it is, where other things stand as well: in a comment, in prose.
    Loose,
    /// Between the tags of an element.
    Element,
}

/// No name is longer, in bytes.
const LONGEST_NAME: usize = 100;

/// Nor is a value.
const LONGEST_VALUE: usize = 400;

/// How far behind a name its value may start.
const REACH: usize = 160;

/// Functions that take a name, in quotes, and its value.
const SETTERS: &[&[u8]] = &[
    b"define(",
    b"setenv(",
    b"getenv(",
    b"environ.get(",
    b"env(",
    b"getproperty(",
    b"setproperty(",
    b"getordefault(",
    b".put(",
    b".set(",
    b".fetch(",
    b"setitem(",
    b"requestheader(",
    b".header(",
    b"addheader(",
    b"setheader(",
    b"defaultheaders.add(",
    b"headers.add(",
    b"env.get(",
    b"config.get(",
    b"string(",
    b"getenvdefault(",
    b"env.fetch(",
    b"environ.setdefault(",
    b"lookup_env(",
    b"getenvor(",
    b"envor(",
    b"config(",
    b"decouple(",
];

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

/// What may stand for "the value" where a name is a value itself.
const VALUES: &[&[u8]] = &[
    b"value",
    b"val",
    b"content",
    b"default",
    b"defaultvalue",
    b"default_value",
    b"data",
    b"string",
];

/// What names say, as far as they were met: a text has few, and each often.
pub(super) type Known<'t> = HashMap<&'t [u8], Option<Says>, FixedState>;

/// What the name that a keyword stands in is given; nothing if that can't be told.
pub(super) fn read<'t>(
    text: &'t [u8],
    keyword: &Range<usize>,
    kinds: &Kinds,
    known: &mut Known<'t>,
) -> Option<Assignment<'t>> {
    let name = name_around(text, keyword)?;
    if !may_be_given(text, &name) {
        return None;
    }
    let word = &text[name.clone()];
    let says = (*known.entry(word).or_insert_with(|| names::says(word)))?;
    let before = &text[name.start.saturating_sub(12)..name.start];
    if before.trim_ascii_end().ends_with(b"typeof") {
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

/// What may stand between a name and what gives it a value.
const CLOSERS: &[u8] = b"\\\"'`])} \t";

/// What may give a name a value, or end its line.
const GIVERS: &[u8] = b"=:><,|?[(!-~\n\r";

/// Whether what follows a name may give it a value; most often, something else follows.
fn may_be_given(text: &[u8], name: &Range<usize>) -> bool {
    let behind = &text[name.end..text.len().min(name.end + 12)];
    let Some(at) = behind.iter().position(|byte| !CLOSERS.contains(byte)) else {
        return behind.first().is_some_and(|byte| b" \t".contains(byte));
    };
    if GIVERS.contains(&behind[at]) {
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
    ];
    before_it.is_empty()
        || introduces.iter().any(|word| before_it.ends_with(word))
        || is_worded(&behind[at..])
}

fn is_worded(behind: &[u8]) -> bool {
    let words = [&b"as "[..], b"As ", b"or ", b"value"];
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

/// Where the name stands that a keyword is a part of.
fn name_around(text: &[u8], keyword: &Range<usize>) -> Option<Range<usize>> {
    let is_part = |byte: &u8| PART[usize::from(*byte)];
    // What was spelt out with what stands behind it isn't a part of the name.
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

struct Cursor<'t> {
    text: &'t [u8],
    at: usize,
    end: usize,
}

type Value = (Range<usize>, Vec<Range<usize>>, Written);

impl<'t> Cursor<'t> {
    fn rest(&self) -> &'t [u8] {
        &self.text[self.at.min(self.end)..self.end]
    }

    /// A part of the text, as far as there is any.
    fn part(&self, from: usize, to: usize) -> &'t [u8] {
        let to = to.min(self.text.len());
        &self.text[from.min(to)..to]
    }

    fn peek(&self) -> u8 {
        self.rest().first().copied().unwrap_or(0)
    }

    fn skip(&mut self, is_skipped: impl Fn(u8) -> bool) -> usize {
        let many = self
            .rest()
            .iter()
            .take_while(|byte| is_skipped(**byte))
            .count();
        self.at += many;
        many
    }

    fn blanks(&mut self) -> usize {
        self.skip(|byte| byte == b' ' || byte == b'\t')
    }

    /// Takes one of these, the longest first, whatever its case.
    fn take(&mut self, wanted: &[&[u8]]) -> bool {
        let rest = self.rest();
        let starts = |word: &&&[u8]| {
            rest.len() >= word.len() && rest[..word.len()].eq_ignore_ascii_case(word)
        };
        let longest = wanted.iter().filter(starts).map(|word| word.len()).max();
        self.at += longest.unwrap_or(0);
        longest.is_some()
    }

    /// The value of a name that ends here.
    fn value(&mut self, name: &Range<usize>, says: Says, kinds: &Kinds) -> Option<Value> {
        let before = &self.text[name.start.saturating_sub(40)..name.start];
        let has = |kind| kinds.has(kind);
        // <name>value</name>, perhaps with attributes
        if before.ends_with(b"<") && matches!(self.peek(), b'>' | b' ') {
            let tag = self.rest().find_byteset(b"<>\n")?;
            self.at += tag + 1;
            return match self.text[self.at - 1] == b'>' && self.text[self.at - 2] != b'/' {
                true => self.element(),
                false => None,
            };
        }
        // <key>name</key><string>value</string>
        if before.ends_with(b">") && self.rest().starts_with(b"</") {
            self.skip(|byte| byte != b'>');
            self.at += 1;
            self.skip(|byte| byte.is_ascii_whitespace());
            return match self.take(&[b"<string>", b"<value>", b"<data>"]) {
                true => self.element(),
                false => None,
            };
        }
        let opened = before.trim_end_with(|sign| "-$:@".contains(sign)).last();
        let is_quoted = matches!(opened, Some(b'"' | b'\'' | b'`'));
        let closers = self.skip(|byte| b"\\\"'`])}".contains(&byte));
        let blank = self.blanks();
        let is_closed = self.text[name.end..name.end + closers].contains(&b')');
        if is_closed && !is_quoted && !before.ends_with(b"(:") && !before.ends_with(b"{") {
            return None;
        }
        if is_quoted
            && closers > 0
            && let Some(value) = self.of_pair(name, kinds)
        {
            return Some(value);
        }
        // name: DB_PASSWORD
        //   value: …
        if self.peek() == b'\n' && names_itself(before) {
            self.skip(|byte| byte.is_ascii_whitespace() || byte == b'-');
            if self.take(VALUES) {
                self.blanks();
                return match self.take(&[b":", b"="]) {
                    true => self.of_its_own(),
                    false => None,
                };
            }
            return None;
        }
        let at = self.at;
        if self.separator(name, blank, closers) {
            return self.literal_or_bare(name, kinds);
        }
        self.at = at;
        // Words, one behind the other: `#define NAME "…"`, `requirepass …`, `:password "…"`, `ENV NAME …`
        if blank > 0 && closers == 0 {
            let line_before = before.rsplit_str("\n").next().unwrap_or_default().trim();
            let is_alone = line_before.is_empty();
            let introduces = [&b"define"[..], b"(def", b":", b"ENV", b"ARG", b"env"];
            let is_introduced = introduces.iter().any(|word| line_before.ends_with(word));
            if is_introduced || is_alone && says == Says::Password {
                let is_bare = is_alone && has(FileCategory::Settings)
                    || line_before == b"ENV"
                    || line_before == b"ARG";
                return self.literal().or_else(|| {
                    if is_bare {
                        self.bare(Written::Bare)
                    } else {
                        None
                    }
                });
            }
        }
        // std::string name("…")
        if self.peek() == b'('
            && closers == 0
            && before.trim_end().to_ascii_lowercase().ends_with(b"string")
        {
            self.at += 1;
            return self.literal();
        }
        None
    }

    /// A value that goes with a name in quotes: `define('NAME', '…')`, `key="NAME" value="…"`,
    /// `"name": "NAME", "value": "…"`.
    fn of_pair(&mut self, name: &Range<usize>, kinds: &Kinds) -> Option<Value> {
        // <string name="…">value</string>
        if self.peek() == b'>' {
            self.at += 1;
            return self.element();
        }
        let start = self.at;
        let is_comma = self.take(&[b","]);
        self.skip(|byte| byte.is_ascii_whitespace());
        let opened = self.take(&[b"\\\"", b"\"", b"'"]);
        if self.take(VALUES) && (is_comma || !opened) {
            self.take(&[b"\\\"", b"\"", b"'"]);
            self.blanks();
            if self.take(&[b"=>", b":", b"="]) {
                self.blanks();
                return self.literal_or_bare(name, kinds);
            }
        }
        self.at = start;
        let from = name.start.saturating_sub(30);
        let called = self.text[from..name.start].to_ascii_lowercase();
        let called = called.trim_end_with(|sign| "\"'`\\ @bN-".contains(sign));
        if is_comma {
            if SETTERS.iter().any(|setter| called.ends_with(setter)) {
                self.at = start + 1;
                self.skip(|byte| byte.is_ascii_whitespace());
                return self.literal();
            }
            // add_argument("--password", default="…")
            if called.ends_with(b"argument(")
                || called.ends_with(b"option(")
                || called.ends_with(b"add_option(")
            {
                let found = [
                    &b"default=\""[..],
                    b"default='",
                    b"default: \"",
                    b"default: '",
                    b"default = \"",
                ];
                let rest = self.rest().lines().next().unwrap_or_default();
                let at = found
                    .iter()
                    .find_map(|word| rest.find(word).map(|at| at + word.len() - 1));
                self.at += at?;
                return self.literal();
            }
        }
        self.at = start;
        None
    }

    /// A value, in quotes or not, that stands for itself.
    fn of_its_own(&mut self) -> Option<Value> {
        self.blanks();
        let at = self.at;
        self.literal().or_else(|| {
            self.at = at;
            self.bare(Written::Bare)
        })
    }

    /// Takes what stands between a name and its value.
    fn separator(&mut self, name: &Range<usize>, blank: usize, closers: usize) -> bool {
        let shell = self.text[..name.start].ends_with(b"${");
        if shell && self.take(&[b":-", b":=", b"-"]) {
            return true;
        }
        // A type, or what declares one.
        if self.peek() == b'[' {
            self.skip(|byte| byte == b'[' || byte == b']' || byte.is_ascii_alphanumeric());
            self.blanks();
        }
        if blank > 0 && self.take(&[b"as string", b"as const string"]) {
            self.blanks();
        }
        if closers > 0 {
            // The name of an environment variable, read with a default.
            let at = self.at;
            self.skip(|byte| b") ".contains(&byte));
            if self.take(&[b"||", b"??", b"?:", b"or "]) {
                self.blanks();
                return true;
            }
            self.at = at;
        }
        if self.take(&[
            b":=", b"=>", b"<-", b"===", b"==", b"!==", b"!=", b"?=", b"::=", b"=",
        ]) {
            return true;
        }
        if self.take(&[b"||", b"??", b"?:"]) {
            return true;
        }
        if self.rest().starts_with(b"::") || !self.take(&[b":"]) {
            return false;
        }
        // name: type = value
        let at = self.at;
        let is_type = |byte: u8| byte.is_ascii_alphanumeric() || b"_<>[]&|?., ;'".contains(&byte);
        let typed = self.skip(is_type);
        let behind = self.rest().get(1);
        let is_typed = behind.is_some_and(|byte| b" \"'`".contains(byte));
        if (1..60).contains(&typed) && self.peek() == b'=' && is_typed {
            self.at += 1;
        } else {
            self.at = at;
        }
        true
    }

    fn literal_or_bare(&mut self, name: &Range<usize>, kinds: &Kinds) -> Option<Value> {
        let glued = self
            .part(name.end, self.at)
            .iter()
            .all(|byte| *byte == b'=');
        self.blanks();
        let at = self.at;
        if self.closes_a_text(name) {
            return None;
        }
        if let Some(value) = self.literal() {
            return Some(value);
        }
        self.at = at;
        let written = self.written(name, glued, kinds)?;
        let is_word = glued && kinds.has(FileCategory::Shell);
        // A block of text below its name.
        if self.take(&[b">-", b"|-", b">", b"|"]) && self.blanks() == 0 && self.peek() == b'\n' {
            self.skip(|byte| byte.is_ascii_whitespace());
        } else {
            self.at = at;
        }
        let value = self.bare(written)?;
        // A command may follow.
        let ends = self.text[value.0.clone()]
            .find_byteset(b" \t")
            .filter(|_| is_word);
        Some(match ends {
            Some(at) => {
                let short = value.0.start..value.0.start + at;
                (short.clone(), vec![short], value.2)
            }
            None => value,
        })
    }

    /// Whether the quote here ends the text that the name stands in.
    fn closes_a_text(&self, name: &Range<usize>) -> bool {
        let quote = self.peek();
        if !b"\"'`".contains(&quote) {
            return false;
        }
        let from = name.start.saturating_sub(4 * LONGEST_NAME);
        let before = &self.text[from..name.start];
        let line = before.rsplit_str("\n").next().unwrap_or_default();
        if line.len() == 4 * LONGEST_NAME || before.last() == Some(&quote) {
            // Something else would have to follow the value.
            let behind = self.part(self.at + 1, self.at + 3);
            return before.last() != Some(&quote)
                && matches!(behind.first(), Some(b'+' | b')' | b',' | b';'));
        }
        let is_letter = |at: Option<&u8>| at.is_some_and(u8::is_ascii_alphabetic);
        let opens = line.iter().enumerate().filter(|(at, byte)| {
            let is_apostrophe =
                is_letter(line.get(at.wrapping_sub(1))) && is_letter(line.get(at + 1));
            **byte == quote && !is_apostrophe && line.get(at.wrapping_sub(1)) != Some(&b'\\')
        });
        opens.count() % 2 == 1
    }

    /// Whether a value may stand here without quotes, and how that is written.
    fn written(&self, name: &Range<usize>, glued: bool, kinds: &Kinds) -> Option<Written> {
        use FileCategory::{Environment, Prose, Settings, Shell};
        let has = |kind| kinds.has(kind);
        let line = &self.text[name.start.saturating_sub(LONGEST_NAME)..name.start];
        let line = line.rsplit_str("\n").next().unwrap_or_default();
        let words = line.trim_start();
        // A default of a shell.
        if line.ends_with(b"${") {
            return Some(Written::Loose);
        }
        let introduces = |word: &[u8]| {
            let word = word.trim_ascii();
            [
                &b""[..],
                b"-",
                b"export",
                b"set",
                b"env",
                b"arg",
                b"-e",
                b"--env",
                b"#",
                b";",
                b"//",
                b"environment=",
            ]
            .contains(&word.to_ascii_lowercase().as_slice())
        };
        let opened = words.trim_end_with(|sign| "\"'".contains(sign));
        let is_first = introduces(opened) || opened.split(|byte| *byte == b' ').all(introduces);
        let compares = self.part(name.end, self.at).contains_str("==")
            || self.part(name.end, self.at).contains_str("!=");
        if compares {
            return None;
        }
        if (has(Environment) || has(Settings)) && is_first {
            return Some(Written::Bare);
        }
        let is_capital = self.text[name.clone()]
            .iter()
            .all(|byte| !byte.is_ascii_lowercase());
        if has(Shell)
            && (glued
                || words.to_ascii_lowercase().starts_with(b"set ")
                || !is_capital && !words.is_empty())
        {
            return Some(Written::Bare);
        }
        // The address of a picture.
        if line.contains_str("badge") || line.contains_str("shields.io") {
            return None;
        }
        // Put together from variables.
        let behind = self.part(self.at, self.at + 40);
        if behind.starts_with(b"$") && !has(Environment) && !has(Settings) {
            return None;
        }
        let comments = [
            &b"//"[..],
            b"#",
            b"*",
            b"--",
            b";",
            b"<!--",
            b"REM ",
            b"rem ",
            b"' ",
        ];
        let is_comment = comments.iter().any(|mark| words.starts_with(mark))
            || line.contains_str("// ")
            || line.contains_str("# ");
        let is_variable =
            is_capital && glued && !line.last().is_some_and(|byte| b"$%({".contains(byte));
        (has(Prose) || is_comment || is_variable).then_some(Written::Loose)
    }

    /// A text in quotes, in one piece or several.
    fn literal(&mut self) -> Option<Value> {
        self.wrapper();
        // The value may stand on the next line.
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
        Some((pieces[0].start..last.end, pieces, Written::Quoted))
    }

    /// Takes what only says of which kind a text is: `String::from(`, `[]byte(`, `@`, `L`, `b`.
    fn wrapper(&mut self) {
        let at = self.at;
        let is_part = |byte: u8| byte.is_ascii_alphanumeric() || b"_:.[]<>&!* ".contains(&byte);
        let many = self.skip(is_part);
        let words = self.part(at, at + many);
        if self.peek() != b'(' || many > 50 {
            self.at = at;
            return;
        }
        let last = words
            .rsplit(|byte| !byte.is_ascii_alphanumeric() && *byte != b'_')
            .find(|part| !part.is_empty());
        let last = last.unwrap_or_default().to_ascii_lowercase();
        match WRAPPERS.contains(&last.as_slice()) || words.is_empty() {
            true => self.at += 1,
            false => self.at = at,
        }
        self.blanks();
    }

    fn piece(&mut self) -> Option<Range<usize>> {
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
            return Some(start..end);
        }
    }

    /// A value without quotes, up to the end of its line.
    fn bare(&mut self, written: Written) -> Option<Value> {
        self.end = self.text.len().min(self.at + LONGEST_VALUE);
        let line = self.rest().lines().next().unwrap_or_default();
        let line = match written {
            Written::Bare => line,
            _ => {
                let ends = |byte: u8| byte.is_ascii_whitespace() || b"\"'`<>;|)}\\".contains(&byte);
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
                || written != Written::Bare && matches!(sign, '.' | ':' | '}' | ']')
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
            is_called(at) && (written == Written::Loose || line.contains(&b' '))
                || at == 0 && (line.contains(&b' ') || line.contains(&b'"'))
        }) {
            return None;
        }
        let value = self.at..self.at + line.len();
        Some((value.clone(), vec![value], written))
    }

    /// The text of an element, up to its end.
    fn element(&mut self) -> Option<Value> {
        self.end = self.text.len().min(self.at + LONGEST_VALUE);
        self.skip(|byte| byte.is_ascii_whitespace());
        let ends = self.rest().find_byte(b'<')?;
        let long = self.rest()[..ends].trim_ascii_end().len();
        let value = self.at..self.at + long;
        (long > 0).then(|| (value.clone(), vec![value], Written::Element))
    }
}

/// Whether what stands before it says that it is itself the value of `name` or `key`.
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
