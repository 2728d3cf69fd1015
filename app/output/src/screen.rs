//! The one door to the screen: whatever is printed goes through here, so that no name, no line of a
//! file and no message of another program can move the cursor, turn the direction of text, or show
//! a secret.

#![allow(clippy::disallowed_methods, reason = "this is the door")]

use super::{links, pager};
use redshank_secrets::secrets_in;
use redshank_text::{Paint, escaped, is_invisible};
use serde_json::ser::{CharEscape, Formatter, PrettyFormatter};
use std::borrow::Cow;
use std::fmt::Arguments;
use std::io::{ErrorKind, Result, Write};
use std::sync::LazyLock;
use std::sync::atomic::{AtomicBool, Ordering};

/// Nobody has to read what is printed for the rest to be done.
static GOES_ON: AtomicBool = AtomicBool::new(false);

/// From now on a reader who leaves stops nothing: what was asked for is done anyway.
pub fn ignore_broken_pipe() {
    GOES_ON.store(true, Ordering::Relaxed);
}

fn unless_left(written: Result<()>) -> Result<()> {
    match written {
        Err(error) if error.kind() == ErrorKind::BrokenPipe && GOES_ON.load(Ordering::Relaxed) => {
            Ok(())
        }
        written => written,
    }
}

/// Writes to the standard output, in colour where it's wanted; an error if nobody takes it.
pub fn out(text: Arguments) -> Result<()> {
    unless_left(anstream::stdout().write_all(clean(&text.to_string()).as_bytes()))
}

/// The same for a text that may be long: on a terminal that is too low for it, in a pager.
pub fn page(text: &str) -> Result<()> {
    let clean = clean(text);
    if pager::is_long(clean.lines().count()) {
        let choice = anstream::AutoStream::choice(&std::io::stdout());
        let shown = match choice {
            anstream::ColorChoice::Never => &anstream::adapter::strip_str(&clean).to_string(),
            _ => &clean,
        };
        if pager::show(shown)? {
            return Ok(());
        }
    }
    unless_left(anstream::stdout().write_all(clean.as_bytes()))
}

/// The standard output for a program that reads it: bytes as they are.
pub fn raw() -> std::io::StdoutLock<'static> {
    std::io::stdout().lock()
}

/// Writes a line to the standard error.
pub fn err(text: Arguments) {
    // Where nobody listens, there is nobody to tell.
    let _ = writeln!(anstream::stderr(), "{}", clean(&text.to_string()));
}

/// A text without secrets and without characters that could harm: for what is shown elsewhere.
pub fn harmless_text(text: &str) -> String {
    clean(&anstream::adapter::strip_str(text).to_string())
}

/// Text as it may be printed: of escape sequences only the colours and links of ours, of control
/// characters only line endings and tabs, and no secret.
fn clean(text: &str) -> String {
    let (plain, colors) = without_colors(text);
    let mut colors = colors.into_iter().peekable();
    let mut clean = String::with_capacity(text.len());
    let mut from = 0;
    let mut put = |clean: &mut String, upto: usize, shown: Option<&str>| {
        // What is shown in the place of a secret keeps the colours around it.
        clean.push_str(shown.unwrap_or_default());
        while let Some((at, color)) = colors.next_if(|(at, _)| *at <= upto) {
            if shown.is_none() {
                harmless(&plain[from..at], clean);
            }
            from = at;
            clean.push_str(&adapted(color, has_256_colors()));
        }
        if shown.is_none() {
            harmless(&plain[from..upto], clean);
        }
        from = upto;
    };
    for (span, shown) in secrets_in(&plain) {
        put(&mut clean, span.start, None);
        put(&mut clean, span.end, Some(&shown));
    }
    put(&mut clean, plain.len(), None);
    clean
}

/// A text without our colours, and each of them with the place in that where it is.
fn without_colors(text: &str) -> (String, Vec<(usize, &str)>) {
    let (mut plain, mut colors) = (String::with_capacity(text.len()), Vec::new());
    let mut rest = text;
    while let Some(at) = rest.find('\x1b') {
        plain.push_str(&rest[..at]);
        rest = &rest[at..];
        let length = color(rest).or_else(|| link(rest)).unwrap_or(1);
        match length {
            1 => plain.push('\x1b'),
            _ => colors.push((plain.len(), &rest[..length])),
        }
        rest = &rest[length..];
    }
    plain.push_str(rest);
    (plain, colors)
}

