//! Rules, live: type a pattern and watch the tree change.

mod look;
mod terminal;
mod view;
mod window;

use crate::cli::{DocumentFormat, GlobalArgs};
use crate::context::Context;
use crate::render;
use anyhow::{Result, bail};
use clap::Args;
use crossbeam_channel::unbounded;
use std::io::IsTerminal;
use std::process::ExitCode;

/// A full-screen view: type a pattern, watch the tree change
#[derive(Args)]
pub struct Live {}

impl Live {
    #[allow(
        clippy::disallowed_methods,
        reason = "it only asks whether it is a terminal"
    )]
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        if !std::io::stdin().is_terminal() || !std::io::stdout().is_terminal() {
            bail!("a full-screen view needs a terminal\n  `redshank try PATTERN` tells the same");
        }
        let context = Context::find(args, DocumentFormat::Text)?;
        context.recover(true)?;
        let top = context.snapshot.top.clone();
        let limits = args.preferences.limits;
        drop(context);
        render::hide_progress();
        let (jobs, todo) = unbounded();
        let (found, news) = unbounded();
        let own = jobs.clone();
        std::thread::spawn(move || look::work(&top, limits, (&todo, &own), &found));
        terminal::show(&jobs, &news)?;
        Ok(ExitCode::SUCCESS)
    }
}
