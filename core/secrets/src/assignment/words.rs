//! Values behind their names with nothing between but blanks or words: directives, settings,
//! sentences.

use super::super::formats::{FileCategory, Kinds};
use super::super::names::NameKind;
use super::super::quoting::Quoting;
use super::cursor::Cursor;
use super::literal::Value;
use bstr::ByteSlice;

/// So long, a word behind a name in a sentence is what it names.
const LEAST_BARE: usize = 24;

/// So many words at most are between a name and a verb or a colon.
const WORDS: usize = 6;

/// Verbs that say what something is.
const VERBS: &[&[u8]] = &[b"is", b"ist", b"lautet", b"es", b"est", b"=", b":"];

/// What stands before a name that a value follows.
const INTRODUCES: &[&[u8]] = &[
    b"define",
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

/// Of those, what a value without quotes may follow.
const DIRECTIVES: &[&[u8]] = &[b"ENV", b"ARG", b"SetEnv"];

/// The same in a shell.
const SETS: &[&[u8]] = &[b"set ", b"setx", b"setenv"];

impl Cursor<'_> {
    /// `#define NAME "…"`, `requirepass …`, `:password "…"`, `ENV NAME …`, `with password "…"`, `user
    /// nia password 0 …`
    pub(super) fn behind_blanks(
        &mut self,
        before: &[u8],
        says: NameKind,
        kinds: &Kinds,
    ) -> Option<Value> {
        let before = before.rsplit_str("\n").next().unwrap_or_default().trim();
        let is_settings = kinds.is_settings(self.text);
        // 01 PASSWORD PIC X(16) VALUE '…'.
        if self.rest().starts_with(b"PIC ") {
            let line = self.rest().lines().next().unwrap_or_default();
            self.at += line.find("VALUE ")? + b"VALUE ".len();
            return self.literal();
        }
        if before.ends_with(b"set") {
            self.take(&[b"to "]);
        }
        let is_alone = before.is_empty();
        let is_introduced = INTRODUCES.iter().any(|word| before.ends_with(word));
        let is_directive = is_introduced || is_alone && (says == NameKind::Password || is_settings);
        let at = self.at;
        if let Some((value, pieces, quoting)) = self.literal() {
            let is_word = !self.text[value.clone()].contains(&b' ');
            let quoting = if is_directive {
                quoting
            } else {
                Quoting::Loose
            };
            return (is_directive || is_word).then_some((value, pieces, quoting));
        }
        self.at = at;
        let is_set =
            kinds.has(FileCategory::Shell) && SETS.iter().any(|word| before.starts_with(word));
        match () {
            () if is_alone && kinds.has(FileCategory::Settings) => self.bare(Quoting::Bare),
            () if is_directive && (DIRECTIVES.contains(&before) || is_set) => {
                self.bare(Quoting::Bare)
            }
            () if is_settings => self.word_of_setting(),
            () => None,
        }
    }

    /// A value behind its name in a line of settings: in quotes, or the next word, where a number may
    /// say how it is written.
    fn word_of_setting(&mut self) -> Option<Value> {
        let at = self.at;
        if let Some(value) = self.literal() {
            return Some(value);
        }
        self.at = at;
        // An address behind somebody's name.
        if self.peek() == b'<' {
            return None;
        }
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

    /// A value behind its name and at most three words that say whose it is, and a colon or a verb.
    pub(super) fn in_sentence(&mut self) -> Option<Value> {
        let line = self.rest().lines().next()?;
        let mut behind = 0;
        for word in line.fields_with(|sign| sign == ' ').take(WORDS) {
            let at = word.as_ptr() as usize - line.as_ptr() as usize;
            if VERBS.contains(&word) || word.ends_with(b":") {
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
}
