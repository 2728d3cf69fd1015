//! What is said of lines of attribute files.

use crate::shown;
use bstr::{BStr, ByteSlice};
use redshank_rules::attribute_file::{AttributeFault, AttributeLine, Value};
use redshank_templates::WhyLeftOut;
use redshank_worktree::attributes::{AttributeStatus, AttributeUsage};

/// A value, as git's own query prints it.
pub fn attribute_value(value: Option<&Value>) -> String {
    value.map_or_else(|| "none".to_owned(), |value| shown(value.as_printed()))
}

/// What a path has of an attribute, and the line that gives it.
pub fn attribute_given(path: &BStr, found: Option<&(Value, AttributeLine)>) -> String {
    let path = shown(path);
    match found {
        None => format!("{path}: no line sets it"),
        Some((value, line)) => format!(
            "{path}: {} by {}, line {}: `{}`",
            attribute_value(Some(value)),
            shown(line.source.as_bstr()),
            line.line,
            shown(line.text.trim().as_bstr())
        ),
    }
}

/// What a line amounts to, in a sentence; nothing where it works.
pub fn attribute_status(usage: &AttributeUsage) -> String {
    match &usage.status {
        AttributeStatus::Works => String::new(),
        AttributeStatus::MatchesNothing => "matches nothing here".to_owned(),
        AttributeStatus::Overridden { by } => format!(
            "has no effect: {}:{} decides these files",
            shown(by.source.as_bstr()),
            by.line
        ),
        AttributeStatus::Faulty(fault) => self::fault(fault),
        AttributeStatus::Misspelt { name, meant } => format!(
            "git knows no attribute `{}`; did you mean `{meant}`?",
            shown(name.as_bstr())
        ),
        AttributeStatus::BadValue { setting, expected } => format!(
            "git ignores `{}`; it takes {expected}",
            shown(setting.to_string().as_bytes().as_bstr())
        ),
        AttributeStatus::NoDriver { kind, name } => {
            let name = shown(name.as_bstr());
            format!(
                "no {kind} driver `{name}` is configured here, so git {}",
                without_driver(kind)
            )
        }
    }
}

/// Why a template's line isn't written.
pub fn why_left_out(because: WhyLeftOut) -> &'static str {
    match because {
        WhyLeftOut::NoStorage => {
            "Git LFS is not set up here: install git-lfs, run `git lfs install`, and draft again"
        }
        WhyLeftOut::TrackedWhole => {
            "git holds such files whole already; `git lfs migrate` rewrites history"
        }
        WhyLeftOut::NoDriver => "git's configuration here has no such driver",
        WhyLeftOut::TakenOut => "you took these out of the block",
    }
}

/// What git does where a driver isn't there.
fn without_driver(kind: &str) -> &'static str {
    match kind {
        "filter" => "stores these files as they are",
        "merge" => "merges these files as text",
        _ => "shows differences as text",
    }
}

fn fault(fault: &AttributeFault) -> String {
    match fault {
        AttributeFault::Negated => {
            "git ignores it: attribute files have no exceptions; write `PATTERN !NAME` below"
                .to_owned()
        }
        AttributeFault::Folder => {
            "matches nothing: folders have no attributes; `folder/**` covers the files in it"
                .to_owned()
        }
        AttributeFault::NoAttribute => {
            "names no attribute; an ignore rule belongs in .gitignore".to_owned()
        }
        AttributeFault::BadName(name) => format!(
            "git ignores the whole line: `{}` can't be the name of an attribute",
            shown(name.as_bstr())
        ),
        AttributeFault::TooLong => "git ignores it: it is longer than 2048 bytes".to_owned(),
        AttributeFault::BadQuote => "its quotes are not closed".to_owned(),
        AttributeFault::MacroBelowTop => {
            "git ignores it: macros are only defined in the file at the top".to_owned()
        }
    }
}
