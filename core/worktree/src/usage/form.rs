//! What a rule amounts to, and what its form alone tells of it.

use crate::attributes::KNOWN_ATTRIBUTES;
use bstr::{BString, ByteSlice};
use redshank_rules::attribute_file::{Value, split_line};
use redshank_rules::{NearReason, RepoPathBuf, Rule, misreadings};

/// What a rule amounts to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum RuleStatus {
    /// It decides about something.
    Works,
    /// Nothing here matches it.
    CatchesNothing,
    /// The same pattern stands further down.
    Duplicate {
        /// The line that counts.
        line: u32,
    },
    /// All that it matches is decided by another rule.
    Overridden {
        /// The other rule's file.
        source: BString,
        /// Line number, from 1.
        line: u32,
    },
    /// It is an exception for what is in a folder that is excluded.
    CannotWork {
        /// The folder, relative to the repository's top.
        folder: RepoPathBuf,
        /// The file of the rule that excludes it.
        source: BString,
        /// Line number, from 1.
        line: u32,
    },
    /// It ignores the file that it is in.
    SwallowsItsFile,
    /// All that it matches is tracked already.
    OnlyTracked {
        /// Number of files, without folders.
        files: u64,
    },
    /// Its form is not what was meant.
    Misread {
        /// The reason; `app/text` has its sentence.
        because: NearReason,
        /// What may have been meant.
        corrected: BString,
        /// Its form leaves no doubt.
        sure: bool,
    },
    /// No path at all can match it, or none that anybody would have.
    Impossible {
        /// The reason; `app/text` has its sentence.
        because: ImpossibleReason,
    },
}

/// Why a rule can match nothing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ImpossibleReason {
    /// A bracket is open, or a backslash is at its end.
    Unfinished,
    /// A mark of a merge that isn't finished.
    ConflictMark,
    /// It is in quotes, as in a shell.
    Quotes,
    /// It starts with a home folder or a variable, which git doesn't expand.
    Expansion,
    /// It goes up with `..`, or from a drive: rules cover what is below their file.
    Elsewhere,
    /// Braces or bars stand for alternatives elsewhere, not here.
    Alternatives,
    /// It starts with `!!`.
    DoubleNegation,
    /// It has an empty part: two slashes in a row.
    EmptyPart,
    /// A carriage return is in it.
    CarriageReturn,
    /// It is a line of another program's ignore file.
    Syntax,
    /// It is a line of git's attribute file.
    AttributeLine,
}

/// Why a rule that matches nothing here never will, by its form.
pub(super) fn impossible(rule: &Rule) -> Option<ImpossibleReason> {
    use ImpossibleReason as Reason;
    let text = rule.text.as_slice();
    let body = text.strip_prefix(b"!").unwrap_or(text);
    let is_quoted =
        |mark: u8| body.len() > 1 && body.first() == Some(&mark) && body.last() == Some(&mark);
    let is_conflict = [&b"<<<<<<< "[..], b">>>>>>> ", b"||||||| "]
        .iter()
        .any(|mark| text.starts_with(mark));
    let is_drive = body.len() > 2
        && body[0].is_ascii_alphabetic()
        && body[1] == b':'
        && b"\\/".contains(&body[2]);
    let has_braces = || {
        let open = body.find_byte(b'{')?;
        let close = open + body[open..].find_byte(b'}')?;
        body[open..close].contains(&b',').then_some(())
    };
    let has_bars = || {
        let open = body.find_byte(b'(')?;
        let close = open + body[open..].find_byte(b')')?;
        body[open..close].contains(&b'|').then_some(())
    };
    let expands = [&b"~/"[..], b"$HOME", b"${", b"%"]
        .iter()
        .any(|start| body.starts_with(start));
    Some(match () {
        () if is_conflict || text == b"=======" => Reason::ConflictMark,
        () if text.contains(&b'\r') => Reason::CarriageReturn,
        () if text.starts_with(b"!!") => Reason::DoubleNegation,
        () if is_quoted(b'"') || is_quoted(b'\'') => Reason::Quotes,
        () if text.starts_with(b"syntax:") => Reason::Syntax,
        () if is_attribute_line(text) => Reason::AttributeLine,
        () if expands
            && (body.starts_with(b"~") || body[1..].contains(&b'/') || body.ends_with(b"%")) =>
        {
            Reason::Expansion
        }
        () if is_drive || body.split_str("/").any(|part| part == b"..") => Reason::Elsewhere,
        () if body.contains_str("//") => Reason::EmptyPart,
        () if has_braces().is_some() || has_bars().is_some() => Reason::Alternatives,
        () => return None,
    })
}

/// Whether a rule is a line of an attribute file: a pattern, and attributes that git knows.
fn is_attribute_line(text: &[u8]) -> bool {
    // A name may hold a space; the sign or the value of an attribute hardly.
    text.contains(&b' ')
        && split_line(text).is_some_and(|(_, settings)| {
            settings.iter().any(|setting| {
                let mut known = KNOWN_ATTRIBUTES.iter();
                let is_driver = matches!(setting.value, Value::Text(_));
                known.any(|(name, _)| *name == setting.name)
                    && (is_driver || setting.value == Value::Unset || setting.name == "binary")
            })
        })
}

/// Whether the form of a rule tells that something else was meant.
pub(super) fn misread(rule: &Rule) -> Option<RuleStatus> {
    // A protected space at the end was written on purpose, perhaps.
    let sure = !rule.text.ends_with(b"\\ ");
    misreadings(rule)
        .next()
        .map(|(because, corrected)| RuleStatus::Misread {
            because,
            corrected,
            sure,
        })
}
