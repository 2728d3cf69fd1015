//! Scripts whose lines end as their interpreter can't read them: a carriage return becomes part of
//! a shell's words, and the interpreter of Windows batch files loses its way among labels without
//! one.

use super::claimed::Claimed;
use super::inside::Inside;
use super::{Class, Finding, Found, Level, Look, Remedy};
use crate::Result;
use crate::edit::Width;
use crate::ignore_file::NewRule;
use crate::templates::exactly;
use crate::tree::Entry;
use bstr::{BStr, BString, ByteSlice};

/// A script whose lines end wrongly.
pub(super) struct Script {
    path: BString,
    ends: Ends,
}

/// How the lines of a script must end.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Ends {
    Lf,
    Crlf,
}

const SHELL: [&str; 2] = [".sh", ".bash"];
const BATCH: [&str; 2] = [".bat", ".cmd"];

fn is_named(path: &BStr, endings: &[&str]) -> bool {
    let end = |ending: &&str| path.len().checked_sub(ending.len()).map(|at| &path[at..]);
    endings
        .iter()
        .any(|ending| end(ending).is_some_and(|end| end.eq_ignore_ascii_case(ending.as_bytes())))
}

/// The script that a file is by its name and start, if its lines end wrongly.
pub(super) fn of(entry: &Entry, head: &[u8]) -> Option<Script> {
    let path = entry.path.as_bstr();
    let first = head.lines_with_terminator().next()?;
    let has_crlf = first.ends_with(b"\r\n");
    let is_shell = is_named(path, &SHELL) || head.starts_with(b"#!/") || head.starts_with(b"#! /");
    let ends = match (is_shell, has_crlf) {
        (true, true) => Ends::Lf,
        (false, false) if is_named(path, &BATCH) && first.ends_with(b"\n") => Ends::Crlf,
        _ => return None,
    };
    (!head.contains(&0)).then(|| Script {
        path: path.to_owned(),
        ends,
    })
}

pub(super) fn find(
    look: &Look,
    claimed: &Claimed,
    inside: &Inside,
    found: &mut Found,
) -> Result<()> {
    let scripts: Vec<_> = inside
        .scripts
        .iter()
        .filter_map(|script| Some((script, look.tree.get(script.path.as_bstr())?)))
        .collect();
    let scripts: Vec<_> = scripts
        .into_iter()
        .filter(|(_, entry)| !claimed.has(entry))
        .collect();
    let paths: Vec<_> = scripts
        .iter()
        .map(|(script, _)| script.path.as_bstr())
        .collect();
    let (said, text) = match &look.place.repository {
        Some(repository) => (
            repository.attribute("eol", &paths)?,
            repository.attribute("text", &paths)?,
        ),
        None => Default::default(),
    };
    for (script, entry) in scripts {
        // What the attributes see to comes right with the next checkout; what they leave as it is,
        // was left on purpose.
        let is_seen_to = said.contains_key(&script.path)
            || text.get(&script.path).is_some_and(|value| value == "unset");
        if is_seen_to {
            continue;
        }
        let (level, message, value) = match script.ends {
            Ends::Lf => (
                Level::Warning,
                "a script whose lines end in CR LF; no system but Windows can run it",
                "lf",
            ),
            Ends::Crlf => (
                Level::Note,
                "a batch file whose lines end in LF only; Windows can lose its way in it",
                "crlf",
            ),
        };
        let path = entry.path.as_bstr();
        // All of a type are scripts, or only this one is, by its first line.
        let of_type = Width::Type
            .pattern(path)
            .filter(|_| is_named(path, &SHELL) || is_named(path, &BATCH));
        let pattern = of_type.unwrap_or_else(|| exactly(path));
        let line = format!(
            "{} text eol={value}",
            pattern.replace(" ", "[[:space:]]").as_bstr()
        );
        let reason = "line ends that their interpreter can read, on every system".to_owned();
        let remedy = Remedy::Attribute(NewRule {
            pattern: line.into(),
            reason,
            remake: None,
        });
        found.findings.push(Finding {
            remedy,
            ..Finding::on(entry, Class::Needed, "script-ends", level, message)
        });
    }
    Ok(())
}
