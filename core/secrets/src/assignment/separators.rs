//! What is between a name and its value, and says that it gives one: separators, pairs, calls,
//! elements, words.

use super::super::formats::{FileCategory, Kinds};
use super::super::names::NameKind;
use super::super::quoting::Quoting;
use super::LONGEST_NAME;
use super::cursor::Cursor;
use super::literal::Value;
use bstr::ByteSlice;
use std::ops::Range;

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

impl Cursor<'_> {
    /// The value of a name that ends here.
    pub(super) fn value(
        &mut self,
        name: &Range<usize>,
        says: NameKind,
        kinds: &Kinds,
    ) -> Option<Value> {
        let before = &self.text[name.start.saturating_sub(40)..name.start];
        let has = |kind| kinds.has(kind);
        // <name>value</name>, perhaps with attributes
        if before.ends_with(b"<") && matches!(self.peek(), b'>' | b' ') {
            let tag = self.rest().find_byteset(b"<>\n")?;
            self.at += tag + 1;
            return if self.text[self.at - 1] == b'>' && self.text[self.at - 2] != b'/' {
                self.element()
            } else {
                None
            };
        }
        // <key>name</key><string>value</string>
        if before.ends_with(b">") && self.rest().starts_with(b"</") {
            self.skip(|byte| byte != b'>');
            self.at += 1;
            self.skip(|byte| byte.is_ascii_whitespace());
            return if self.take(&[b"<string>", b"<value>", b"<data>"]) {
                self.element()
            } else {
                None
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
                return if self.take(&[b":", b"="]) {
                    self.of_its_own()
                } else {
                    None
                };
            }
            return None;
        }
        let at = self.at;
        if self.separator(name, blank, closers) {
            return self.literal_or_bare(name, kinds);
        }
        self.at = at;
        // Words, one behind the other: `#define NAME "…"`, `requirepass …`, `:password "…"`, `ENV
        // NAME …`
        if blank > 0 && closers == 0 {
            let line_before = before.rsplit_str("\n").next().unwrap_or_default().trim();
            let is_alone = line_before.is_empty();
            let introduces = [&b"define"[..], b"(def", b":", b"ENV", b"ARG", b"env"];
            let is_introduced = introduces.iter().any(|word| line_before.ends_with(word));
            if is_introduced || is_alone && says == NameKind::Password {
                let is_bare = is_alone && has(FileCategory::Settings)
                    || line_before == b"ENV"
                    || line_before == b"ARG";
                return self.literal().or_else(|| {
                    if is_bare {
                        self.bare(Quoting::Bare)
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
            self.bare(Quoting::Bare)
        })
    }

    /// Takes what is between a name and its value.
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

    /// Whether the quote here ends the text that the name is in.
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

    /// Whether a value may be here without quotes, and how that is written.
    fn written(&self, name: &Range<usize>, glued: bool, kinds: &Kinds) -> Option<Quoting> {
        use FileCategory::{Environment, Prose, Settings, Shell};
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
            return Some(Quoting::Bare);
        }
        let is_capital = self.text[name.clone()]
            .iter()
            .all(|byte| !byte.is_ascii_lowercase());
        if has(Shell)
            && (glued
                || words.to_ascii_lowercase().starts_with(b"set ")
                || !is_capital && !words.is_empty())
        {
            return Some(Quoting::Bare);
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
        (has(Prose) || is_comment || is_variable).then_some(Quoting::Loose)
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
