use crate::context::Context;
use crate::putln;
use crate::render::{self, Paint};
use anyhow::{Context as _, Result};
use clap::{Args, Subcommand};
use redshank_core::hook::{Hook as InPlace, Standing};
use serde_json::json;
use std::process::ExitCode;

/// Check what is staged before each commit
#[derive(Args)]
pub struct Hook {
    #[command(subcommand)]
    what: Option<What>,
}

#[derive(Subcommand, Clone, Copy, PartialEq, Eq)]
enum What {
    /// Put the check in, beside whatever hook there is
    On,
    /// Take it out; your own hook is as it was
    Off,
    /// Whether it is there
    Status,
}

impl Hook {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        context.recover(matches!(self.what, Some(What::On | What::Off)))?;
        let hook = InPlace::of(&context.place)?;
        match self.what {
            Some(What::On) => {
                hook.put_in(&std::env::current_exe().context("this program's own path")?)?
            }
            Some(What::Off) => hook.take_out()?,
            Some(What::Status) | None => {}
        }
        let standing = hook.standing()?;
        if !context.for_people() {
            render::json(&json!({
                "schema": "redshank.hook/1",
                "on": standing != Standing::Off,
                "beside": standing == Standing::Beside,
                "shared": hook.shared,
                "path": hook.path.to_string_lossy(),
            }))?;
            return Ok(ExitCode::SUCCESS);
        }
        if context.asked.quiet {
            return Ok(ExitCode::SUCCESS);
        }
        let path = hook.path.display();
        match standing {
            Standing::Off => putln!(
                "{}; {} puts it in",
                Paint::Head.on("no check before commits"),
                Paint::Type.on("redshank hook on")
            )?,
            Standing::On => putln!(
                "{}: {path}",
                Paint::Good.on("each commit is checked before it is made")
            )?,
            Standing::Beside => {
                putln!(
                    "{}, then your own hook runs: {path}",
                    Paint::Good.on("each commit is checked before it is made")
                )?;
            }
        }
        if standing != Standing::Off && hook.shared {
            putln!(
                "  {}",
                Paint::Quiet.on("the hooks folder is a part of the repository: what you commit there is for everyone")
            )?;
        }
        Ok(ExitCode::SUCCESS)
    }
}
