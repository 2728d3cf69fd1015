use crate::context::Context;
use crate::render::{self, Align, Cell, Paint, Table, files, shown};
use crate::report::{JournalOut, root};
use crate::{put, putln};
use anyhow::{Result, bail};
use bstr::ByteSlice;
use clap::Args;
use redshank_core::journal::{Done, Journal};
use std::process::ExitCode;

/// Take back a change that Redshank made here
#[derive(Args)]
pub struct Undo {
    /// Which, by its number; without it, the newest that stands
    change: Option<u32>,
    /// The changes there are
    #[arg(long, conflicts_with_all = ["change", "forget"])]
    list: bool,
    /// Forget all changes and free what was kept of them
    #[arg(long, conflicts_with = "change")]
    forget: bool,
}

impl Undo {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        let journal = Journal::of(&context.place)?;
        if self.list {
            return list(context, &journal.list()?);
        }
        if self.forget {
            return forget(context, &journal);
        }
        let change = journal.at(self.change)?;
        if !context.asked.quiet && context.for_people() {
            put!("{}", text(&change))?;
        }
        if !may(context, "Take it back?", "redshank undo --yes")? {
            return Ok(ExitCode::SUCCESS);
        }
        journal.undo(self.change)?;
        if !context.for_people() {
            return list(context, &journal.list()?);
        }
        if !context.asked.quiet {
            putln!("{}; all is as it was before", Paint::Good.on("taken back"))?;
        }
        Ok(ExitCode::SUCCESS)
    }
}

/// Whether somebody says so.
fn may(context: &Context, question: &str, typed: &str) -> Result<bool> {
    if !context.asked.yes && !context.has_somebody() {
        bail!("nobody is here to ask, so nothing was changed\n  say `{typed}`");
    }
    let confirmed = context.confirm(question)?;
    if !confirmed {
        putln!("nothing was changed")?;
    }
    Ok(confirmed)
}

fn forget(context: &Context, journal: &Journal) -> Result<ExitCode> {
    let kept = journal.list()?.len();
    if !context.asked.quiet && context.for_people() {
        putln!("{kept} changes are kept; none of them could be taken back any more")?;
    }
    if may(context, "Forget them?", "redshank undo --forget --yes")? {
        journal.forget()?;
    }
    Ok(ExitCode::SUCCESS)
}

fn list(context: &Context, changes: &[Done]) -> Result<ExitCode> {
    if !context.for_people() {
        let changes = changes.iter().map(Into::into).collect();
        render::json(&JournalOut { schema: "redshank.undo/1", root: root(&context.place.top), changes })?;
        return Ok(ExitCode::SUCCESS);
    }
    if changes.is_empty() {
        putln!("{}", Paint::Good.on("nothing was changed here"))?;
    }
    let mut table = Table::new(&[Align::Right, Align::Whole, Align::Whole, Align::Left]);
    for change in changes.iter().rev() {
        let written: Vec<String> = change.files.iter().map(|file| shown(file.as_bstr())).collect();
        let untracked = (change.untracked > 0).then(|| format!("{} no longer tracked", files(change.untracked as u64)));
        let standing = match (change.undone, change.cut_short) {
            (true, _) => "taken back",
            (false, true) => "cut short",
            (false, false) => "",
        };
        let moved = change.moved.iter().map(|path| format!("{} moved away", shown(path.as_bstr())));
        let what = written.into_iter().chain(moved).chain(untracked).collect::<Vec<_>>().join(", ");
        let command = format!("{} {standing}", change.command);
        table.row([
            change.number.to_string().into(),
            moment(change.time).into(),
            command.into(),
            Cell::painted(Paint::Quiet, what),
        ]);
    }
    put!("{}", table.text())?;
    Ok(ExitCode::SUCCESS)
}

/// A time as the clock here shows it.
fn moment(seconds: u64) -> String {
    let then = jiff::Timestamp::from_second(seconds.cast_signed()).unwrap_or_default();
    then.to_zoned(jiff::tz::TimeZone::system()).strftime("%Y-%m-%d %H:%M").to_string()
}

fn text(change: &Done) -> String {
    let title = format!("change {} was made by", change.number);
    let mut text = format!("{} {}\n", Paint::Head.on(title), Paint::Type.on(&change.command));
    if change.cut_short {
        text += &format!("  {}\n", Paint::Warn.on("it was cut short"));
    }
    for file in &change.files {
        let how =
            if change.created.contains(file) { "goes; it was not there before" } else { "gets back what it held" };
        text += &format!("  {} {how}\n", shown(file.as_bstr()));
    }
    for path in &change.moved {
        text += &format!("  {} comes back\n", shown(path.as_bstr()));
    }
    if change.untracked > 0 {
        text += &format!("  {} tracked again\n", files(change.untracked as u64));
    }
    text
}
