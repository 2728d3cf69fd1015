use crate::PROGRAM;
use crate::cli::GlobalArgs;
use anyhow::{Context as _, Result};
use clap::Args;
use clap_complete::Shell;
use clap_complete::env::Shells;
use std::process::ExitCode;
use std::sync::OnceLock;

/// Write what a shell needs to complete commands, options and their values
#[derive(Args)]
pub struct Completions {
    /// The shell; its manual says where such files go
    shell: Shell,
}

/// By this variable, the script that is written here asks the program for what is possible.
pub const ASKED: &str = "REDSHANK_COMPLETE";

/// The shell that asks, if one does: anyone who answers it takes the variable out of the
/// environment.
static ASKING: OnceLock<String> = OnceLock::new();

/// Remembers which shell asks, before it is answered.
pub fn remember_asking() {
    if let Ok(shell) = std::env::var(ASKED) {
        ASKING.get_or_init(|| shell);
    }
}

/// The name of the shell that asks; empty if none does.
pub fn asking() -> &'static str {
    ASKING.get().map_or("", String::as_str)
}

impl Completions {
    pub fn run(&self, _args: &GlobalArgs) -> Result<ExitCode> {
        let name = self.shell.to_string();
        let shell = Shells::builtins();
        let shell = shell.completer(&name).context("this shell isn't known")?;
        let mut script = Vec::new();
        shell.write_registration(ASKED, PROGRAM, PROGRAM, PROGRAM, &mut script)?;
        redshank_output::put!("{}", String::from_utf8_lossy(&script))?;
        Ok(ExitCode::SUCCESS)
    }
}
