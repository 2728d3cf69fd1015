use super::found;
use crate::cli::Format;
use crate::context::Context;
use crate::put;
use crate::render::{self, Align, Paint, Table, class_paint, files, level_paint, shown};
use crate::report::{CheckOut, FindingOut, SummaryOut, root};
use anyhow::Result;
use bstr::ByteSlice;
use clap::Args;
use redshank_core::findings::{Exposure, Finding, Found, Level, Remedy, find_in};
use redshank_core::templates::builtin;
use redshank_core::tree::State;
use std::fmt::Write;
use std::process::ExitCode;

/// What should not be tracked and is or would be, and what should and isn't
#[derive(Args)]
pub struct Check {}

impl Check {
    #[expect(clippy::unused_self, reason = "every command has the same form")]
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        let found_here = find_in(&context.place, builtin()?)?;
        match context.asked.format {
            Format::Text if context.asked.quiet => {}
            Format::Text => put!("{}", text(context, &found_here)?)?,
            Format::Json => render::json(&CheckOut {
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
    let mut rest = found.findings.as_slice();
    while let Some(first) = rest.first() {
        let same = |finding: &&Finding| (finding.level, &finding.rule) == (first.level, &first.rule);
        let length = rest.iter().take_while(same).count();
        text_of_group(context, &rest[..length], &mut text)?;
        rest = &rest[length..];
    }
    let summary = SummaryOut::of(&found.findings);
    let count = |number: usize, word: &str| format!("{number} {word}{}", if number == 1 { "" } else { "s" });
    if found.findings.is_empty() {
        writeln!(text, "{}", Paint::Good.on("nothing found"))?;
        return Ok(text);
    }
    let counts = [(summary.errors, "error"), (summary.warnings, "warning"), (summary.notes, "note")];
    let counts: Vec<String> = counts.iter().filter(|(number, _)| *number > 0).map(|(n, w)| count(*n, w)).collect();
    let by_tidy = found.findings.iter().filter(|finding| !matches!(finding.remedy, Remedy::ByHand(_))).count();
    writeln!(text, "{}", Paint::Head.on(counts.join(", ")))?;
    if by_tidy > 0 {
        let command = Paint::Type.on("redshank tidy");
        writeln!(text, "{command}  {}", Paint::Quiet.on(format!("mends {by_tidy} of them, and can be undone")))?;
    }
    Ok(text)
}

/// Findings of one rule and level: the reason once, then a line for each place.
fn text_of_group(context: &Context, group: &[Finding], text: &mut String) -> Result<()> {
    let first = &group[0];
    let class = class_paint(first.class).on(&first.rule);
    writeln!(text, "{}  {class}", level_paint(first.level).on(first.level))?;
    let mut above = None;
    let mut rows = group;
    while let Some(row) = rows.first() {
        let length = rows.iter().take_while(|finding| finding.message == row.message).count();
        if above != Some(&row.message) {
            writeln!(text, "  {}", Paint::Quiet.on(&row.message))?;
            above = Some(&row.message);
        }
        let mut table =
            Table::new(&[Align::Left, Align::Right, Align::Right, Align::Whole, Align::Whole, Align::Whole]);
        for finding in &rows[..length] {
            table.row(cells(finding));
        }
        text.push_str(&table.text().lines().map(|line| format!("  {line}\n")).collect::<String>());
        for finding in &rows[..length] {
            if matches!(finding.remedy, Remedy::ByHand(_)) || context.asked.verbose {
                writeln!(text, "      {} {}", Paint::Good.on("mend:"), finding.remedy_in_words())?;
            }
        }
        rows = &rows[length..];
    }
    text.push('\n');
    Ok(())
}

fn cells(finding: &Finding) -> [String; 6] {
    let line = finding.line.map_or(String::new(), |line| format!(":{line}"));
    let amount = finding.size.map_or(String::new(), |size| size.to_string());
    let many = if finding.path.ends_with(b"/") { files(finding.files) } else { String::new() };
    let far = match (finding.exposure, finding.state) {
        (Exposure::Disk, State::Ignored) => "ignored",
        (Exposure::Disk, _) => "on disk",
        (Exposure::Staged, _) => "staged",
        (Exposure::Committed, _) => "committed",
        (Exposure::Pushed, _) => "pushed",
    };
    let evidence = finding.evidence.as_ref().map_or(String::new(), |evidence| shown(evidence.as_bytes().as_bstr()));
    [
        format!("{}{line}", shown(finding.path.as_bstr())),
        many,
        amount,
        far.to_owned(),
        Paint::Quiet.on(&finding.id),
        Paint::Quiet.on(evidence),
    ]
}
