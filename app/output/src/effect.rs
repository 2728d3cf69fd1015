//! What a change of rules does, and the change itself.

use super::{Align, Cell, Table};
use bstr::ByteSlice;
use redshank_rules::RepoPath;
use redshank_text::{Paint, attribute_value, count, files, shown};
use redshank_worktree::attributes::AttributeEffect;
use redshank_worktree::effect::Effect;
use redshank_worktree::grouped;
use redshank_worktree::tree::Entry;
use similar::{ChangeTag, TextDiff};

/// So many new files are named.
const NEW: usize = 2;

/// How many folders are listed before the rest is summed up.
const ROWS: usize = 8;

/// Before → after, and what changed sides, by folder.
pub fn effect(effect: &Effect) -> String {
    let mut text = sums(effect);
    text += &sides("ignored", Paint::Good, &effect.kept_out);
    text += &sides("re-included", Paint::Warn, &effect.let_in);
    text
}

/// Before → after, in one line.
pub fn sums(effect: &Effect) -> String {
    let new: Vec<String> = effect
        .new
        .iter()
        .take(NEW)
        .map(|path| shown(path))
        .collect();
    let new = match (new.is_empty(), effect.new.len().saturating_sub(NEW)) {
        (true, _) => String::new(),
        (false, 0) if new.len() == 1 => format!(" (with {}, which is new)", new[0]),
        (false, 0) => format!(" (with {}, which are new)", new.join(" and ")),
        (false, more) => format!(" (with {} and {more} more, which are new)", new.join(", ")),
    };
    let new = Paint::Quiet.on(new);
    format!(
        "{} {}, {}  {} {}, {}{new}\n",
        Paint::Head.on("to commit:"),
        files(effect.before.files),
        effect.before.size,
        Paint::Head.on("→"),
        files(effect.after.files),
        effect.after.size,
    )
}

fn sides(title: &str, paint: Paint, entries: &[Entry]) -> String {
    if entries.is_empty() {
        return String::new();
    }
    let rows = grouped(entries, |entry| (entry.path.top_folder(),));
    let mut table = Table::new(&[Align::Right, Align::Right, Align::Whole, Align::Left]);
    for ((folder,), stats) in rows.iter().take(ROWS) {
        let example = entries
            .iter()
            .find(|entry| entry.path.top_folder() == *folder);
        let example = example.map_or(String::new(), |entry| {
            shown(entry.path[folder.len()..].as_bstr())
        });
        let hint = if stats.files == 1 {
            example
        } else {
            format!("{example}, …")
        };
        table.row([
            count(stats.files).into(),
            stats.size.to_string().into(),
            folder_name(folder).into(),
            Cell::painted(Paint::Quiet, hint),
        ]);
    }
    let mut text = format!("{}\n{}", paint.on(format!("{title}:")), table.text());
    if rows.len() > ROWS {
        let more = rows.len() - ROWS;
        let folders = if more == 1 { "folder" } else { "folders" };
        text += &format!("  and {} more {folders}\n", count(more as u64));
    }
    text
}

/// Which attributes change, for how many files.
pub fn attribute_effect(effect: &AttributeEffect) -> String {
    if effect.changes.is_empty() {
        return String::new();
    }
    let mut table = Table::new(&[Align::Right, Align::Whole, Align::Whole, Align::Left]);
    for change in &effect.changes {
        let values = format!(
            "{} {} {}",
            attribute_value(change.before.as_ref()),
            Paint::Head.on("→"),
            attribute_value(change.after.as_ref())
        );
        let (first, more) = (change.paths.first(), change.paths.len().saturating_sub(1));
        let first = first.map(|path| shown(path)).unwrap_or_default();
        let more = if more == 0 { "" } else { ", …" };
        table.row([
            files(change.paths.len() as u64).into(),
            Cell::painted(Paint::Type, shown(change.name.as_bstr())),
            values.into(),
            Cell::painted(Paint::Quiet, format!("{first}{more}")),
        ]);
    }
    format!("{}\n{}", Paint::Head.on("attributes:"), table.text())
}

/// A folder's name, or a word for the top.
pub fn folder_name(folder: &RepoPath) -> String {
    if folder.is_top() {
        "(at the top)".to_owned()
    } else {
        shown(folder)
    }
}

/// How many lines a change takes out and puts in.
pub fn diff_sums(name: &str, before: &[u8], after: &[u8]) -> String {
    let diff = TextDiff::from_lines(before, after);
    let of = |tag| {
        diff.iter_all_changes()
            .filter(|one| one.tag() == tag)
            .count()
    };
    format!(
        "{}  {} {}\n",
        Paint::Head.on(name),
        Paint::Good.on(format!("+{}", of(ChangeTag::Insert))),
        Paint::Bad.on(format!("-{}", of(ChangeTag::Delete)))
    )
}

/// The lines that a change takes out and puts in, with one line around them.
pub fn diff(name: &str, before: &[u8], after: &[u8]) -> String {
    let diff = TextDiff::from_lines(before, after);
    let mut text = format!("{}\n", Paint::Head.on(name));
    for hunk in diff.unified_diff().context_radius(1).iter_hunks() {
        for change in hunk.iter_changes() {
            let line = change.value();
            let line = shown(line.trim_end_with(|c| c == '\n' || c == '\r').as_bstr());
            text += &match change.tag() {
                ChangeTag::Insert => Paint::Good.on(format!("  + {line}")),
                ChangeTag::Delete => Paint::Bad.on(format!("  - {line}")),
                ChangeTag::Equal => Paint::Quiet.on(format!("    {line}")),
            };
            text.push('\n');
        }
    }
    text
}
