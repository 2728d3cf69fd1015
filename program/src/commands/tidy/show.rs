//! A plan in words.

use anyhow::Result;
use bstr::ByteSlice;
use redshank_changes::journal::Content;
use redshank_changes::plan::{Plan, Step, StepKind};
use redshank_output::{self as output, Align, Cell, Table, width};
use redshank_text::{self as text, Paint, files, level_paint, shown};
use redshank_worktree::FileStats;
use redshank_worktree::size::Bytes;
use std::collections::BTreeMap;
use std::fmt::Write;

/// What a step is about.
fn subject(step: &Step) -> Cell {
    let path = shown(&step.path);
    match &step.kind {
        StepKind::Ignore { pattern, .. }
        | StepKind::LetIn(pattern)
        | StepKind::Attribute { line: pattern, .. } => {
            Cell::painted(Paint::Type, shown(pattern.as_bstr()))
        }
        StepKind::Fix { from, with } => {
            let with = with.lines().next_back().unwrap_or_default().as_bstr();
            let both = format!("{} → {}", shown(from.as_bstr()), shown(with));
            Cell::painted(Paint::Type, both)
        }
        StepKind::Sample(sample) => shown(sample.as_bstr()).into(),
        StepKind::Mode { .. } | StepKind::StopTracking | StepKind::Remove { .. } => path.into(),
    }
}

/// A step on one line.
pub(super) fn in_words(step: &Step) -> String {
    let (_, kind) = text::kind_title(&step.kind);
    let reason = text::reason(&step.reason);
    format!("{kind}: {} ({reason})", shown(&step.path))
}

pub(super) fn plan(plan: &Plan) -> Result<String> {
    let mut text = String::new();
    let mut kinds: BTreeMap<(u8, &str), Vec<&Step>> = BTreeMap::new();
    for step in &plan.steps {
        kinds
            .entry(text::kind_title(&step.kind))
            .or_default()
            .push(step);
    }
    for ((_, title), steps) in kinds {
        writeln!(text, "{}", Paint::Head.on(title))?;
        writeln!(text, "{}", table_of(&steps))?;
    }
    if plan.steps.is_empty() {
        let nothing = "nothing to fix automatically";
        writeln!(text, "{}", Paint::Good.on(nothing))?;
    } else {
        text += &output::effect(&plan.effect);
        text += &storage(plan)?;
    }
    text += &left(plan)?;
    Ok(text)
}

fn table_of(steps: &[&Step]) -> String {
    let columns = [Align::Whole, Align::Right, Align::Right, Align::Left];
    let mut table = Table::new(&columns);
    for step in steps {
        let (many, size) = if step.stats == FileStats::default() {
            (String::new(), String::new())
        } else {
            (files(step.stats.files), step.stats.size.to_string())
        };
        table.row([
            subject(step),
            many.into(),
            size.into(),
            Cell::painted(Paint::Quiet, text::reason(&step.reason)),
        ]);
    }
    table.text()
}

/// What is said of large-file storage: how much goes there, or could.
fn storage(plan: &Plan) -> Result<String> {
    let mut text = String::new();
    let stored: FileStats = plan
        .steps
        .iter()
        .filter(|step| {
            matches!(
                step.kind,
                StepKind::Attribute {
                    is_storage: true,
                    ..
                }
            )
        })
        .map(|step| step.stats)
        .sum();
    if stored != FileStats::default() {
        let many = files(stored.files);
        writeln!(
            text,
            "{many}, {} of it go to large-file storage",
            stored.size
        )?;
        let (before, after) = (plan.effect.before.size, plan.effect.after.size);
        let rest = Bytes(after.0.saturating_sub(stored.size.0));
        writeln!(
            text,
            "{} a clone grows by {rest} instead of {before}; large-file storage by {}, and hosts \
             set a quota for it",
            Paint::Head.on("weights:"),
            stored.size
        )?;
    }
    if plan.steps.iter().any(|step| {
        matches!(
            step.kind,
            StepKind::Ignore {
                is_for_storage: true,
                ..
            }
        )
    }) {
        let install = Paint::Type.on("git lfs install");
        let tidy = Paint::Type.on("redshank tidy");
        writeln!(
            text,
            "Git LFS is not set up here: install it, run {install}, remove those rules, then \
             {tidy} stores them"
        )?;
    }
    Ok(text)
}

fn left(plan: &Plan) -> Result<String> {
    let mut text = String::new();
    if !plan.left.is_empty() {
        writeln!(text, "\n{}", Paint::Head.on("left for you"))?;
    }
    for finding in &plan.left {
        let level = level_paint(finding.level).on(finding.level);
        let (place, message) = (text::place(finding), text::message(finding));
        let fix = Paint::Good.on("fix:");
        let lines = [
            format!("  {level}  {place}  {message}"),
            format!("      {fix} {}", text::remedy(finding)),
        ];
        for line in lines {
            let room = width().unwrap_or(usize::MAX);
            let options = textwrap::Options::new(room).subsequent_indent("      ");
            writeln!(text, "{}", textwrap::fill(&line, options))?;
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
    let moved: FileStats = plan
        .steps
        .iter()
        .filter(|step| matches!(step.kind, StepKind::Remove { .. }))
        .map(|step| step.stats)
        .sum();
    if moved != FileStats::default() {
        let frees = Paint::Type.on("redshank undo --forget");
        let (many, size) = (files(moved.files), moved.size);
        writeln!(
            text,
            "{many}, {size} moved out of the way; {frees} frees the space"
        )?;
    }
    match plan.left.len() {
        0 => {}
        1 => writeln!(text, "one finding is left for you, above")?,
        many => writeln!(text, "{many} findings are left for you, above")?,
    }
    writeln!(text, "{} undoes it", Paint::Type.on("redshank undo"))?;
    Ok(text)
}

/// What the files that it writes would hold, beside what they hold now.
pub(super) fn differences(plan: &Plan) -> String {
    let bytes = |content: &Content| match content {
        Content::File(bytes) => bytes.clone(),
        Content::Link(target) => target.to_vec(),
        Content::Nothing => Vec::new(),
    };
    plan.changes
        .files
        .iter()
        .map(|file| {
            output::diff(
                &shown(file.path.as_bstr()),
                &bytes(&file.before),
                &bytes(&file.after),
            )
        })
        .collect()
}
