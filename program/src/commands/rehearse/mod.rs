//! A rehearsal: what a clone would hold, and what a command leaves behind there or here.

mod text;
mod while_watched;

use super::found;
use crate::cli::GlobalArgs;
use crate::context::Context;
use anyhow::{Result, bail};
use bstr::ByteSlice;
use clap::Args;
use redshank_changes::rehearse::{
    PastRuns, Run, RunDifference, RunSnapshot, ScratchClone, missing, scratch,
};
use redshank_output::{self as output, put, putln, signals};
use redshank_report::{
    DOCUMENT, DifferenceOut, MissingOut, OutputFormat, RehearseOut, RunOut, root,
};
use redshank_text::{Paint, files, shown};
use redshank_watch::Recorder;
use redshank_worktree::Worktree;
use rustix::process::Pid;
use std::ffi::OsString;
use std::path::Path;
use std::process::{Command, ExitCode, Stdio};
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::{Duration, Instant};

/// Show what a fresh clone of the next commit would hold, and whether a command works in it
#[derive(Args)]
pub struct Rehearse {
    /// Only what is staged, not all that `git add --all` would stage
    #[arg(long, conflicts_with = "here")]
    staged: bool,
    /// Run the command in this folder, without a clone; without a command, watch what comes
    #[arg(long)]
    here: bool,
    /// What to run there, behind `--`
    #[arg(last = true, value_name = "COMMAND")]
    command: Vec<OsString>,
    /// How the answer is written
    #[arg(long, value_parser = DOCUMENT.parser(), default_value = "text")]
    format: OutputFormat,
}

/// The process of the command that runs, or 0.
static RUNNING: AtomicU32 = AtomicU32::new(0);

/// Ends what runs in the clone, and deletes it.
fn clear_up() {
    let running = i32::try_from(RUNNING.load(Ordering::Relaxed));
    if let Some(process) = running.ok().and_then(Pid::from_raw) {
        let _ = rustix::process::kill_process(process, rustix::process::Signal::KILL);
    }
    scratch::remove_all();
}

/// A command that ran, or a watch.
struct Ran {
    /// How it ended; nothing of a watch.
    end: Option<End>,
    time: Duration,
    difference: RunDifference,
}

/// How a command ended: with its exit code, unless it was killed.
struct End(Option<i32>);

impl Ran {
    fn worked(&self) -> bool {
        let is_good = self.end.as_ref().is_none_or(|end| end.0 == Some(0));
        is_good && self.difference.unruled.is_empty()
    }
}

impl Rehearse {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        if self.here && self.command.is_empty() {
            while_watched::can_be_ended()?;
        }
        let context = Context::find(args, self.format)?;
        let snapshot = &context.snapshot;
        let missing = missing(snapshot, &context.survey()?, self.staged)?;
        let clone = self.clone_of(&context)?;
        if context.for_people {
            put!("{}", text::of_missing(&missing))?;
        }
        let ran = match self.command.as_slice() {
            [] if self.here => Some(while_watched::watch(&context)?),
            [] => None,
            [program, words @ ..] => {
                let (worktree, folder) = match &clone {
                    Some(clone) => {
                        if !clone.worktree.root.is_there(context.prefix.bare()) {
                            bail!(
                                "a clone has no {}: nothing in it would be committed",
                                shown(&context.prefix)
                            );
                        }
                        let here = clone.worktree.path(context.prefix.as_bstr());
                        (&clone.worktree, here)
                    }
                    None => (snapshot.worktree(), snapshot.path(context.prefix.as_bstr())),
                };
                Some(run(&context, worktree, &folder, (program, words))?)
            }
        };
        if !context.for_people {
            output::json(&RehearseOut {
                schema: "redshank.rehearse/1",
                root: root(&snapshot.top),
                clone: clone.as_ref().map(|clone| clone.stats),
                missing: missing.iter().map(MissingOut::from).collect(),
                run: ran.as_ref().map(|ran| RunOut {
                    exit_code: ran.end.as_ref().and_then(|end| end.0),
                    seconds: ran.time.as_secs_f64(),
                    difference: DifferenceOut::from(&ran.difference),
                }),
            })?;
        } else if let Some(ran) = &ran {
            put!("{}", text::of_run(ran))?;
        }
        let worked = ran.as_ref().is_none_or(Ran::worked);
        Ok(found(!(worked && missing.is_empty())))
    }

    /// The clone to run in, unless the command is to run here.
    fn clone_of(&self, context: &Context) -> Result<Option<ScratchClone>> {
        if self.here {
            return Ok(None);
        }
        signals::clears_up(clear_up);
        let clone = ScratchClone::create(&context.snapshot, self.staged)?;
        if context.speaks() {
            let holds = format!("{}, {}", files(clone.stats.files), clone.stats.size);
            let head = Paint::Head.on("a clone of the next commit holds");
            putln!("{head}  {holds}")?;
        }
        Ok(Some(clone))
    }
}

/// Runs a command in a folder of a working tree and looks at what it leaves behind.
#[allow(
    clippy::disallowed_methods,
    reason = "the command that the person gave"
)]
fn run(
    context: &Context,
    worktree: &Worktree,
    folder: &Path,
    (program, words): (&OsString, &[OsString]),
) -> Result<Ran> {
    let past = PastRuns::read(&context.snapshot)?;
    let before = RunSnapshot::take(worktree)?;
    let recorder = Recorder::start(&worktree.top);
    let mut command = Command::new(program);
    command.args(words).current_dir(folder);
    // What a hook says of the repository here, is not so there.
    let is_gits = |name: &OsString| name.to_str().is_some_and(|name| name.starts_with("GIT_"));
    for (name, _) in std::env::vars_os().filter(|(name, _)| is_gits(name)) {
        command.env_remove(name);
    }
    let typed = typed(program, words);
    if !context.for_people {
        // Our own answer has the standard output to itself.
        command.stdout(Stdio::from(std::io::stderr()));
    } else if context.speaks() {
        putln!("\n{}", Paint::Type.on(format!("$ {typed}")))?;
    }
    recorder.begins();
    let start = Instant::now();
    let status = command.spawn().and_then(|mut child| {
        RUNNING.store(child.id(), Ordering::Relaxed);
        let status = child.wait();
        RUNNING.store(0, Ordering::Relaxed);
        status
    });
    let status = match status {
        Ok(status) => status,
        Err(error) if error.kind() == std::io::ErrorKind::PermissionDenied => bail!(
            "{0} can't be run: it isn't executable in the clone\n  `git update-index --chmod=+x {0}` \
             makes it so for everybody; `sh {0}` runs it without",
            program.to_string_lossy()
        ),
        Err(error) => bail!(
            "{} can't be run: {error}\n  name a program that is on the PATH, or by its path in \
             the clone",
            program.to_string_lossy()
        ),
    };
    let time = start.elapsed();
    let run = Run {
        command: typed,
        seen: recorder.seen(),
    };
    let difference = before.difference(&run, &past)?;
    past.remember(&context.snapshot, &run, &difference)?;
    Ok(Ran {
        end: Some(End(status.code())),
        time,
        difference,
    })
}

/// A command as a person would type it.
fn typed(program: &OsString, words: &[OsString]) -> String {
    shell_words::join(
        std::iter::once(program)
            .chain(words)
            .map(|word| word.to_string_lossy()),
    )
}
