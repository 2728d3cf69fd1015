use anyhow::{Context as _, Result};
use clap::Args;
use clap_complete::Shell;
use clap_complete::env::Shells;
use redshank_context::{GlobalArgs, PROGRAM, shell};
use std::process::ExitCode;

/// Write what a shell needs to complete commands, options and their values
#[derive(Args)]
pub struct Completions {
    /// The shell; its manual says where such files go
    shell: Shell,
}

impl Completions {
    pub fn run(&self, _args: &GlobalArgs) -> Result<ExitCode> {
        let name = self.shell.to_string();
        let shells = Shells::builtins();
        let completer = shells.completer(&name).context("this shell isn't known")?;
        let mut script = Vec::new();
        completer.write_registration(shell::ASKED, PROGRAM, PROGRAM, PROGRAM, &mut script)?;
        redshank_output::put!("{}", String::from_utf8_lossy(&script))?;
        Ok(ExitCode::SUCCESS)
    }
}
