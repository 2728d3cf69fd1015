use super::found;
use crate::cli::Format;
use crate::context::Context;
use crate::put;
use crate::render::{
    self, Align, Cell, Paint, Table, class_paint, count, cut, files, level_paint, shortened, shown, width,
};
use crate::report::{CheckOut, FindingOut, SummaryOut, root};
use anyhow::Result;
use bstr::ByteSlice;
use clap::Args;
use redshank_core::findings::{Exposure, Finding, Found, Level, Remedy, find_in};
use redshank_core::tree::State;
use std::fmt::Write;
use std::process::ExitCode;

/// What should not be tracked and is or would be, and what should and isn't
#[derive(Args)]
pub struct Check {}

impl Check {
    #[expect(clippy::unused_self, reason = "every command has the same form")]
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        let found_here = find_in(&context.place, &context.collection()?)?;
        match context.asked.format {
            Format::Text if context.asked.quiet => {}
            Format::Text => put!("{}", text(context, &found_here)?)?,
            Format::Json | Format::Junit => render::json(&CheckOut {
                schema: "redshank.check/1",
                root: root(&context.place.top),
                findings: found_here.findings.iter().map(FindingOut::from).collect(),
                summary: SummaryOut::of(&found_here.findings),
                unread: found_here.unread.iter().map(Into::into).collect(),
            })?,
            Format::Jsonl => render::jsonl(found_here.findings.iter().map(FindingOut::from))?,
        }
        context.say_unread(&found_here.unread);
        Ok(found(found_here.findings.iter().any(|finding| finding.level < Level::Note)))
    }
}

fn text(context: &Context, found: &Found) -> Result<String> {
    let mut text = String::new();
    if found.findings.is_empty() {
        writeln!(text, "{}", super::survey::nothing_found(found))?;
        return Ok(text);
    }
    for group in found.findings.chunk_by(|a, b| (a.level, a.class) == (b.level, b.class)) {
        text_of_group(context, group, &mut text)?;
    }
    let summary = SummaryOut::of(&found.findings);
    let counts = [(summary.errors, "error"), (summary.warnings, "warning"), (summary.notes, "note")];
    let counts: Vec<String> = counts
        .iter()
        .filter(|(number, _)| *number > 0)
        .map(|(number, word)| format!("{number} {word}{}", if *number == 1 { "" } else { "s" }))
        .collect();
    writeln!(text, "{}", Paint::Head.on(counts.join(", ")))?;
    let by_tidy = found.findings.iter().filter(|finding| !matches!(finding.remedy, Remedy::ByHand(_))).count();
    if by_tidy > 0 {
        let command = Paint::Type.on("redshank tidy");
        writeln!(text, "{command}  {}", Paint::Quiet.on(format!("mends {by_tidy} of them, and can be undone")))?;
    }
    Ok(text)
}

/// Below this width, in columns, what a finding is goes on a line of its own.
const NARROW: usize = 100;

/// Findings of one level and class: a line for each, and what mends those that `tidy` can't.
fn text_of_group(context: &Context, group: &[Finding], text: &mut String) -> Result<()> {
    let (level, class) = (group[0].level, group[0].class);
    let of_class = class_paint(class).on(class);
    let many = count(group.len() as u64) + if group.len() == 1 { " finding" } else { " findings" };
    writeln!(text, "{}  {of_class}  {}", level_paint(level).on(level), Paint::Quiet.on(many))?;
    let narrow = width().is_some_and(|width| width < NARROW);
    let mut table = Table::new(&[Align::Whole, Align::Right, Align::Right, Align::Whole, Align::Left]);
    for finding in group {
        let what = Cell::painted(Paint::Quiet, what(finding));
        table.row(cells(finding).into_iter().chain((!narrow).then_some(what)));
    }
    for (row, finding) in table.text().lines().zip(group) {
        writeln!(text, "{row}")?;
        if narrow {
            writeln!(text, "      {}", Paint::Quiet.on(cut(&what(finding), width().unwrap_or(NARROW) - 8)))?;
        }
        if context.asked.verbose {
            writeln!(text, "      {} {}: {}", Paint::Quiet.on(&finding.id), finding.rule, finding.message)?;
        }
        if matches!(finding.remedy, Remedy::ByHand(_)) || context.asked.verbose {
            writeln!(text, "      {} {}", Paint::Good.on("mend:"), finding.remedy_in_words())?;
        }
    }
    text.push('\n');
    Ok(())
}

fn what(finding: &Finding) -> String {
    let evidence = finding.evidence.as_ref().map_or(String::new(), |evidence| format!("{evidence}; "));
    shown(format!("{evidence}{}", finding.message).as_bytes().as_bstr())
}

fn cells(finding: &Finding) -> [Cell; 4] {
    let line = finding.line.map_or(String::new(), |line| format!(":{line}"));
    let path = format!("{}{line}", shown(finding.path.as_bstr()));
    let amount = finding.size.map_or(String::new(), |size| size.to_string());
    let many = if finding.path.ends_with(b"/") { files(finding.files) } else { String::new() };
    let far = match (finding.exposure, finding.state) {
        (Exposure::Disk, State::Ignored) => "ignored",
        (Exposure::Disk, _) => "on disk",
        (Exposure::Staged, _) => "staged",
        (Exposure::Committed, _) => "committed",
        (Exposure::Pushed, _) => "pushed",
    };
    let path = shortened(&path, width().map_or(usize::MAX, |width| width * 2 / 5));
    [path.into(), many.into(), amount.into(), far.to_owned().into()]
}