/// Writes characters that could harm a terminal as escapes.
fn harmless(text: &str, into: &mut String) {
    for c in text.chars() {
        if c == '\n' || c == '\t' || !(c.is_control() || is_invisible(c)) {
            into.push(c);
        } else {
            escaped(c, into);
        }
    }
}

/// The same for a link of ours; one that tells a secret is none.
fn link(text: &str) -> Option<usize> {
    let length = links::length(text)?;
    secrets_in(&text[..length]).is_empty().then_some(length)
}

/// How long the escape sequence is that starts here, if it is one that our palette makes (ECMA-48,
/// "Select Graphic Rendition"): bold, a colour of the 256, and back.
fn color(text: &str) -> Option<usize> {
    let numbers = text.strip_prefix("\x1b[")?;
    let end = numbers.find('m')?;
    let plain = ["", "0", "1", "22", "39", "49"].contains(&&numbers[..end]);
    let of_256 = numbers[..end]
        .strip_prefix("38;5;")
        .is_some_and(|number| number.parse::<u8>().is_ok());
    (plain || of_256).then_some("\x1b[".len() + end + 1)
}

/// How the names of terminals start that have 8 or 16 colours, or none (terminfo's `colors`); all
/// others in use have 256, whatever they call themselves.
const OF_FEW_COLORS: [&str; 8] = [
    "ansi", "cons", "cygwin", "linux", "sun", "vt", "xterm-16", "xterm-8",
];

/// Whether the terminal has the 256 colours.
pub fn has_256_colors() -> bool {
    static HAS_256: LazyLock<bool> = LazyLock::new(|| {
        let name = std::env::var("TERM").unwrap_or_default();
        !OF_FEW_COLORS.iter().any(|start| name.starts_with(start))
    });
    *HAS_256
}

/// A colour of ours as a terminal can show it.
fn adapted(color: &str, has_256_colors: bool) -> Cow<'_, str> {
    let number = color.strip_prefix("\x1b[38;5;");
    let number = number.and_then(|rest| rest.strip_suffix('m'));
    let number: Option<u8> = number.and_then(|number| number.parse().ok());
    if has_256_colors || number.is_none() {
        return Cow::Borrowed(color);
    }
    let mut paints = Paint::ALL.iter();
    let basic = paints.find(|paint| paint.color().0 == number);
    let basic = basic.and_then(|paint| paint.basic_color());
    basic
        .map_or_else(String::new, |basic| format!("\x1b[3{basic}m"))
        .into()
}

/// JSON as a terminal may get it: what could harm it is written as an escape, which means the same
/// to anyone who reads it.
#[derive(Default)]
pub struct Harmless<F>(F);

impl Harmless<PrettyFormatter<'_>> {
    /// Formats JSON in several lines.
    pub fn pretty() -> Self {
        Self(PrettyFormatter::new())
    }
}

impl<F: Formatter> Formatter for Harmless<F> {
    fn write_string_fragment<W: ?Sized + Write>(
        &mut self,
        writer: &mut W,
        fragment: &str,
    ) -> Result<()> {
        let mut rest = fragment;
        while let Some(at) = rest.find(|c: char| c.is_control() || is_invisible(c)) {
            let (before, from) = rest.split_at(at);
            self.0.write_string_fragment(writer, before)?;
            let c = from.chars().next().unwrap_or_default();
            // All of these are of 16 bits (Unicode's first plane).
            write!(writer, "\\u{:04x}", u32::from(c))?;
            rest = &from[c.len_utf8()..];
        }
        self.0.write_string_fragment(writer, rest)
    }

    fn write_char_escape<W: ?Sized + Write>(
        &mut self,
        writer: &mut W,
        escape: CharEscape,
    ) -> Result<()> {
        self.0.write_char_escape(writer, escape)
    }

    fn begin_array<W: ?Sized + Write>(&mut self, writer: &mut W) -> Result<()> {
        self.0.begin_array(writer)
    }

