use crate::help;
use anyhow::{Context as _, Result, bail};
use clap::Args;
use clap_mangen::Man;
use redshank_context::GlobalArgs;
use std::path::PathBuf;
use std::process::ExitCode;

/// Write the manual page of a command, for `man -l -`; or all of them, for a package
#[derive(Args)]
pub struct Manual {
    /// The command; without it, the page of the whole program
    command: Option<String>,
    /// Write all pages into this folder
    #[arg(long, value_name = "DIR", conflicts_with = "command")]
    into: Option<PathBuf>,
}

impl Manual {
    pub fn run(&self, _args: &GlobalArgs) -> Result<ExitCode> {
        // `help` has no page of its own: each command has one.
        let mut whole = help::command().disable_help_subcommand(true);
        whole.build();
        if let Some(folder) = &self.into {
            clap_mangen::generate_to(whole, folder)
                .with_context(|| format!("{}\n  name a folder that exists", folder.display()))?;
            return Ok(ExitCode::SUCCESS);
        }
        let page = match &self.command {
            None => whole,
            Some(name) => {
                let Some(command) = whole.find_subcommand(name) else {
                    bail!("there is no command `{name}`\n  `redshank help` lists them");
                };
                command.clone()
            }
        };
        let mut written = Vec::new();
        Man::new(page).render(&mut written)?;
        redshank_output::put!("{}", String::from_utf8_lossy(&written))?;
        Ok(ExitCode::SUCCESS)
    }
}
