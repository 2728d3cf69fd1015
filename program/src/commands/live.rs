use anyhow::{Result, bail};
use clap::Args;
use redshank_context::{Context, GlobalArgs};
use redshank_report::OutputFormat;
use std::io::IsTerminal;
use std::process::ExitCode;

/// Type a pattern in a full-screen view and watch the tree change
#[derive(Args)]
pub struct Live {}

impl Live {
    #[allow(
        clippy::disallowed_methods,
        reason = "it only asks whether it is a terminal"
    )]
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        if !std::io::stdin().is_terminal() || !std::io::stdout().is_terminal() {
            bail!("a full-screen view needs a terminal\n  `redshank try PATTERN` shows the same");
        }
        let context = Context::find(args, OutputFormat::Text)?;
        context.recover(true)?;
        let top = context.snapshot.top.clone();
        drop(context);
        redshank_live::show(top, args.preferences.limits)?;
        Ok(ExitCode::SUCCESS)
    }
}
