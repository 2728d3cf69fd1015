use crate::cli::{DocumentFormat, GlobalArgs};
use crate::context::Context;
use crate::render::Paint;
use crate::report::{HookOut, Report};
use anyhow::{Context as _, Result};
use clap::{Args, Subcommand};
use redshank_changes::hook::{Hook as InPlace, HookStatus};
use std::process::ExitCode;

/// Check what is staged before each commit
#[derive(Args)]
pub struct Hook {
    #[command(subcommand)]
    action: Option<Action>,
    /// How the answer is written
    #[arg(long, value_enum, global = true, default_value_t)]
    format: DocumentFormat,
}

#[derive(Subcommand, Clone, Copy, PartialEq, Eq)]
enum Action {
    /// Put the check in, beside whatever hook there is
    On,
    /// Take it out; your own hook is as it was
    Off,
    /// Whether it is there
    Status,
}

impl Hook {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        context.recover(matches!(self.action, Some(Action::On | Action::Off)))?;
        let hook = InPlace::of(&context.snapshot)?;
        match self.action {
            Some(Action::On) => {
                hook.put_in(&std::env::current_exe().context("this program's own path")?)?;
            }
            Some(Action::Off) => hook.take_out()?,
            Some(Action::Status) | None => {}
        }
        if !context.for_people || context.speaks() {
            let status = hook.status()?;
            self.format.print(&HookReport { hook, status })?;
        }
        Ok(ExitCode::SUCCESS)
    }
}

/// The hook, and what stands in it.
struct HookReport<'a> {
    hook: InPlace<'a>,
    status: HookStatus,
}

impl Report for HookReport<'_> {
    type Document = HookOut;

    fn text(&self) -> Result<String> {
        let path = self.hook.path.display();
        let checked = Paint::Good.on("each commit is checked before it is made");
        let mut text = match self.status {
            HookStatus::Off => format!(
                "{}; {} puts it in\n",
                Paint::Head.on("no check before commits"),
                Paint::Type.on("redshank hook on")
            ),
            HookStatus::On => format!("{checked}: {path}\n"),
            HookStatus::Beside => format!("{checked}, then your own hook runs: {path}\n"),
        };
        if self.status != HookStatus::Off && self.hook.shared {
            let hint = "the hooks folder is a part of the repository: what you commit there is \
                        for everyone";
            text += &format!("  {}\n", Paint::Quiet.on(hint));
        }
        Ok(text)
    }

    fn document(&self) -> HookOut {
        HookOut {
            schema: "redshank.hook/1",
            on: self.status != HookStatus::Off,
            beside: self.status == HookStatus::Beside,
            shared: self.hook.shared,
            path: self.hook.path.to_string_lossy().into_owned(),
        }
    }
}
