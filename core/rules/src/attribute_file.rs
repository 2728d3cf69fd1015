//! The text of an attribute file (gitattributes(5)): its lines, the macros it defines, and what is
//! wrong with a line.
//!
//! Lines are read as git reads them, so that a line which git drops is dropped here, too, with the
//! reason.

use crate::{Case, RepoPath, Rule};
use bstr::{BStr, BString, ByteSlice};
use std::fmt;

/// The name of git's attribute files.
pub const ATTRIBUTE_FILE: &str = ".gitattributes";

/// git reads no longer line (attr.h, since 2.39), in bytes.
const LONGEST_LINE: usize = 2048;

/// UTF-8's byte-order mark.
const BYTE_ORDER_MARK: &[u8] = b"\xef\xbb\xbf";

/// What starts a line that defines a macro.
const MACRO: &[u8] = b"[attr]";

/// What a line says of one attribute.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Value {
    /// `name`
    Set,
    /// `-name`
    Unset,
    /// `!name`
    Unspecified,
    /// `name=text`
    Text(BString),
}

impl Value {
    /// As git's own query prints it.
    pub fn as_printed(&self) -> &BStr {
        match self {
            Self::Set => "set".into(),
            Self::Unset => "unset".into(),
            Self::Unspecified => "unspecified".into(),
            Self::Text(text) => text.as_bstr(),
        }
    }
}

/// An attribute with what a line says of it.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Setting {
    /// The attribute's name.
    pub name: BString,
    /// Its value.
    pub value: Value,
}

impl Setting {
    /// Reads one, as it is written in a line; nothing if git would not take it.
    pub fn parse(word: &[u8]) -> Option<Self> {
        setting(word).ok()
    }

    /// `name=text`
    pub fn text(name: &str, text: &str) -> Self {
        Self {
            name: name.into(),
            value: Value::Text(text.into()),
        }
    }
}

impl fmt::Display for Setting {
    /// As it is written in a line.
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        match &self.value {
            Value::Set => write!(f, "{}", self.name),
            Value::Unset => write!(f, "-{}", self.name),
            Value::Unspecified => write!(f, "!{}", self.name),
            Value::Text(text) => write!(f, "{}={text}", self.name),
        }
    }
}

/// A line of an attribute file, where it is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AttributeLine {
    /// The file: relative to the top inside it, else its whole path.
    pub source: BString,
    /// Line number, from 1.
    pub line: u32,
    /// The line as it is written there, without its end.
    pub text: BString,
}

/// A line that gives attributes to what a pattern matches.
pub struct AttributeRule {
    /// The pattern.
    pub rule: Rule,
    /// What it says, from left to right.
    pub settings: Vec<Setting>,
    /// Where it is.
    pub line: AttributeLine,
}

impl AttributeRule {
    /// Whether it is about a path, which is relative to the file's folder.
    pub fn matches(&self, below: &RepoPath) -> bool {
        self.rule.matches(below.bare(), below.is_folder())
    }
}

/// A name that stands for several attributes.
pub struct Macro {
    /// Its name.
    pub name: BString,
    /// What it stands for.
    pub settings: Vec<Setting>,
    /// Where it is defined.
    pub line: AttributeLine,
}

/// Why git drops a line, or why it can't do what it seems to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum AttributeFault {
    /// A pattern that starts with `!`: there are no exceptions here.
    Negated,
    /// It ends with a slash: a folder has no attributes that its files would get.
    Folder,
    /// There is a pattern and no attribute.
    NoAttribute,
    /// Something that can't be an attribute's name; git drops the whole line.
    BadName(BString),
    /// Longer than git reads.
    TooLong,
    /// Its opening quote is never closed, or what is in the quotes isn't as in C.
    BadQuote,
    /// A macro is only defined at the top and in the files outside of the tree.
    MacroBelowTop,
}

