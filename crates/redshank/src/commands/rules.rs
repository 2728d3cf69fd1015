use super::found;
use super::why::{difference, marked_line, whole};
use crate::cli::Format;
use crate::context::Context;
use crate::put;
use crate::render::{self, Align, Cell, Paint, Table, count, shown};
use crate::report::{RuleRowOut, RulesOut, StrayOut};
use anyhow::Result;
use bstr::ByteSlice;
use clap::Args;
use redshank_core::audit::{Audit, Audited, Standing, audit};
use redshank_core::rules::{Reach, excerpt};
use std::fmt::Write;
use std::process::ExitCode;

/// Every rule in force, what each catches, and those that do nothing
#[derive(Args)]
pub struct Rules {
    /// Only the rules that don't do what they seem to
    #[arg(long)]
    idle: bool,
}

impl Rules {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        let mut audit = audit(&context.place)?;
        if self.idle {
            audit.rules.retain(|rule| rule.standing != Standing::Works);
        }
        match context.asked.format {
            Format::Text => put!("{}", text(&audit)?)?,
            Format::Jsonl => render::jsonl(audit.rules.iter().map(RuleRowOut::from))?,
            Format::Json | Format::Junit | Format::Sarif => render::json(&RulesOut {
                schema: "redshank.rules/1",
                root: crate::report::root(&context.place.top),
                rules: audit.rules.iter().map(RuleRowOut::from).collect(),
                strays: audit.strays.iter().map(StrayOut::from).collect(),
            })?,
        }
        Ok(found(
            self.idle && !(audit.rules.is_empty() && audit.strays.is_empty()),
        ))
    }
}

fn text(audit: &Audit) -> Result<String> {
    let mut text = String::new();
    for group in audit
        .rules
        .chunk_by(|a, b| a.list.source.shown == b.list.source.shown)
    {
        let source = &group[0].list.source;
        let reach = match source.reach {
            Reach::Team => "for everyone",
            Reach::Folder => "for everyone, in this folder",
            Reach::Clone => "only in this clone",
            Reach::Personal => "only for you",
        };
        writeln!(
            text,
            "{}  {}",
            Paint::Head.on(shown(source.shown.as_bstr())),
            Paint::Quiet.on(reach)
        )?;
        let mut table = Table::new(&[
            Align::Right,
            Align::Whole,
            Align::Right,
            Align::Right,
            Align::Left,
        ]);
        for audited in group {
            table.row(row(audited));
        }
        writeln!(text, "{}", table.text())?;
        for audited in group {
            text += &diagnosis(audited).unwrap_or_default();
        }
    }
    if audit.rules.is_empty() {
        writeln!(text, "{}", Paint::Quiet.on("no rules"))?;
    }
    for stray in &audit.strays {
        let path = shown(stray.path.as_bstr());
        writeln!(
            text,
            "{} {path} is not read by git: {}",
            Paint::Warn.on("stray"),
            stray.because
        )?;
    }
    Ok(text)
}

/// What is wrong with a rule that can't do what it seems to: the line with a marker under the
/// fault, and the mend.
fn diagnosis(audited: &Audited) -> Option<String> {
    let rule = shown(audited.excerpt().as_bstr());
    let typed = |text: &str| Paint::Type.on(format!("`{text}`"));
    let (fault, mend) = match &audited.standing {
        Standing::Misread { mended, .. } => {
            let mended = shown(excerpt(mended.as_bstr()).as_bstr());
            (
                difference(&rule, &mended),
                format!("{} may be meant", typed(&mended)),
            )
        }
        Standing::CannotWork { folder, .. } => {
            let open = format!("/{}*", shown(folder.as_bstr()));
            (
                whole(&rule),
                format!(
                    "a rule {} in the place of the one that shuts it leaves the folder open",
                    typed(&open)
                ),
            )
        }
        Standing::SwallowsItsFile => (
            whole(&rule),
            format!("{} behind it keeps the file", typed("!.gitignore")),
        ),
        Standing::Impossible => (
            whole(&rule),
            "a back-slash before `[` or `\\` makes it stand for itself".to_owned(),
        ),
        _ => return None,
    };
    let place = format!(
        "{}:{}",
        shown(audited.list.source.shown.as_bstr()),
        audited.rule().line
    );
    Some(format!(
        "{}    {}; {mend}\n\n",
        marked_line(&place, &rule, fault),
        audited.message()
    ))
}

fn row(audited: &Audited) -> [Cell; 5] {
    let works = audited.standing == Standing::Works;
    let number = |text: String| {
        if works {
            text.into()
        } else {
            Cell::painted(Paint::Quiet, "")
        }
    };
    [
        Cell::painted(Paint::Quiet, audited.rule().line),
        Cell::painted(
            if works { Paint::Type } else { Paint::Warn },
            shown(audited.excerpt().as_bstr()),
        ),
        number(count(audited.catches.files)),
        number(audited.catches.size.to_string()),
        Cell::painted(Paint::Quiet, shown(audited.message().as_bytes().as_bstr())),
    ]
}
