//! Values that go with their names in calls and pairs.

use super::super::formats::{FileCategory, Kinds};
use super::super::names::{self, NameKind};
use super::super::quoting::Quoting;
use super::blocks::VALUES;
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

/// Names of options, before their defaults.
const DEFAULTS: &[&[u8]] = &[
    b"default=\"",
    b"default='",
    b"default: \"",
    b"default: '",
    b"default = \"",
];

/// So far before a name, what takes it is looked for, in bytes.
const CALLEE: usize = 60;

impl Cursor<'_> {
    /// A value that goes with a name in quotes: `define('NAME', '…')`, `key="NAME" value="…"`,
    /// `"name": "NAME", "value": "…"`, `"NAME" to "…"`.
    pub(super) fn of_pair(&mut self, name: &Range<usize>, kinds: &Kinds) -> Option<Value> {
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
        if is_comma && !self.text[name.end..start].contains(&b')') {
            return self.argument_behind(name, kinds);
        }
        self.blanks();
        if self.take(&[b"to ", b"->"]) {
            self.blanks();
            return self.literal();
        }
        self.at = start;
        None
    }

    /// The argument behind a name in quotes, of a call.
    fn argument_behind(&mut self, name: &Range<usize>, kinds: &Kinds) -> Option<Value> {
        let start = self.at;
        let before = &self.text[name.start.saturating_sub(CALLEE)..name.start];
        let line = before.rsplit_str("\n").next().unwrap_or_default();
        let called = line.to_ascii_lowercase();
        let called = called.trim_end_with(|sign| "\"'`\\ @bN-".contains(sign));
        let ends = |words: &[&[u8]]| words.iter().any(|word| called.ends_with(word));
        self.at = start + 1;
        if ends(SETTERS) {
            self.skip(|byte| byte.is_ascii_whitespace());
            return self.literal();
        }
        // add_argument("--password", default="…")
        if ends(&[b"argument(", b"option("]) {
            let rest = self.rest().lines().next().unwrap_or_default();
            if let Some(at) = DEFAULTS
                .iter()
                .find_map(|word: &&[u8]| Some(rest.find(*word)? + word.len() - 1))
            {
                self.at += at;
                return self.literal();
            }
        }
        // Whatever is called: a name, and what goes with it, if that looks like nothing else.
        if !takes_arguments(line, kinds) {
            return None;
        }
        self.blanks();
        let (value, pieces, _) = self.literal()?;
        let is_one_line = !self.text[name.end..value.start].contains(&b'\n');
        is_one_line.then_some((value, pieces, Quoting::Loose))
    }

    /// `{password, "…"}`, `set :password, "…"`, `curl_easy_setopt(handle, CURLOPT_PASSWORD, "…")`
    pub(super) fn behind_comma(&mut self, name: &Range<usize>, before: &[u8]) -> Option<Value> {
        if self.peek() != b',' {
            return None;
        }
        let is_constant_byte =
            |byte: &u8| byte.is_ascii_uppercase() || byte.is_ascii_digit() || *byte == b'_';
        let is_symbol = before.ends_with(b"{") || before.ends_with(b" :");
        let is_constant = self.text[name.clone()].iter().all(is_constant_byte);
        if !is_symbol && !is_constant {
            return None;
        }
        self.at += 1;
        self.skip(|byte| byte.is_ascii_whitespace());
        let (value, pieces, quoting) = self.literal()?;
        let quoting = if is_symbol { quoting } else { Quoting::Loose };
        Some((value, pieces, quoting))
    }

    /// Whether a name is called that gives a value to what it names: `setPassword(`, `.apiKey(`.
    pub(super) fn gives_by_call(&self, name: &Range<usize>, says: NameKind) -> bool {
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
}

/// Whether what is before a name in quotes takes arguments: a call, a row of values, a command.
fn takes_arguments(line: &[u8], kinds: &Kinds) -> bool {
    let opens = line.rfind_byteset(b"([{").map(|at| (line[at], &line[..at]));
    match opens {
        Some((b'(', callee)) => {
            let is_row = callee.trim_end().to_ascii_lowercase().ends_with(b"values")
                || callee.trim().is_empty() && kinds.has(FileCategory::Statements);
            is_row
                || callee
                    .last()
                    .is_some_and(|byte| byte.is_ascii_alphanumeric() || b"_!".contains(byte))
        }
        Some(_) => false,
        // buildConfigField "String", "NAME", "…"
        None => line
            .trim_start()
            .first()
            .is_some_and(u8::is_ascii_alphabetic),
    }
}
