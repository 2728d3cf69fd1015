use anyhow::Result;
use clap::Args;
use redshank_context::GlobalArgs;
use std::process::ExitCode;

/// Run a language server on standard input and output: for ignore files, redshank.toml,
/// templates, and secrets in any open file
#[derive(Args)]
pub struct Editor {
    /// Editors that offer several ways ask for this one
    #[arg(long, hide = true)]
    stdio: bool,
}

impl Editor {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        // An editor that goes without taking its leave gets an error (LSP 3.17, exit).
        Ok(if redshank_editor::serve(args.root.as_deref())? {
            ExitCode::SUCCESS
        } else {
            ExitCode::FAILURE
        })
    }
}
