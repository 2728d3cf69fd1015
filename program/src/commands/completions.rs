use crate::Arguments;
use crate::cli::GlobalArgs;
use anyhow::Result;
use clap::{Args, CommandFactory};
use clap_complete::Shell;
use std::process::ExitCode;

/// What a shell needs to complete commands, options and their values
#[derive(Args)]
pub struct Completions {
    /// The shell; its manual says where such files go
    shell: Shell,
}

impl Completions {
    pub fn run(&self, _args: &GlobalArgs) -> Result<ExitCode> {
        let mut written = Vec::new();
        clap_complete::generate(
            self.shell,
            &mut Arguments::command(),
            "redshank",
            &mut written,
        );
        crate::put!("{}", String::from_utf8_lossy(&written))?;
        Ok(ExitCode::SUCCESS)
    }
}
