use anyhow::Result;
use bstr::ByteSlice;
use clap::Args;
use redshank_changes::journal::Journal;
use redshank_changes::untrack::{Selection, Untracking};
use redshank_context::{Context, GlobalArgs, path_values};
use redshank_output::{self as output, putln};
use redshank_report::{DOCUMENT, OutputFormat, UntrackOut};
use redshank_rules::RepoPathBuf;
use redshank_text::{Paint, files, quoted, shown};
use redshank_worktree::Purpose;
use std::ffi::OsString;
use std::process::ExitCode;

/// Stop tracking files; they stay on disk
///
/// A rule does nothing for a file that git tracks already. This takes files out of git's index,
/// whether they are committed or only staged; the next commit no longer holds them.
#[derive(Args)]
pub struct Untrack {
    /// Files and folders
    #[arg(required_unless_present = "ignored", conflicts_with = "ignored", add = path_values::paths())]
    paths: Vec<OsString>,
    /// All tracked files that ignore rules match
    #[arg(long)]
    ignored: bool,
    /// Do it
    #[arg(long)]
    apply: bool,
    /// How the answer is written
    #[arg(long, value_parser = DOCUMENT.parser(), default_value = "text")]
    format: OutputFormat,
}

/// At most this many files are named.
const NAMED: usize = 20;

impl Untrack {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        context.begin_change(self.apply)?;
        let snapshot = &context.snapshot;
        snapshot.needs_repository(Purpose::Journal)?;
        let paths: Result<Vec<RepoPathBuf>> = self
            .paths
            .iter()
            .map(|path| context.resolve(path))
            .collect();
        let paths = paths?;
        let selection = if self.ignored {
            Selection::Ignored
        } else {
            Selection::Paths(&paths)
        };
        let untracking = Untracking::find(snapshot, selection)?;
        if context.speaks() {
            show(&untracking)?;
        }
        let mut applied = false;
        if !untracking.files.is_empty() {
            let question = match untracking.files.len() {
                1 => "Stop tracking it?".to_owned(),
                many => format!("Stop tracking these {}?", files(many as u64)),
            };
            let may = self.apply || context.is_interactive() && !args.yes;
            applied = may && context.confirm(&question)?;
        }
        if applied {
            Journal::open(snapshot)?
                .apply(&context.journal_name("untrack"), &untracking.changes)?;
        }
        if !context.for_people {
            output::json(&UntrackOut::new(&snapshot.top, &untracking, applied))?;
        } else if context.speaks() {
            say_end(&untracking, applied)?;
        }
        Ok(ExitCode::SUCCESS)
    }
}

fn show(untracking: &Untracking) -> Result<()> {
    if untracking.files.is_empty() {
        putln!("{}", Paint::Good.on("no tracked file is matched by a rule"))?;
        return Ok(());
    }
    let many = untracking.files.len() as u64;
    putln!(
        "{}",
        Paint::Head.on(format!(
            "stop tracking {}, {}",
            files(many),
            untracking.stats.size
        ))
    )?;
    for path in untracking.files.iter().take(NAMED) {
        let how = match untracking.committed.binary_search(path) {
            Ok(_) => "committed",
            Err(_) => "only staged",
        };
        putln!("  {}  {}", shown(path), Paint::Quiet.on(how))?;
    }
    if let Some(more) = untracking
        .files
        .len()
        .checked_sub(NAMED)
        .filter(|more| *more > 0)
    {
        putln!("  and {more} more")?;
    }
    putln!("what of it is on your disk stays there")?;
    if !untracking.committed.is_empty() {
        let many = files(untracking.committed.len() as u64);
        let effect = format!(
            "when others pull the next commit, git deletes {many} on their disks; the history keeps \
             what was committed"
        );
        putln!("{}", Paint::Warn.on(effect))?;
    }
    if let Some(first) = untracking.not_ignored.first() {
        let many = files(untracking.not_ignored.len() as u64);
        let add = Paint::Type.on(format!("redshank add --like {}", quoted(first.as_bstr())));
        let them = if untracking.not_ignored.len() == 1 {
            "it"
        } else {
            "them"
        };
        putln!("no rule ignores {many}, so `git add --all` would add {them} again: {add}")?;
    }
    Ok(())
}

fn say_end(untracking: &Untracking, applied: bool) -> Result<()> {
    if applied {
        let undo = Paint::Type.on("redshank undo");
        putln!("{}; {undo} undoes it", Paint::Good.on("done"))?;
    } else if !untracking.files.is_empty() {
        putln!("nothing was changed; {} does it", Paint::Type.on("--apply"))?;
    }
    Ok(())
}
