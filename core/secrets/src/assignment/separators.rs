//! What is between a name and its value, and says that it gives one.

use super::super::formats::{FileCategory, Kinds};
use super::super::names::{self, NameKind};
use super::super::quoting::Quoting;
use super::LONGEST_NAME;
use super::cursor::Cursor;
use super::literal::Value;
use bstr::ByteSlice;
use std::ops::Range;

/// What is secret in an address, by its name; other tokens there are numbers of a thing.
const QUERIED: &[&str] = &[
    "apikey",
    "apitoken",
    "accesstoken",
    "authtoken",
    "bearertoken",
    "refreshtoken",
    "privatetoken",
    "clientsecret",
    "secret",
    "secretkey",
    "password",
    "passwd",
    "pwd",
    "pass",
    "authkey",
];

/// Nobody types so much on either side of a name, in bytes.
const LONG_LINE: usize = 500;

/// So far before a name, what introduces it is looked for, in bytes.
const BEFORE: usize = 60;

impl Cursor<'_> {
    /// The value of a name that ends here: beside it, in an attribute before it, or in a block below.
    pub(super) fn value(
        &mut self,
        name: &Range<usize>,
        says: NameKind,
        kinds: &Kinds,
    ) -> Option<Value> {
        let start = (self.at, self.end);
        if let Some(value) = self.value_beside(name, says, kinds) {
            return Some(value);
        }
        (self.at, self.end) = start;
        self.in_attribute_before(name).or_else(|| {
            (self.at, self.end) = start;
            self.in_block_below(name, kinds)
        })
    }

    /// Each way of giving a value that its surroundings allow, in turn.
    fn value_beside(
        &mut self,
        name: &Range<usize>,
        says: NameKind,
        kinds: &Kinds,
    ) -> Option<Value> {
        let before = &self.text[name.start.saturating_sub(BEFORE)..name.start];
        if before.ends_with(b"<") && matches!(self.peek(), b'>' | b' ') {
            return self.of_element();
        }
        if before.ends_with(b">") && self.rest().starts_with(b"</") {
            return self.of_next_element();
        }
        let opened = before.trim_end_with(|sign| "-$:@".contains(sign)).last();
        let is_quoted = matches!(opened, Some(b'"' | b'\'' | b'`'));
        let closers = self.skip(|byte| b"\\\"'`])}".contains(&byte));
        let blank = self.blanks();
        let is_closed = self.text[name.end..name.end + closers].contains(&b')');
        if is_closed && !is_quoted && !before.ends_with(b"(:") && !before.ends_with(b"{") {
            return None;
        }
        let at = self.at;
        let mut value = None;
        if is_quoted && closers > 0 {
            value = self.of_named_element(before).or_else(|| {
                self.at = at;
                self.of_pair(name, kinds)
            });
        }
        value
            .or_else(|| {
                self.at = at;
                self.beside_its_name(before)
            })
            .or_else(|| {
                self.at = at;
                if self.separator(name, blank, closers) {
                    return self.literal_or_bare(name, kinds);
                }
                self.at = at;
                if closers > 0 {
                    return None;
                }
                self.without_separator(name, before, (says, blank), kinds)
            })
    }

    /// What follows a name with nothing between that gives a value.
    fn without_separator(
        &mut self,
        name: &Range<usize>,
        before: &[u8],
        (says, blank): (NameKind, usize),
        kinds: &Kinds,
    ) -> Option<Value> {
        let at = self.at;
        if blank == 0 {
            // std::string name{"…"}, .name("…"), setName("…"), Name("…")
            if self.peek() == b'{' || self.gives_by_call(name, says) {
                self.at += 1;
                return self.literal();
            }
            return self.behind_comma(name, before);
        }
        // the password <code>…</code>; a verb is no name of one
        let is_verb = self.text[name.clone()].eq_ignore_ascii_case(b"pass");
        if !is_verb && self.take(&[b"``", b"<code>", b"<tt>", b"<kbd>", b"<b>", b"<strong>"]) {
            return self.bare(Quoting::Loose);
        }
        self.behind_blanks(before, says, kinds).or_else(|| {
            // The password of the console is …, password for nia: …
            self.at = at;
            let is_prose = kinds.has(FileCategory::Prose) || before.trim_end().ends_with(b"#");
            if is_prose { self.in_sentence() } else { None }
        })
    }

    /// Takes what is between a name and its value.
    fn separator(&mut self, name: &Range<usize>, blank: usize, closers: usize) -> bool {
        let shell = self.text[..name.start].ends_with(b"${");
        if shell && self.take(&[b":-", b":=", b"-"]) {
            return true;
        }
        // A type, or what declares one; a further name in brackets.
        if self.peek() == b'[' {
            self.skip(|byte| b"[]'\"_".contains(&byte) || byte.is_ascii_alphanumeric());
            self.blanks();
        }
        // string Password { get; set; } = "…"
        if self.rest().starts_with(b"{ get") {
            self.skip(|byte| byte != b'}' && byte != b'\n');
            self.at += 1;
            self.blanks();
        }
        if blank > 0 && self.take(&[b"as string", b"as const string", b"string ", b"str "]) {
            self.blanks();
        }
        if self.peek() == b'*' {
            self.at += 1;
            self.blanks();
        }
        if closers > 0 {
            // The name of an environment variable, read with a default.
            let at = self.at;
            self.skip(|byte| b") .".contains(&byte));
            // ParamByName('Password').AsString := '…'
            self.take(&[b"asstring", b"value", b"text"]);
            self.blanks();
            if self.take(&[
                b":=",
                b"||=",
                b"||",
                b"??=",
                b"??",
                b"?:",
                b"or ",
                b"unwrap_or(",
                b"orelse(",
                b"getorelse(",
                b"ok().unwrap_or(",
            ]) || self.take(&[b"unwrap_or_else(", b"ok().unwrap_or_else("])
                && self.take(&[b"|_|", b"||"])
            {
                self.blanks();
                return true;
            }
            self.at = at;
        }
        if self.take(&[
            b":=", b"=>", b"<-", b"===", b"==", b"!==", b"!=", b"?=", b"::=", b"||=", b"//=",
            b"??=", b"=",
        ]) {
            return true;
        }
        if self.take(&[b"||", b"??", b"?:", "：".as_bytes(), "＝".as_bytes()]) {
            return true;
        }
        if self.rest().starts_with(b"::") || !self.take(&[b":"]) {
            return false;
        }
        // name: type = value
        let at = self.at;
        let typed =
            self.skip(|byte| byte.is_ascii_alphanumeric() || b"_<>[]&|?., ;'".contains(&byte));
        let behind = self.rest().get(1);
        let is_typed = behind.is_some_and(|byte| b" \"'`".contains(byte));
        if (1..60).contains(&typed) && self.peek() == b'=' && is_typed {
            self.at += 1;
        } else {
            self.at = at;
        }
        true
    }

    pub(super) fn literal_or_bare(&mut self, name: &Range<usize>, kinds: &Kinds) -> Option<Value> {
        let glued = self
            .part(name.end, self.at)
            .iter()
            .all(|byte| *byte == b'=');
        self.blanks();
        if kinds.has(FileCategory::Prose) {
            self.skip(|byte| b"*_ ".contains(&byte));
        }
        let at = self.at;
        if self.closes_a_text(name) {
            return None;
        }
        if let Some(value) = self.literal().or_else(|| {
            self.at = at;
            self.first_of_list()
        }) {
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

    /// Whether the quote here ends the text that the name is in.
    fn closes_a_text(&self, name: &Range<usize>) -> bool {
        let quote = self.peek();
        if !b"\"'`".contains(&quote) || self.part(name.end, self.at).contains(&quote) {
            return false;
        }
        let from = name.start.saturating_sub(4 * LONGEST_NAME);
        let before = &self.text[from..name.start];
        let line = before.rsplit_str("\n").next().unwrap_or_default();
        if line.len() == 4 * LONGEST_NAME || before.last() == Some(&quote) {
            // Something else would have to follow the value.
            let behind = self.part(self.at + 1, self.at + 3);
            return matches!(behind.first(), Some(b'+' | b')' | b',' | b';' | b'.'));
        }
        let is_letter = |at: Option<&u8>| at.is_some_and(u8::is_ascii_alphabetic);
        let opens = line.iter().enumerate().filter(|(at, byte)| {
            let is_apostrophe =
                is_letter(line.get(at.wrapping_sub(1))) && is_letter(line.get(at + 1));
            **byte == quote && !is_apostrophe && line.get(at.wrapping_sub(1)) != Some(&b'\\')
        });
        opens.count() % 2 == 1
    }

    /// Whether the line goes on and on around a name, as a tool writes it.
    fn is_in_long_line(&self, name: &Range<usize>) -> bool {
        let before = &self.text[name.start.saturating_sub(LONG_LINE)..name.start];
        let behind = self.part(name.end, name.end + LONG_LINE);
        let is_long = |part: &[u8]| part.len() == LONG_LINE && !part.contains(&b'\n');
        is_long(before) && is_long(behind)
    }

    /// Whether a value may be here without quotes, and how that is written.
    fn written(&self, name: &Range<usize>, glued: bool, kinds: &Kinds) -> Option<Quoting> {
        use FileCategory::{Environment, Prose, Shell, Source};
        let has = |kind| kinds.has(kind);
        let line = &self.text[name.start.saturating_sub(LONGEST_NAME)..name.start];
        let line = line.rsplit_str("\n").next().unwrap_or_default();
        let words = line.trim_start();
        // A default of a shell.
        if line.ends_with(b"${") {
            return Some(Quoting::Loose);
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
                b"@",
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
        let is_settings = kinds.is_settings(self.text);
        if (has(Environment) || is_settings) && is_first {
            return Some(Quoting::Bare);
        }
        // In an address: `?access_token=…&`
        let is_query = matches!(line.last(), Some(b'?' | b'&')) || line.ends_with(b"&amp;");
        if is_query && self.part(name.end, self.at).starts_with(b"=") {
            let word = names::words(&self.text[name.clone()]).concat();
            let is_plain = QUERIED.contains(&word.as_str())
                || !has(Source) && ["token", "auth"].contains(&word.as_str());
            return is_plain.then_some(Quoting::Query);
        }
        // { user: nia, password: … }
        let is_inner = words
            .trim_end()
            .last()
            .is_some_and(|byte| b"{,".contains(byte));
        if is_settings && is_inner && !rest_has_call(self.rest()) {
            return Some(Quoting::Word);
        }
        // tower ansible_user=nia ansible_ssh_pass=…
        let is_program = has(Source) || has(Prose) || has(Shell) || self.is_in_long_line(name);
        if (is_settings || !is_program) && glued && self.part(name.end, self.at).starts_with(b"=") {
            return Some(Quoting::Word);
        }
        // In what is no program, a single word behind a name at the start of its line is a value.
        let rest = self.rest().lines().next().unwrap_or_default().trim_ascii();
        if is_first && !has(Source) && !has(Prose) && !rest.is_empty() && !rest.contains(&b' ') {
            return Some(Quoting::Word);
        }
        let is_capital = self.text[name.clone()]
            .iter()
            .all(|byte| !byte.is_ascii_lowercase());
        let sets = words.to_ascii_lowercase().starts_with(b"set ");
        if has(Shell) && (glued || sets) {
            return Some(Quoting::Bare);
        }
        if has(Shell) && !is_capital && !words.is_empty() {
            return Some(Quoting::Word);
        }
        // The address of a picture.
        if line.contains_str("badge") || line.contains_str("shields.io") {
            return None;
        }
        // Put together from variables.
        let behind = self.part(self.at, self.at + 40);
        if behind.starts_with(b"$") && !has(Environment) && !is_settings {
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
        (has(Prose) || is_comment || is_variable).then_some(Quoting::Loose)
    }
}

/// Whether something is called in what is left of a line.
fn rest_has_call(rest: &[u8]) -> bool {
    let line = rest.lines().next().unwrap_or_default();
    line.contains(&b'(')
}
