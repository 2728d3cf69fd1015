//! Redshank, the program: arguments in, the core's answers out.

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod commands;
mod help;
mod installed;

use anyhow::Result;
use clap::Parser;
use clap_complete::CompleteEnv;
use redshank_context::choices::Color;
use redshank_context::preferences::{self, Preferences};
use redshank_context::{GlobalArgs, shell};
use redshank_output as output;
use std::process::ExitCode;

/// Write and test ignore rules, and find and clean up files that shouldn't be committed, before the
/// first commit.
#[derive(Parser)]
#[command(
    name = "redshank",
    version,
    propagate_version = true,
    max_term_width = 100
)]
pub(crate) struct Arguments {
    #[command(subcommand)]
    command: commands::Command,
    /// What holds for every command.
    #[command(flatten)]
    args: GlobalArgs,
}

/// The system's own reserves address space for every thread, so that a small limit on memory ended
/// the program in the middle of its work.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() -> ExitCode {
    shell::remember_asking();
    CompleteEnv::with_factory(help::command)
        .var(shell::ASKED)
        .complete();
    match run(help::arguments()) {
        Ok(code) => code,
        Err(error) if is_closed_pipe(&error) => ExitCode::SUCCESS,
        Err(error) => {
            output::render_error(&error);
            ExitCode::from(2)
        }
    }
}

fn run(mut arguments: Arguments) -> Result<ExitCode> {
    let home = std::env::var_os("HOME").filter(|home| !home.is_empty());
    if home.is_some_and(|home| std::path::Path::new(&home).is_relative()) {
        anyhow::bail!(
            "HOME is a relative path, so your own files would be kept in the current folder\n  \
             set HOME to the whole path of your home folder"
        );
    }
    let args = &mut arguments.args;
    args.color.unwrap_or(Color::Auto).write_global();
    args.preferences = Preferences::read()?;
    if let (None, Some(color)) = (args.color, args.preferences.color) {
        color.write_global();
    }
    output::pager::choose(preferences::pager(&args.preferences).0);
    output::links::choose(preferences::links(&args.preferences));
    output::signals::listen()?;
    output::listen(args.verbose, args.quiet)?;
    commands::run(&arguments.command, &arguments.args)
}

/// Anyone who read our output has seen enough.
fn is_closed_pipe(error: &anyhow::Error) -> bool {
    let kind = error
        .downcast_ref::<std::io::Error>()
        .map(std::io::Error::kind);
    let kind = kind.or_else(|| error.downcast_ref::<serde_json::Error>()?.io_error_kind());
    kind == Some(std::io::ErrorKind::BrokenPipe)
}
