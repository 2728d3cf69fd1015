//! Redshank, the program: arguments in, the core's answers out.

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod ask;
mod cli;
mod commands;
mod context;
mod demo;
mod render;
mod report;
mod words;

use clap::Parser;
use std::process::ExitCode;

/// Ignore rules written and tested, and whatever should not be tracked found and cleaned, before
/// the first commit.
#[derive(Parser)]
#[command(
    name = "redshank",
    version,
    propagate_version = true,
    max_term_width = 100
)]
pub(crate) struct Arguments {
    /// What to do.
    #[command(subcommand)]
    command: commands::Command,
    /// What holds for every command.
    #[command(flatten)]
    args: cli::GlobalArgs,
}

fn main() -> ExitCode {
    let arguments = Arguments::parse();
    arguments.args.color.write_global();
    render::listen(arguments.args.verbose, arguments.args.quiet);
    match commands::run(&arguments.command, &arguments.args) {
        Ok(code) => code,
        Err(error) if is_closed_pipe(&error) => ExitCode::SUCCESS,
        Err(error) => {
            render::complain(&error);
            ExitCode::from(2)
        }
    }
}

/// Whoever read our output has seen enough.
fn is_closed_pipe(error: &anyhow::Error) -> bool {
    let kind = error
        .downcast_ref::<std::io::Error>()
        .map(std::io::Error::kind);
    let kind = kind.or_else(|| error.downcast_ref::<serde_json::Error>()?.io_error_kind());
    kind == Some(std::io::ErrorKind::BrokenPipe)
}