/// A line that git drops.
pub struct FaultyLine {
    /// Where it is.
    pub line: AttributeLine,
    /// The pattern, as far as one was read.
    pub pattern: BString,
    /// Why.
    pub fault: AttributeFault,
}

/// A file's lines, in their order.
#[derive(Default)]
pub struct AttributeFile {
    /// The lines that give attributes.
    pub rules: Vec<AttributeRule>,
    /// The macros that it defines.
    pub macros: Vec<Macro>,
    /// The lines that git drops.
    pub faulty: Vec<FaultyLine>,
}

impl AttributeFile {
    /// Reads a file; `source` is how it is named, `defines` whether git takes macros from it.
    pub fn parse(text: &[u8], source: &BStr, defines: bool, case: Case) -> Self {
        let (_, text) = without_mark(text);
        let mut file = Self::default();
        for (number, whole) in (1..).zip(text.split(|byte| *byte == b'\n')) {
            let start = whole.trim_start_with(|sign| " \t\r".contains(sign));
            if start.is_empty() || start.starts_with(b"#") {
                continue;
            }
            let line = AttributeLine {
                source: source.to_owned(),
                line: number,
                text: whole.trim_end_with(|sign| sign == '\r').into(),
            };
            if let Err((pattern, fault)) = file.read(start, whole.len(), &line, defines, case) {
                file.faulty.push(FaultyLine {
                    line,
                    pattern,
                    fault,
                });
            }
        }
        file
    }

    fn read(
        &mut self,
        start: &[u8],
        length: usize,
        line: &AttributeLine,
        defines: bool,
        case: Case,
    ) -> Result<(), (BString, AttributeFault)> {
        if length >= LONGEST_LINE {
            return Err((BString::default(), AttributeFault::TooLong));
        }
        let Some((pattern, rest)) = pattern(start) else {
            return Err((BString::default(), AttributeFault::BadQuote));
        };
        let settings = match settings(rest) {
            Ok(settings) => settings,
            Err(name) => return Err((pattern, AttributeFault::BadName(name))),
        };
        if let Some(name) = pattern.strip_prefix(MACRO).filter(|name| !name.is_empty()) {
            let name = name.trim_with(|sign| " \t".contains(sign));
            let (name, fault) = match (is_name(name), defines) {
                (true, true) => (BString::from(name), None),
                (true, false) => (name.into(), Some(AttributeFault::MacroBelowTop)),
                (false, _) => (name.into(), Some(AttributeFault::BadName(name.into()))),
            };
            if let Some(fault) = fault {
                return Err((pattern, fault));
            }
            self.macros.push(Macro {
                name,
                settings,
                line: line.clone(),
            });
            return Ok(());
        }
        if pattern.starts_with(b"!") {
            return Err((pattern, AttributeFault::Negated));
        }
        if settings.is_empty() {
            return Err((pattern, AttributeFault::NoAttribute));
        }
        // git reads it, but nothing that has attributes is matched.
        if pattern.ends_with(b"/") {
            self.faulty.push(FaultyLine {
                line: line.clone(),
                pattern: pattern.clone(),
                fault: AttributeFault::Folder,
            });
        }
        self.rules.push(AttributeRule {
            rule: Rule::parse(&pattern, line.line, case),
            settings,
            line: line.clone(),
        });
        Ok(())
    }
}

/// A byte-order mark at a file's start, or nothing; and the rest, which git reads.
pub fn without_mark(text: &[u8]) -> (&[u8], &[u8]) {
    let length = if text.starts_with(BYTE_ORDER_MARK) {
        BYTE_ORDER_MARK.len()
    } else {
        0
    };
    text.split_at(length)
}

/// The pattern and the attributes of one line; nothing if git would not take it for one.
pub fn split_line(line: &[u8]) -> Option<(BString, Vec<Setting>)> {
    let start = line.trim_start_with(|sign| " \t\r".contains(sign));
    if start.is_empty() || start.starts_with(b"#") {
        return None;
    }
    let (pattern, rest) = pattern(start)?;
    let settings = settings(rest).ok()?;
    (!settings.is_empty()).then_some((pattern, settings))
}

