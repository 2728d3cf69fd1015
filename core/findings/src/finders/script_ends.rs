//! Scripts whose lines end as their interpreter can't read them: a carriage return becomes part of
//! a shell's words, and the interpreter of Windows batch files loses its way among labels without
//! one.

use crate::{Cause, Finding, Known, Level, LineEnds, Remedy, Result, ScanContext};
use bstr::{BStr, ByteSlice};
use redshank_rules::ignore_file::NewRule;
use redshank_rules::{Breadth, exactly};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_worktree::Class;
use redshank_worktree::tree::Entry;

/// A script whose lines end wrongly.
pub(crate) struct Script {
    path: RepoPathBuf,
    /// How they must end.
    ends: LineEnds,
}

const SHELL: [&str; 2] = [".sh", ".bash"];
const BATCH: [&str; 2] = [".bat", ".cmd"];

fn is_named(path: &BStr, extensions: &[&str]) -> bool {
    let end = |extension: &&str| {
        path.len()
            .checked_sub(extension.len())
            .map(|at| &path[at..])
    };
    extensions.iter().any(|extension| {
        end(extension).is_some_and(|end| end.eq_ignore_ascii_case(extension.as_bytes()))
    })
}

/// The script that a file is by its name and start, if its lines end wrongly.
pub(super) fn script_in(entry: &Entry, head: &[u8]) -> Option<Script> {
    let path: &RepoPath = &entry.path;
    let first = head.lines_with_terminator().next()?;
    let has_crlf = first.ends_with(b"\r\n");
    let is_shell = is_named(path, &SHELL) || head.starts_with(b"#!/") || head.starts_with(b"#! /");
    let ends = match (is_shell, has_crlf) {
        (true, true) => LineEnds::Lf,
        (false, false) if is_named(path, &BATCH) && first.ends_with(b"\n") => LineEnds::Crlf,
        _ => return None,
    };
    (!head.contains(&0)).then(|| Script {
        path: path.to_owned(),
        ends,
    })
}

pub(super) fn find(scan: &ScanContext, known: &Known) -> Result<Vec<Finding>> {
    let scripts = known.content.scripts.iter();
    let scripts = scripts.filter_map(|script| Some((script, scan.tree.get(&script.path)?)));
    let scripts: Vec<(&Script, &Entry)> = scripts
        .filter(|(_, entry)| !known.templates.has(entry))
        .collect();
    let paths: Vec<&BStr> = scripts
        .iter()
        .map(|(script, _)| script.path.as_bstr())
        .collect();
    let (said, text) = match &scan.snapshot.repository {
        Some(repository) => (
            repository.attribute("eol", &paths)?,
            repository.attribute("text", &paths)?,
        ),
        None => Default::default(),
    };
    // What the attributes see to comes right with the next checkout; what they leave as it is, was
    // left on purpose.
    let is_seen_to = |path: &RepoPath| {
        said.contains_key(path.as_bstr())
            || text
                .get(path.as_bstr())
                .is_some_and(|value| value == "unset")
    };
    let open = scripts
        .into_iter()
        .filter(|(script, _)| !is_seen_to(&script.path));
    Ok(open
        .map(|(script, entry)| finding(script.ends, entry))
        .collect())
}

fn finding(ends: LineEnds, entry: &Entry) -> Finding {
    let (level, value) = match ends {
        LineEnds::Lf => (Level::Warning, "lf"),
        LineEnds::Crlf => (Level::Note, "crlf"),
    };
    let path = &entry.path;
    // All of a type are scripts, or only this one is, by its first line.
    let of_type = Breadth::Type
        .pattern(path)
        .filter(|_| is_named(path, &SHELL) || is_named(path, &BATCH));
    let pattern = of_type.unwrap_or_else(|| exactly(path));
    let line = format!(
        "{} text eol={value}",
        pattern.replace(" ", "[[:space:]]").as_bstr()
    );
    let remedy = Remedy::Attribute {
        line: NewRule {
            pattern: line.into(),
            reason: "line endings that their interpreter can read, on every system".to_owned(),
            remake: None,
        },
        is_storage: false,
    };
    Finding::on(
        entry,
        Class::Needed,
        "script-ends",
        level,
        Cause::ScriptEnds(ends),
    )
    .with_remedy(remedy)
}
