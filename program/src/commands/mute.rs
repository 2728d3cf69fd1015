use anyhow::Result;
use bstr::{BStr, BString, ByteSlice};
use clap::Args;
use redshank_changes::hidden_changes::{self, Muted};
use redshank_context::{Context, GlobalArgs, path_values, values};
use redshank_output::{Align, Cell, Table, putln};
use redshank_report::{LIST, Listing, MutedOut, MutesOut, OutputFormat, Report, root};
use redshank_text::{Paint, quoted, shown};
use std::ffi::OsString;
use std::path::PathBuf;
use std::process::ExitCode;

/// Hide local changes to tracked files from git
#[derive(Args)]
pub struct Mute {
    /// The files
    #[arg(required_unless_present = "list", conflicts_with = "list", add = path_values::paths())]
    files: Vec<OsString>,
    /// The files that are muted now
    #[arg(long)]
    list: bool,
    /// How the answer is written
    #[arg(long, value_parser = LIST.parser(), default_value = "text")]
    format: OutputFormat,
}

/// Show local changes to tracked files to git again
#[derive(Args)]
pub struct Unmute {
    /// The files
    #[arg(required = true, add = values::hidden())]
    files: Vec<OsString>,
    /// How the answer is written
    #[arg(long, value_parser = LIST.parser(), default_value = "text")]
    format: OutputFormat,
}

impl Mute {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        let paths = set(&context, &self.files, true)?;
        if self.list || !context.for_people {
            return list(&context, self.format);
        }
        if context.speaks() {
            paths
                .iter()
                .try_for_each(|path| say_muted(path.as_bstr()))?;
        }
        Ok(ExitCode::SUCCESS)
    }
}

impl Unmute {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        let paths = set(&context, &self.files, false)?;
        if !context.for_people {
            return list(&context, self.format);
        }
        if context.speaks() {
            for path in &paths {
                let path = Paint::Head.on(shown(path.as_bstr()));
                putln!("{path}: git sees its changes again")?;
            }
        }
        Ok(ExitCode::SUCCESS)
    }
}

/// Mutes files, or brings their changes back; returns their paths.
fn set(context: &Context, files: &[OsString], mute: bool) -> Result<Vec<BString>> {
    let paths: Result<Vec<BString>> = files
        .iter()
        .map(|file| Ok(context.resolve(file)?.into()))
        .collect();
    let paths = paths?;
    if !paths.is_empty() {
        hidden_changes::set(&context.snapshot, &paths, mute)?;
    }
    Ok(paths)
}

fn say_muted(path: &BStr) -> Result<()> {
    let back = Paint::Type.on(format!("redshank unmute {}", quoted(path)));
    let name = Paint::Head.on(shown(path));
    putln!("{name}: git sees no changes to it here; {back} brings them back")?;
    if hidden_changes::holds_settings(path.into()) {
        let hint =
            "a file of your own beside it, ignored by a rule, never collides with the shared one";
        putln!("  {}", Paint::Quiet.on(hint))?;
    }
    Ok(())
}

fn list(context: &Context, format: OutputFormat) -> Result<ExitCode> {
    format.print_list(&MutedFiles {
        top: context.snapshot.top.clone(),
        muted: hidden_changes::muted(&context.snapshot)?,
    })?;
    Ok(ExitCode::SUCCESS)
}

/// The files that are muted now.
struct MutedFiles {
    top: PathBuf,
    muted: Vec<Muted>,
}

impl Report for MutedFiles {
    type Document = MutesOut;

    fn text(&self) -> Result<String> {
        if self.muted.is_empty() {
            return Ok(format!("{}\n", Paint::Good.on("no file is muted")));
        }
        let mut table = Table::new(&[Align::Whole, Align::Left]);
        for one in &self.muted {
            table.row([shown(one.path.as_bstr()).into(), status(one)]);
        }
        Ok(table.text())
    }

    fn document(&self) -> MutesOut {
        MutesOut {
            schema: "redshank.mute/1",
            root: root(&self.top),
            muted: self.rows().collect(),
        }
    }
}

impl Listing for MutedFiles {
    type Row = MutedOut;

    fn rows(&self) -> impl Iterator<Item = MutedOut> {
        self.muted.iter().map(MutedOut::from)
    }
}

fn status(muted: &Muted) -> Cell {
    let words = match (muted.changed, muted.changed_upstream) {
        (true, true) => {
            "changed here and upstream: the next pull will stop at it; unmute it before"
        }
        (false, true) => "changed upstream: unmute it to get the change",
        (true, false) => "changed here",
        (false, false) => "nothing is hidden",
    };
    let paint = if muted.changed_upstream {
        Paint::Warn
    } else {
        Paint::Quiet
    };
    Cell::painted(paint, words)
}