/// A line's pattern, and what is behind it. One in quotes is written as in C.
fn pattern(line: &[u8]) -> Option<(BString, &[u8])> {
    if let Some(quoted) = line.strip_prefix(b"\"")
        && let Some((pattern, used)) = unquoted(quoted)
    {
        return Some((pattern, &quoted[used..]));
    }
    let end = line.find_byteset(b" \t\r\n").unwrap_or(line.len());
    Some((line[..end].into(), &line[end..]))
}

/// A text in C's quotes, and how much it takes up to the closing quote.
fn unquoted(text: &[u8]) -> Option<(BString, usize)> {
    let mut pattern = BString::default();
    let mut at = 0;
    loop {
        match *text.get(at)? {
            b'"' => return Some((pattern, at + 1)),
            b'\\' => {
                at += 1;
                let sign = *text.get(at)?;
                let known = b"abfnrtv\\\"".iter().position(|known| *known == sign);
                match (known, sign) {
                    (Some(nth), _) => pattern.push(b"\x07\x08\x0c\n\r\t\x0b\\\""[nth]),
                    (None, b'0'..=b'3') => {
                        let digits = text.get(at..at + 3)?.to_str().ok()?;
                        pattern.push(u8::from_str_radix(digits, 8).ok()?);
                        at += 2;
                    }
                    (None, _) => return None,
                }
            }
            sign => pattern.push(sign),
        }
        at += 1;
    }
}

/// The attributes of a line, or the first word that can't be one.
fn settings(text: &[u8]) -> Result<Vec<Setting>, BString> {
    let words = text.split(|byte| b" \t\r".contains(byte));
    let words = words.filter(|word| !word.is_empty());
    words.map(setting).collect()
}

fn setting(word: &[u8]) -> Result<Setting, BString> {
    let (sign, rest) = match word.first() {
        Some(sign @ (b'-' | b'!')) => (Some(*sign), &word[1..]),
        _ => (None, word),
    };
    let (name, text) = match rest.split_once_str("=") {
        Some((name, text)) => (name, Some(text)),
        None => (rest, None),
    };
    if !is_name(name) {
        return Err(word.into());
    }
    let value = match (sign, text) {
        (Some(b'-'), _) => Value::Unset,
        (Some(_), _) => Value::Unspecified,
        (None, Some(text)) => Value::Text(text.into()),
        (None, None) => Value::Set,
    };
    Ok(Setting {
        name: name.into(),
        value,
    })
}

/// Whether an attribute may be called so.
fn is_name(name: &[u8]) -> bool {
    !name.is_empty()
        && !name.starts_with(b"-")
        && name
            .iter()
            .all(|byte| byte.is_ascii_alphanumeric() || b"-_.".contains(byte))
        && !name.starts_with(b"builtin_")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_dropped_line_says_why() {
        let text = "*.png binary\n!*.txt text\nassets/ -text\n*.csv\n*.x b@d\n[attr]big -diff\n";
        let long = format!("{text}{} text\n", "x".repeat(LONGEST_LINE));
        let file = AttributeFile::parse(
            long.as_bytes(),
            "sub/.gitattributes".into(),
            false,
            Case::Sensitive,
        );
        let faults: Vec<(u32, AttributeFault)> = file
            .faulty
            .into_iter()
            .map(|line| (line.line.line, line.fault))
            .collect();
        assert_eq!(
            faults,
            [
                (2, AttributeFault::Negated),
                (3, AttributeFault::Folder),
                (4, AttributeFault::NoAttribute),
                (5, AttributeFault::BadName("b@d".into())),
                (6, AttributeFault::MacroBelowTop),
                (7, AttributeFault::TooLong),
            ]
        );
        assert_eq!(file.rules.len(), 2);
    }
}
