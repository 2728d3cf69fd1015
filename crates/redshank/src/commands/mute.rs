use crate::context::Context;
use crate::render::{self, Align, Cell, Paint, Table, shown};
use crate::report::{MutedOut, MutesOut, root};
use crate::{put, putln};
use anyhow::Result;
use bstr::{BString, ByteSlice};
use clap::Args;
use redshank_core::mute::{self, Muted};
use redshank_core::shell::quoted;
use std::ffi::OsString;
use std::process::ExitCode;

/// Hide local changes to tracked files from git
#[derive(Args)]
pub struct Mute {
    /// The files
    #[arg(required_unless_present = "list", conflicts_with = "list")]
    files: Vec<OsString>,
    /// The files that are muted now
    #[arg(long)]
    list: bool,
}

/// Bring hidden local changes to tracked files back
#[derive(Args)]
pub struct Unmute {
    /// The files
    #[arg(required = true)]
    files: Vec<OsString>,
}

impl Mute {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        if !self.list {
            let paths = resolved(context, &self.files)?;
            mute::set(&context.place, &paths, true)?;
            if context.for_people() && !context.asked.quiet {
                paths.iter().try_for_each(told)?;
            }
        }
        if !context.for_people() || self.list {
            return listed(context);
        }
        Ok(ExitCode::SUCCESS)
    }
}

impl Unmute {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        let paths = resolved(context, &self.files)?;
        mute::set(&context.place, &paths, false)?;
        if !context.for_people() {
            return listed(context);
        }
        if !context.asked.quiet {
            for path in &paths {
                putln!(
                    "{}: git sees its changes again",
                    Paint::Head.on(shown(path.as_bstr()))
                )?;
            }
        }
        Ok(ExitCode::SUCCESS)
    }
}

fn resolved(context: &Context, files: &[OsString]) -> Result<Vec<BString>> {
    files.iter().map(|file| context.resolve(file)).collect()
}

fn told(path: &BString) -> Result<()> {
    let name = shown(path.as_bstr());
    let back = Paint::Type.on(format!("redshank unmute {}", quoted(path.as_bstr())));
    putln!(
        "{}: git sees no changes to it here; {back} brings them back",
        Paint::Head.on(&name)
    )?;
    if mute::holds_settings(path.as_bstr()) {
        let hint =
            "a file of your own beside it, kept out by a rule, never collides with the shared one";
        putln!("  {}", Paint::Quiet.on(hint))?;
    }
    Ok(())
}

fn listed(context: &Context) -> Result<ExitCode> {
    let muted = mute::muted(&context.place)?;
    if !context.for_people() {
        let rows = muted.iter().map(MutedOut::from).collect();
        render::json(&MutesOut {
            schema: "redshank.mute/1",
            root: root(&context.place.top),
            muted: rows,
        })?;
        return Ok(ExitCode::SUCCESS);
    }
    if muted.is_empty() {
        putln!("{}", Paint::Good.on("no file is muted"))?;
    }
    let mut table = Table::new(&[Align::Whole, Align::Left]);
    for one in &muted {
        table.row([shown(one.path.as_bstr()).into(), standing(one)]);
    }
    put!("{}", table.text())?;
    Ok(ExitCode::SUCCESS)
}

fn standing(muted: &Muted) -> Cell {
    let words = match (muted.changed, muted.changed_upstream) {
        (true, true) => {
            "changed here and upstream: the next pull will stop at it; unmute it before"
        }
        (false, true) => "changed upstream: unmute it to get the change",
        (true, false) => "changed here",
        (false, false) => "as git has it: nothing is hidden",
    };
    let paint = if muted.changed_upstream {
        Paint::Warn
    } else {
        Paint::Quiet
    };
    Cell::painted(paint, words)
}
