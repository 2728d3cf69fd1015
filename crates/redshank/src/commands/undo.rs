use crate::context::Context;
use crate::render::{Paint, files, shown};
use crate::{put, putln};
use anyhow::{Result, bail};
use bstr::ByteSlice;
use clap::Args;
use redshank_core::journal::{Done, Journal};
use std::process::ExitCode;

/// Take back the newest change that Redshank made here
#[derive(Args)]
pub struct Undo {}

impl Undo {
    #[expect(clippy::unused_self, reason = "every command has the same form")]
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        let journal = Journal::of(&context.place)?;
        let last = journal.last()?;
        if !context.asked.quiet {
            put!("{}", text(&last))?;
        }
        if !context.asked.yes && !context.has_somebody() {
            bail!("nobody is here to ask, so nothing was changed\n  say `redshank undo --yes`");
        }
        if !context.confirm("Take it back?")? {
            putln!("nothing was changed")?;
            return Ok(ExitCode::SUCCESS);
        }
        journal.undo()?;
        if !context.asked.quiet {
            putln!("{}; all is as it was before", Paint::Good.on("taken back"))?;
        }
        Ok(ExitCode::SUCCESS)
    }
}

fn text(last: &Done) -> String {
    let mut text = format!("{} {}\n", Paint::Head.on("the last change was made by"), Paint::Type.on(&last.command));
    if last.cut_short {
        text += &format!("  {}\n", Paint::Warn.on("it was cut short"));
    }
    for file in &last.files {
        text += &format!("  {} gets back what it held\n", shown(file.as_bstr()));
    }
    if last.untracked > 0 {
        text += &format!("  {} tracked again\n", files(last.untracked as u64));
    }
    text
}
