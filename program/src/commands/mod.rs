//! The commands: one file each, with its arguments and its `run`.

mod accept;
mod check;
pub mod completions;
mod demo;
mod draft;
mod editor;
mod files;
mod hook;
mod live;
mod manual;
mod mute;
mod outgoing;
mod policy;
mod prove;
mod rehearse;
mod review;
mod settings;
mod setup;
mod survey;
mod templates;
mod tidy;
mod undo;
mod untrack;

use anyhow::Result;
use clap::Subcommand;
use redshank_changes::Error;
use redshank_context::GlobalArgs;
use redshank_output::eputln;
use std::process::ExitCode;
use std::time::Duration;

/// All commands, in the order in which people need them.
#[derive(Subcommand)]
pub enum Command {
    Setup(setup::Setup),
    #[command(alias = "status")]
    Survey(survey::Survey),
    Templates(templates::Templates),
    Draft(draft::Draft),
    Try(redshank_rule_commands::Try),
    Add(redshank_rule_commands::Add),
    Drop(redshank_rule_commands::Drop),
    Why(redshank_rule_commands::Why),
    Rules(redshank_rule_commands::Rules),
    Prove(prove::Prove),
    Files(files::Files),
    Check(check::Check),
    Accept(accept::Accept),
    Tidy(tidy::Tidy),
    Untrack(untrack::Untrack),
    Undo(undo::Undo),
    Mute(mute::Mute),
    Unmute(mute::Unmute),
    Rehearse(rehearse::Rehearse),
    Outgoing(outgoing::OutgoingArgs),
    Review(review::Review),
    Hook(hook::Hook),
    Live(live::Live),
    Editor(editor::Editor),
    Policy(policy::Policy),
    Settings(settings::Settings),
    Completions(completions::Completions),
    Manual(manual::Manual),
    Demo(demo::Demo),
}

/// Runs the command. If somebody else changed meanwhile what it was to change, it starts again:
/// what it shows, and what it writes, comes from what is there.
pub fn run(command: &Command, args: &GlobalArgs) -> Result<ExitCode> {
    for _ in 0..STARTS {
        match run_once(command, args) {
            Err(error) if is_overtaken(&error) => {
                let said = format!("{error:#}");
                eputln!(
                    "{}; starting again",
                    said.lines().next().unwrap_or_default()
                );
                // Not in step with anyone who else starts again.
                let wait = u64::from(std::process::id() % 7 + 1);
                std::thread::sleep(Duration::from_millis(wait));
            }
            ended => return ended,
        }
    }
    run_once(command, args)
}

/// How often a command starts again before it gives up.
const STARTS: u32 = 30;

fn is_overtaken(error: &anyhow::Error) -> bool {
    matches!(
        error.downcast_ref(),
        Some(Error::ChangedMeanwhile { .. } | Error::IndexMoved)
    )
}

fn run_once(command: &Command, args: &GlobalArgs) -> Result<ExitCode> {
    match command {
        Command::Setup(setup) => setup.run(args),
        Command::Live(live) => live.run(args),
        Command::Editor(editor) => editor.run(args),
        Command::Policy(policy) => policy.run(args),
        Command::Settings(settings) => settings.run(args),
        Command::Completions(completions) => completions.run(args),
        Command::Manual(manual) => manual.run(args),
        Command::Survey(survey) => survey.run(args),
        Command::Templates(templates) => templates.run(args),
        Command::Demo(demo) => demo.run(args),
        Command::Draft(draft) => draft.run(args),
        Command::Try(r#try) => r#try.run(args),
        Command::Add(add) => add.run(args),
        Command::Drop(drop) => drop.run(args),
        Command::Rules(rules) => rules.run(args),
        Command::Prove(prove) => prove.run(args),
        Command::Why(why) => why.run(args),
        Command::Files(files) => files.run(args),
        Command::Check(check) => check.run(args),
        Command::Accept(accept) => accept.run(args),
        Command::Tidy(tidy) => tidy.run(args),
        Command::Undo(undo) => undo.run(args),
        Command::Untrack(untrack) => untrack.run(args),
        Command::Mute(mute) => mute.run(args),
        Command::Unmute(unmute) => unmute.run(args),
        Command::Rehearse(rehearse) => rehearse.run(args),
        Command::Outgoing(outgoing) => outgoing.run(args),
        Command::Review(review) => review.run(args),
        Command::Hook(hook) => hook.run(args),
    }
}
