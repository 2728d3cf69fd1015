//! A plan in words.

use crate::render::{self, Align, Cell, Paint, Table, files, level_paint, shown};
use anyhow::Result;
use bstr::ByteSlice;
use redshank_core::effect::Amount;
use redshank_core::findings::NOT_STORED;
use redshank_core::journal::{Content, FileChange};
use redshank_core::plan::{Act, Plan, Step};
use std::fmt::Write;

/// Whether an act is of one kind.
type IsOf = fn(&Act) -> bool;

/// The kinds of steps, in the order in which they are shown.
const KINDS: [(&str, IsOf); 8] = [
    ("give its right name", |act| matches!(act, Act::Rename(_))),
    ("mend a rule", |act| matches!(act, Act::Mend { .. })),
    ("keep out, by a rule", |act| matches!(act, Act::Ignore(_))),
    ("set an attribute", |act| matches!(act, Act::Attribute(_))),
    ("stop tracking, keep on disk", |act| {
        matches!(act, Act::StopTracking)
    }),
    ("move out of the way", |act| {
        matches!(act, Act::Remove { .. })
    }),
    ("write a sample", |act| matches!(act, Act::Sample(_))),
    ("let in, by an exception", |act| {
        matches!(act, Act::LetIn(_))
    }),
];

/// What a step is about.
fn subject(step: &Step) -> Cell {
    let path = shown(step.path.as_bstr());
    match &step.act {
        Act::Ignore(pattern) | Act::LetIn(pattern) | Act::Attribute(pattern) => {
            Cell::painted(Paint::Type, shown(pattern.as_bstr()))
        }
        Act::Mend { from, with } => {
            let with = with.lines().next_back().unwrap_or_default().as_bstr();
            Cell::painted(
                Paint::Type,
                format!("{} → {}", shown(from.as_bstr()), shown(with)),
            )
        }
        Act::Rename(name) => format!("{path} → {}", shown(name.as_bstr())).into(),
        Act::Sample(sample) => shown(sample.as_bstr()).into(),
        Act::StopTracking | Act::Remove { .. } => path.into(),
    }
}

/// A step on one line.
pub(super) fn in_words(step: &Step) -> String {
    let kind = KINDS
        .iter()
        .find(|(_, is_of)| is_of(&step.act))
        .map_or("", |(title, _)| title);
    format!("{kind}: {} ({})", shown(step.path.as_bstr()), step.reason)
}

pub(super) fn plan(plan: &Plan) -> Result<String> {
    let mut text = String::new();
    for (title, is_of) in KINDS {
        let steps: Vec<&Step> = plan.steps.iter().filter(|step| is_of(&step.act)).collect();
        if steps.is_empty() {
            continue;
        }
        writeln!(text, "{}", Paint::Head.on(title))?;
        let mut table = Table::new(&[Align::Whole, Align::Right, Align::Right, Align::Left]);
        for step in steps {
            let none = step.amount == Amount::default();
            let (many, size) = match none {
                true => (String::new(), String::new()),
                false => (files(step.amount.files), step.amount.size.to_string()),
            };
            table.row([
                subject(step),
                many.into(),
                size.into(),
                Cell::painted(Paint::Quiet, &step.reason),
            ]);
        }
        writeln!(text, "{}", table.text())?;
    }
    if plan.steps.is_empty() {
        writeln!(
            text,
            "{}",
            Paint::Good.on("nothing that a rule or git's index could mend")
        )?;
    } else {
        text += &render::effect(&plan.effect);
        let is_stored = |step: &&Step| matches!(&step.act, Act::Attribute(line) if line.contains_str("filter=lfs"));
        let mut stored = Amount::default();
        plan.steps
            .iter()
            .filter(is_stored)
            .for_each(|step| stored += step.amount);
        if stored != Amount::default() {
            writeln!(
                text,
                "{}, {} of it go to large-file storage",
                files(stored.files),
                stored.size
            )?;
        }
    }
    if plan.steps.iter().any(|step| step.reason == NOT_STORED) {
        let (install, tidy) = (
            Paint::Type.on("git lfs install"),
            Paint::Type.on("redshank tidy"),
        );
        writeln!(
            text,
            "Git LFS is not set up here: install it, run {install}, take those rules out, then {tidy} stores them"
        )?;
    }
    text += &left(plan)?;
    Ok(text)
}

fn left(plan: &Plan) -> Result<String> {
    let mut text = String::new();
    if !plan.left.is_empty() {
        writeln!(text, "\n{}", Paint::Head.on("left for you"))?;
        for finding in &plan.left {
            let line = finding
                .line
                .map_or(String::new(), |line| format!(":{line}"));
            let path = shown(finding.path.as_bstr());
            writeln!(
                text,
                "  {}  {path}{line}  {}",
                level_paint(finding.level).on(finding.level),
                finding.message
            )?;
            writeln!(
                text,
                "      {} {}",
                Paint::Good.on("mend:"),
                finding.remedy_in_words()
            )?;
        }
    }
    Ok(text)
}

/// What was done.
pub(super) fn done(plan: &Plan) -> Result<String> {
    let (before, after) = (plan.effect.before, plan.effect.after);
    let mut text = format!("\n{}", Paint::Good.on("done"));
    if before != after {
        write!(
            text,
            ": the next commit holds {}, {}",
            files(after.files),
            after.size
        )?;
        write!(text, " instead of {}, {}", files(before.files), before.size)?;
    }
    text.push('\n');
    let mut moved = Amount::default();
    for step in plan
        .steps
        .iter()
        .filter(|step| matches!(step.act, Act::Remove { .. }))
    {
        moved += step.amount;
    }
    if moved != Amount::default() {
        let frees = Paint::Type.on("redshank undo --forget");
        writeln!(
            text,
            "{}, {} moved out of the way; {frees} frees the space",
            files(moved.files),
            moved.size
        )?;
    }
    match plan.left.len() {
        0 => {}
        1 => writeln!(text, "one finding is left for you, above")?,
        many => writeln!(text, "{many} findings are left for you, above")?,
    }
    writeln!(text, "{} takes it back", Paint::Type.on("redshank undo"))?;
    Ok(text)
}

/// What the files that it writes would hold, beside what they hold now.
pub(super) fn differences(plan: &Plan) -> String {
    let bytes = |content: &Content| match content {
        Content::File(bytes) => bytes.clone(),
        Content::Link(target) => target.to_vec(),
        Content::Nothing => Vec::new(),
    };
    let difference = |file: &FileChange| {
        render::diff(
            &shown(file.path.as_bstr()),
            &bytes(&file.before),
            &bytes(&file.after),
        )
    };
    plan.changes.files.iter().map(difference).collect()
}
