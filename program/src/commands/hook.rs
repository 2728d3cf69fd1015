use anyhow::{Context as _, Result};
use clap::{Args, Subcommand};
use redshank_changes::hook::{Hook as InPlace, HookEvent, HookStatus};
use redshank_context::{Context, GlobalArgs};
use redshank_report::{DOCUMENT, HookOut, OutputFormat, Report};
use redshank_text::Paint;
use std::process::ExitCode;

/// Check staged files before each commit and merge
///
/// Errors stop a commit; warnings are counted, and listed before the first one. In redshank.toml,
/// `level = "warning"` below `[hook]` lets warnings stop it, too.
#[derive(Args)]
pub struct Hook {
    #[command(subcommand)]
    action: Option<Action>,
    /// How the answer is written
    #[arg(long, value_parser = DOCUMENT.parser(), global = true, default_value = "text")]
    format: OutputFormat,
}

#[derive(Subcommand, Clone, Copy, PartialEq, Eq)]
enum Action {
    /// Install the check, beside any hook that is there
    On {
        /// Also check, before each push, what the history holds and no remote has yet
        #[arg(long)]
        before_push: bool,
        /// Also say, after each merge or pull, what it made of the rules
        #[arg(long)]
        after_merge: bool,
    },
    /// Remove it; your own hook stays as it was
    Off,
    /// Whether it is there
    Status,
}

impl Hook {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        context.recover(matches!(self.action, Some(Action::On { .. } | Action::Off)))?;
        let find = |event| InPlace::find(&context.snapshot, event);
        match self.action {
            Some(Action::On {
                before_push,
                after_merge,
            }) => {
                let program = std::env::current_exe().context("this program's own path")?;
                let name = context.journal_name("hook on");
                let without = [
                    (HookEvent::Push, !before_push),
                    (HookEvent::Merged, !after_merge),
                ];
                InPlace::turn_on(&hooks_without(&context, &without)?, &program, &name)?;
            }
            Some(Action::Off) => InPlace::turn_off(&hooks_without(&context, &[])?)?,
            Some(Action::Status) | None => {}
        }
        if !context.for_people || context.speaks() {
            let hook = find(HookEvent::Commit)?;
            let report = HookReport {
                status: hook.status()?,
                push: find(HookEvent::Push)?.status()?,
                merged: find(HookEvent::Merged)?.status()?,
                is_executable: hook.is_executable()?,
                hook,
            };
            self.format.print(&report)?;
        }
        Ok(ExitCode::SUCCESS)
    }
}

/// The hooks that are turned on or off together: all but some.
fn hooks_without<'c>(
    context: &'c Context,
    without: &[(HookEvent, bool)],
) -> Result<Vec<InPlace<'c>>> {
    let events = HookEvent::ALL.into_iter();
    let events = events.filter(|event| !without.contains(&(*event, true)));
    let hooks: redshank_changes::Result<Vec<_>> = events
        .map(|event| InPlace::find(&context.snapshot, event))
        .collect();
    Ok(hooks?)
}

/// The hook before commits, and whether there is one before pushes, and after merges.
struct HookReport<'a> {
    hook: InPlace<'a>,
    status: HookStatus,
    push: HookStatus,
    merged: HookStatus,
    /// git runs it.
    is_executable: bool,
}

impl Report for HookReport<'_> {
    type Document = HookOut;

    fn text(&self) -> Result<String> {
        let path = self.hook.path.display();
        let installed = Paint::Good.on("Pre-commit hook installed");
        let mut text = match self.status {
            HookStatus::Off => format!(
                "{}; {} installs one\n",
                Paint::Head.on("no pre-commit hook of Redshank"),
                Paint::Type.on("redshank hook on")
            ),
            HookStatus::On => format!("{installed}: {path}\n"),
            HookStatus::Beside => format!("{installed}; your own hook runs after it: {path}\n"),
        };
        if self.status != HookStatus::Off && !self.is_executable {
            text = format!(
                "{}: {path}\n  {} lets git run it\n",
                Paint::Warn.on("the pre-commit hook isn't executable, so git skips it"),
                Paint::Type.on(format!("chmod +x {path}"))
            );
        }
        if self.push != HookStatus::Off {
            text += &format!("{}\n", Paint::Good.on("pushes are checked, too"));
        }
        if self.merged != HookStatus::Off {
            let said = "after a merge or pull, what it made of the rules is said";
            text += &format!("{}\n", Paint::Good.on(said));
        }
        if self.status != HookStatus::Off && self.hook.shared {
            let hint = "the hooks folder is part of the repository: what you commit there is \
             for everyone";
            text += &format!("  {}\n", Paint::Quiet.on(hint));
        }
        Ok(text)
    }

    fn document(&self) -> HookOut {
        HookOut {
            schema: "redshank.hook/1",
            on: self.status != HookStatus::Off && self.is_executable,
            beside: self.status == HookStatus::Beside,
            before_push: self.push != HookStatus::Off,
            after_merge: self.merged != HookStatus::Off,
            shared: self.hook.shared,
            path: self.hook.path.to_string_lossy().into_owned(),
        }
    }
}
