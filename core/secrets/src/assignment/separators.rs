//! What is between a name and its value, and says that it gives one: separators, pairs, calls,
//! elements, words.

use super::super::formats::{FileCategory, Kinds};
use super::super::names::{self, NameKind};
use super::super::quoting::Quoting;
use super::cursor::Cursor;
use super::literal::Value;
use super::{LONGEST_NAME, LONGEST_VALUE};
use bstr::ByteSlice;
use std::ops::Range;

/// So long, a word behind a name in a sentence is what it names.
const LEAST_BARE: usize = 24;

/// How far below its head a block is looked into, in bytes and in lines.
const BLOCK: usize = 600;
const BLOCK_LINES: usize = 10;

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

/// Verbs that give a value, as a name of a function begins.
const GIVING: &[&str] = &[
    "set", "with", "add", "put", "use", "using", "assign", "const",
];

/// Verbs that ask for one, check one or make a new one.
const ASKING: &[&str] = &[
    "get", "find", "read", "ask", "prompt", "check", "validate", "verify", "is", "has", "show",
    "encrypt", "hash", "decode", "encode", "decrypt", "parse", "forgot", "reset", "change",
    "update", "by", "fetch", "load", "generate", "create", "make", "new", "request", "refresh",
    "revoke", "remove", "delete", "expect", "assert", "test", "should", "compare", "match",
    "matches", "contains", "lookup", "require", "requires", "on", "to", "from", "render", "print",
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
        let start = (self.at, self.end);
        let value = self.value_beside(name, says, kinds);
        if value.is_some() {
            return value;
        }
        (self.at, self.end) = start;
        self.in_attribute_before(name).or_else(|| {
            (self.at, self.end) = start;
            self.in_block_below(name, kinds)
        })
    }

    /// `variable "password" {` or `Password:`, and a line below it, further in, that says `default` or
    /// `value`.
    fn in_block_below(&mut self, name: &Range<usize>, kinds: &Kinds) -> Option<Value> {
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

    /// `<add value="…" key="name" />`: the value is in the same element, before its name.
    fn in_attribute_before(&mut self, name: &Range<usize>) -> Option<Value> {
        let from = name.start.saturating_sub(2 * LONGEST_VALUE);
        let before = &self.text[from..name.start];
        let opens = before.rfind_byteset(b"<>")?;
        if before[opens] != b'<' || !matches!(self.peek(), b'"' | b'\'') {
            return None;
        }
        let element = &before[opens..];
        let is_naming = [&b"key=\""[..], b"name=\"", b"key='", b"name='"];
        if !is_naming
            .iter()
            .any(|word| element.to_ascii_lowercase().ends_with(word))
        {
            return None;
        }
        let at = element.to_ascii_lowercase().rfind(b" value=")?;
        self.at = from + opens + at + b" value=".len();
        self.literal()
    }

    fn value_beside(
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
            return if self.take(&[
                b"<string>",
                b"<value>",
                b"<data>",
                b"<td>",
                b"<dd>",
                b"<td><code>",
                b"<code>",
            ]) {
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
            let introduces = [
                &b"define"[..],
                b"define(",
                b"(def",
                b"^:private",
                b":",
                b"ENV",
                b"ARG",
                b"env",
                b"SetEnv",
                b"setenv",
                b"set -gx",
                b"set -x",
                b"set -Ux",
                b"setx",
                b"set",
                b"{",
                b";",
                b"-",
            ];
            let is_introduced = introduces.iter().any(|word| line_before.ends_with(word));
            let is_settings = kinds.is_settings(self.text);
            // 01 PASSWORD PIC X(16) VALUE '…'.
            if self.rest().starts_with(b"PIC ") {
                let line = self.rest().lines().next().unwrap_or_default();
                self.at += line.find("VALUE ")? + b"VALUE ".len();
                return self.literal();
            }
            if line_before.ends_with(b"set") {
                self.take(&[b"to "]);
            }
            if is_introduced || is_alone && (says == NameKind::Password || is_settings) {
                let commands = [&b"ENV"[..], b"ARG", b"SetEnv"];
                let sets = [&b"set "[..], b"setx", b"setenv"];
                let is_bare = is_alone && is_settings
                    || commands.contains(&line_before)
                    || has(FileCategory::Shell)
                        && sets.iter().any(|word| line_before.starts_with(word));
                let at = self.at;
                let value = self.literal().or_else(|| {
                    self.at = at;
                    match () {
                        () if is_alone && has(FileCategory::Settings) => self.bare(Quoting::Bare),
                        () if is_alone && is_bare || !is_bare && is_settings => {
                            self.word_of_setting()
                        }

                        () if is_bare => self.bare(Quoting::Bare),
                        () => None,
                    }
                });
                if value.is_some() || !has(FileCategory::Prose) {
                    return value;
                }
                self.at = at;
            }
            // with password "…"
            let at = self.at;
            if let Some((value, pieces, _)) = self.literal() {
                let is_word = !self.text[value.clone()].contains(&b' ');
                return is_word.then_some((value, pieces, Quoting::Loose));
            }
            self.at = at;
            // username nia privilege 15 password 0 …
            if is_settings {
                return self.word_of_setting();
            }
        }
        // { name: API_TOKEN, value: … }
        if closers == 0 && self.peek() == b',' && names_itself(before) {
            self.at += 1;
            self.skip(|byte| byte.is_ascii_whitespace());
            if self.take(VALUES) {
                self.blanks();
                if self.take(&[b":", b"="]) {
                    self.blanks();
                    let at = self.at;
                    return self.literal().or_else(|| {
                        self.at = at;
                        self.bare(Quoting::Word)
                    });
                }
            }
            return None;
        }
        // {password, "…"}, set :password, "…"
        if (before.ends_with(b"{") || before.ends_with(b" :"))
            && closers == 0
            && self.peek() == b','
        {
            self.at += 1;
            self.blanks();
            return self.literal();
        }
        // curl_easy_setopt(handle, CURLOPT_PASSWORD, "…")
        let is_constant = self.text[name.clone()]
            .iter()
            .all(|byte| byte.is_ascii_uppercase() || byte.is_ascii_digit() || *byte == b'_');
        if closers == 0 && blank == 0 && is_constant && self.peek() == b',' {
            self.at += 1;
            self.skip(|byte| byte.is_ascii_whitespace());
            let (value, pieces, _) = self.literal()?;
            return Some((value, pieces, Quoting::Loose));
        }
        // The password of the console is …, password for nia: …
        if blank > 0 && (has(FileCategory::Prose) || before.trim_end().ends_with(b"#")) {
            return self.in_sentence();
        }
        // std::string name("…"), std::string name{"…"}, .name("…"), setName("…"), Name("…")
        if blank == 0 && closers == 0 && (self.peek() == b'{' || self.gives_by_call(name, says)) {
            self.at += 1;
            return self.literal();
        }
        None
    }

    /// A value behind its name and at most three words that say whose it is, and a colon or a verb.
    fn in_sentence(&mut self) -> Option<Value> {
        let line = self.rest().lines().next()?;
        let mut behind = 0;
        for (nth, word) in line.fields_with(|sign| sign == ' ').enumerate().take(7) {
            let at = word.as_ptr() as usize - line.as_ptr() as usize;
            let is_verb =
                [&b"is"[..], b"ist", b"lautet", b"es", b"est", b"=", b":"].contains(&word);
            let ends = word.ends_with(b":");
            if is_verb || ends && nth <= 5 {
                behind = at + word.len();
                break;
            }
            if !word
                .iter()
                .all(|byte| byte.is_ascii_alphabetic() || *byte >= 0x80 || b"()".contains(byte))
            {
                return None;
            }
        }
        if behind == 0 {
            // the API key 4f9…
            let word = line.fields().next().unwrap_or_default();
            let has = |kind: fn(&u8) -> bool| word.iter().any(kind);
            let is_made = word.len() >= LEAST_BARE
                && has(u8::is_ascii_digit)
                && has(u8::is_ascii_lowercase)
                && has(u8::is_ascii_uppercase);
            return if is_made {
                self.bare(Quoting::Loose)
            } else {
                None
            };
        }
        self.at += behind;
        self.skip(|byte| b" \t*_".contains(&byte));
        let at = self.at;
        if let Some((value, pieces, _)) = self.literal() {
            return Some((value, pieces, Quoting::Loose));
        }
        self.at = at;
        self.bare(Quoting::Loose)
    }

    /// A value behind its name in a line of settings: in quotes, or the next word, where a number may
    /// say how it is written.
    fn word_of_setting(&mut self) -> Option<Value> {
        let at = self.at;
        if let Some(value) = self.literal() {
            return Some(value);
        }
        self.at = at;
        let digits = self.skip(|byte| byte.is_ascii_digit());
        if digits == 0
            || digits > 2
            || self.blanks() == 0
            || matches!(self.peek(), b'\n' | b'\r' | 0)
        {
            self.at = at;
        }
        self.bare(Quoting::Word)
    }

    /// Whether a name is called that gives a value to what it names: `setPassword(`, `.apiKey(`.
    fn gives_by_call(&self, name: &Range<usize>, says: NameKind) -> bool {
        if self.peek() != b'(' {
            return false;
        }
        let before = &self.text[name.start.saturating_sub(40)..name.start];
        if before.trim_end().to_ascii_lowercase().ends_with(b"string") {
            return true;
        }
        let name = &self.text[name.clone()];
        let callee = name.rsplit_str(".").next().unwrap_or_default();
        let is_method =
            callee.len() < name.len() || before.ends_with(b".") || before.ends_with(b"->");
        let words = names::words(callee);
        let Some(first) = words.first() else {
            return false;
        };
        let is_alone = words.iter().all(|word| names::is_secret_word(word));
        GIVING.contains(&first.as_str())
            || is_alone
            || is_method && says != NameKind::Hint && !ASKING.contains(&first.as_str())
    }

    /// A value that goes with a name in quotes: `define('NAME', '…')`, `key="NAME" value="…"`,
    /// `"name": "NAME", "value": "…"`.
    fn of_pair(&mut self, name: &Range<usize>, kinds: &Kinds) -> Option<Value> {
        // <string name="…">value</string>
        if self.peek() == b'>' {
            self.at += 1;
            return self.element();
        }
        // <string name="…" attribute="…">value</string>
        let from = name.start.saturating_sub(60);
        let head = &self.text[from..name.start];
        if head.ends_with(b"name=\"")
            && head.rfind_byte(b'<').is_some()
            && self.peek() != b','
            && let Some(closes) = self.rest().find_byteset(b"<>\n")
            && self.rest()[closes] == b'>'
            && !self.rest()[..closes].contains_str("value")
            && closes > 0
            && self.rest()[closes - 1] != b'/'
        {
            self.at += closes + 1;
            return self.element();
        }
        let start = self.at;
        let is_comma = self.take(&[b","]);
        self.skip(|byte| byte.is_ascii_whitespace());
        self.take(&[b"android:", b"app:", b"ns:"]);
        let opened = self.take(&[b"\\\"", b"\"", b"'"]);
        if self.take(VALUES) && (is_comma || !opened) {
            self.take(&[b"\\\"", b"\"", b"'"]);
            self.blanks();
            if self.take(&[b"=>", b":", b"="]) {
                self.blanks();
                let at = self.at;
                return self.literal().or_else(|| {
                    self.at = at;
                    self.literal_or_bare(name, kinds)
                });
            }
        }
        self.at = start;
        let from = name.start.saturating_sub(30);
        let called = self.text[from..name.start].to_ascii_lowercase();
        let called = called.trim_end_with(|sign| "\"'`\\ @bN-".contains(sign));
        let is_closed = self.text[name.end..start].contains(&b')');
        if is_comma && !is_closed {
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
                if let Some(at) = at {
                    self.at += at;
                    return self.literal();
                }
                self.at = start + 1;
            }
            // Whatever is called: a name, and what goes with it, if that looks like nothing else.
            let line = self.text[from..name.start]
                .rsplit_str("\n")
                .next()
                .unwrap_or_default();
            let opens = line.rfind_byteset(b"([{").map(|at| line[at]);
            // buildConfigField "String", "NAME", "…"
            let is_command = line
                .trim_start()
                .first()
                .is_some_and(u8::is_ascii_alphabetic);
            let called_by = line.rfind_byte(b'(').map_or(line, |at| &line[..at]);
            let is_called = called_by
                .last()
                .is_some_and(|byte| byte.is_ascii_alphanumeric() || b"_!".contains(byte));
            let is_row = called_by
                .trim_end()
                .to_ascii_lowercase()
                .ends_with(b"values");
            let is_row =
                is_row || called_by.trim().is_empty() && kinds.has(FileCategory::Statements);
            let is_call = opens == Some(b'(') && (is_called || is_row);
            if !is_call && (opens.is_some() || !is_command) {
                return None;
            }
            self.at = start + 1;
            self.blanks();
            let (value, pieces, _) = self.literal()?;
            let is_one_line = !self.text[name.end..value.start].contains(&b'\n');
            return is_one_line.then_some((value, pieces, Quoting::Loose));
        }
        self.at = start;
        self.blanks();
        if self.take(&[b"to ", b"->"]) {
            self.blanks();
            return self.literal();
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

    fn literal_or_bare(&mut self, name: &Range<usize>, kinds: &Kinds) -> Option<Value> {
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
        let is_program = has(Source) || has(Prose) || has(Shell);
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