    fn end_array<W: ?Sized + Write>(&mut self, writer: &mut W) -> Result<()> {
        self.0.end_array(writer)
    }

    fn begin_array_value<W: ?Sized + Write>(&mut self, writer: &mut W, first: bool) -> Result<()> {
        self.0.begin_array_value(writer, first)
    }

    fn end_array_value<W: ?Sized + Write>(&mut self, writer: &mut W) -> Result<()> {
        self.0.end_array_value(writer)
    }

    fn begin_object<W: ?Sized + Write>(&mut self, writer: &mut W) -> Result<()> {
        self.0.begin_object(writer)
    }

    fn end_object<W: ?Sized + Write>(&mut self, writer: &mut W) -> Result<()> {
        self.0.end_object(writer)
    }

    fn begin_object_key<W: ?Sized + Write>(&mut self, writer: &mut W, first: bool) -> Result<()> {
        self.0.begin_object_key(writer, first)
    }

    fn end_object_key<W: ?Sized + Write>(&mut self, writer: &mut W) -> Result<()> {
        self.0.end_object_key(writer)
    }

    fn begin_object_value<W: ?Sized + Write>(&mut self, writer: &mut W) -> Result<()> {
        self.0.begin_object_value(writer)
    }

    fn end_object_value<W: ?Sized + Write>(&mut self, writer: &mut W) -> Result<()> {
        self.0.end_object_value(writer)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_terminal_of_few_colours_gets_no_others() {
        let bad = Paint::Bad.on("x");
        assert_eq!(adapted("\x1b[38;5;163m", true), "\x1b[38;5;163m");
        assert!(bad.contains("\x1b[38;5;163m"));
        assert_eq!(adapted("\x1b[38;5;163m", false), "\x1b[31m");
        assert_eq!(adapted("\x1b[38;5;243m", false), "");
        assert_eq!(adapted("\x1b[1m", false), "\x1b[1m");
    }

    #[test]
    fn only_our_own_colours_come_through() {
        let ours = Paint::Bad.on("worry");
        assert_eq!(clean(&format!("{ours}\n\ta")), format!("{ours}\n\ta"));
        let key = format!("glpat-{}", "aB3xK9mQ2pL7vN4wR8tY");
        let (before, shown) = (
            Paint::Good.on("a "),
            Paint::Type.on("glpa… (26 characters)"),
        );
        assert_eq!(
            clean(&format!("{before}{} z", Paint::Type.on(key))),
            format!("{before}{shown} z")
        );
        assert_eq!(
            clean("\x1b[2J\x1b[38;5;300m\x1b]0;x\x07\u{202e}\u{9b}1m\r"),
            "\\u{1b}[2J\\u{1b}[38;5;300m\\u{1b}]0;x\\u{7}\\u{202e}\\u{9b}1m\\r"
        );
    }

    #[test]
    fn only_our_own_links_come_through() {
        let ours = "\x1b]8;;file://ebb/work/a%20b\x1b\\a b\x1b]8;;\x1b\\";
        assert_eq!(clean(ours), ours);
        let elsewhere = "\x1b]8;;https://tide.example/\x1b\\a\x1b]8;;\x1b\\";
        assert!(!clean(elsewhere).contains("\x1b]8;;h"));
        let key = format!("glpat-{}", "aB3xK9mQ2pL7vN4wR8tY");
        let told = format!("\x1b]8;;file://ebb/{key}\x1b\\{key}\x1b]8;;\x1b\\");
        assert!(!clean(&told).contains(&key));
    }

    #[test]
    fn json_means_the_same_and_harms_nothing() {
        let text = "\u{1b}[2J\u{9b}\u{202e}\u{feff}\u{7f}ä\"\n";
        let mut json = Vec::new();
        let mut to = serde_json::Serializer::with_formatter(&mut json, Harmless::pretty());
        serde::Serialize::serialize(&[text], &mut to).unwrap();
        let json = String::from_utf8(json).unwrap();
        assert!(
            json.chars()
                .all(|c| c == '\n' || !c.is_control() && !is_invisible(c)),
            "{json}"
        );
        assert_eq!(serde_json::from_str::<[String; 1]>(&json).unwrap(), [text]);
    }
}
