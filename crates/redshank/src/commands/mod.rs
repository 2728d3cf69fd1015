//! The commands: one file each, with its arguments and its `run`.

mod accept;
mod add;
mod check;
mod demo;
mod draft;
mod drop;
mod files;
mod hook;
mod mute;
mod prove;
mod rehearse;
mod rules;
mod survey;
mod templates;
mod tidy;
mod r#try;
mod undo;
mod why;
mod write;

use crate::cli::{Everywhere, Format};
use crate::context::Context;
use crate::eputln;
use anyhow::{Result, bail};
use clap::Subcommand;
use redshank_core::Error;
use std::process::ExitCode;
use std::time::Duration;

/// All commands, in the order in which people need them.
#[derive(Subcommand)]
pub enum Command {
    Survey(survey::Survey),
    Templates(templates::Templates),
    Draft(draft::Draft),
    Try(r#try::Try),
    Add(add::Add),
    Drop(drop::Drop),
    Why(why::Why),
    Rules(rules::Rules),
    Prove(prove::Prove),
    Files(files::Files),
    Check(check::Check),
    Accept(accept::Accept),
    Tidy(tidy::Tidy),
    Undo(undo::Undo),
    Mute(mute::Mute),
    Unmute(mute::Unmute),
    Rehearse(rehearse::Rehearse),
    Hook(hook::Hook),
    Demo(demo::Demo),
}

impl Command {
    /// Whether the command can answer in that format.
    pub fn takes(&self, format: Format) -> Result<()> {
        match (format, self) {
            (Format::Junit, Self::Prove(_)) | (Format::Sarif, Self::Check(_)) => Ok(()),
            (Format::Junit, _) => bail!("only `prove` writes JUnit XML\n  use --format json"),
            (Format::Sarif, _) => bail!("only `check` writes SARIF\n  use --format json"),
            _ => Ok(()),
        }
    }
}

/// Runs the command. If somebody else changed meanwhile what it was to change, it starts anew: what
/// it shows, and what it writes, comes from what is there.
pub fn run(command: &Command, asked: &Everywhere) -> Result<ExitCode> {
    for _ in 0..STARTS {
        match run_once(command, asked) {
            Err(error) if is_overtaken(&error) => {
                let said = format!("{error:#}");
                eputln!("{}; starting anew", said.lines().next().unwrap_or_default());
                // Not in step with whoever else starts anew.
                let wait = u64::from(std::process::id() % 7 + 1);
                std::thread::sleep(Duration::from_millis(wait));
            }
            ended => return ended,
        }
    }
    run_once(command, asked)
}

/// How often a command starts anew before it gives up.
const STARTS: u32 = 30;

fn is_overtaken(error: &anyhow::Error) -> bool {
    matches!(
        error.downcast_ref(),
        Some(Error::ChangedMeanwhile { .. } | Error::IndexMoved)
    )
}

fn run_once(command: &Command, asked: &Everywhere) -> Result<ExitCode> {
    match command {
        Command::Survey(survey) => survey.run(asked),
        Command::Templates(templates) => templates.run(&Context::find(asked)?),
        Command::Demo(demo) => demo.run(asked),
        Command::Draft(draft) => draft.run(&Context::find(asked)?),
        Command::Try(r#try) => r#try.run(&Context::find(asked)?),
        Command::Add(add) => add.run(&Context::find(asked)?),
        Command::Drop(drop) => drop.run(&Context::find(asked)?),
        Command::Rules(rules) => rules.run(&Context::find(asked)?),
        Command::Prove(prove) => prove.run(&Context::find(asked)?),
        Command::Why(why) => why.run(&Context::find(asked)?),
        Command::Files(files) => files.run(&Context::find(asked)?),
        Command::Check(check) => check.run(&Context::find(asked)?),
        Command::Accept(accept) => accept.run(&Context::find(asked)?),
        Command::Tidy(tidy) => tidy.run(&Context::find(asked)?),
        Command::Undo(undo) => undo.run(&Context::find(asked)?),
        Command::Mute(mute) => mute.run(&Context::find(asked)?),
        Command::Unmute(unmute) => unmute.run(&Context::find(asked)?),
        Command::Rehearse(rehearse) => rehearse.run(&Context::find(asked)?),
        Command::Hook(hook) => hook.run(&Context::find(asked)?),
    }
}

/// Exit code 1: it found what it looks for.
fn found(any: bool) -> ExitCode {
    ExitCode::from(u8::from(any))
}
