//! A rehearsal: what a clone would hold, and what a command leaves behind there or here.

mod text;
mod while_watched;

use anyhow::{Result, bail};
use bstr::ByteSlice;
use clap::Args;
use redshank_changes::rehearse::{
    LeftOut, Outcome, PastRuns, Run, RunDifference, RunSnapshot, ScratchClone, export, left_out,
    missing, remember_rebuilt, scratch,
};
use redshank_context::{Context, GlobalArgs, found, path_values};
use redshank_findings::{Level, scan};
use redshank_output::{self as output, put, putln, signals};
use redshank_report::{
    DOCUMENT, DifferenceOut, ExportOut, LeftOutOut, MissingOut, OutputFormat, RehearseOut, RunOut,
    root,
};
use redshank_templates::{Collection, recognise};
use redshank_text::{Paint, files, shown};
use redshank_watch::Recorder;
use redshank_worktree::tree::State;
use redshank_worktree::{FileStats, Worktree};
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
    /// Leave out of the clone what nobody seems to have written, and see what the command makes
    /// again
    #[arg(long, conflicts_with = "here", requires = "command")]
    prove: bool,
    /// Write it into this new folder instead, as a repository with one commit and no history, and
    /// look for what shouldn't be in it
    #[arg(long, value_name = "FOLDER", conflicts_with_all = ["here", "prove", "command"], add = path_values::folders())]
    export: Option<OsString>,
    /// The message of that commit
    #[arg(
        long,
        value_name = "MESSAGE",
        default_value = "Begin",
        requires = "export"
    )]
    message: String,
    /// What to run there, behind `--`
    #[arg(last = true, value_name = "COMMAND", add = path_values::command())]
    command: Vec<OsString>,
    /// How the answer is written
    #[arg(long, value_parser = DOCUMENT.parser(), default_value = "text")]
    format: OutputFormat,
}

/// The process of the command that runs, or 0.
static RUNNING: AtomicU32 = AtomicU32::new(0);

/// Ends what runs in the clone, and deletes it.
fn clear_up() {
    match RUNNING.load(Ordering::Relaxed) {
        0 => {}
        running => signals::kill(running),
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
    fn ended_well(&self) -> bool {
        self.end.as_ref().is_none_or(|end| end.0 == Some(0))
    }

    fn worked(&self) -> bool {
        self.ended_well() && self.difference.unruled.is_empty()
    }
}

impl Rehearse {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        if self.here && self.command.is_empty() {
            while_watched::can_be_ended()?;
        }
        let context = Context::find(args, self.format)?;
        let snapshot = &context.snapshot;
        let survey = context.survey()?;
        let missing = missing(snapshot, &survey, self.staged)?;
        let left_out = if self.prove {
            left_out(snapshot, &survey, self.staged)?
        } else {
            Vec::new()
        };
        let export = match &self.export {
            Some(folder) => Some(self.write_export(&context, Path::new(folder))?),
            None => None,
        };
        let is_unclean = export
            .as_ref()
            .is_some_and(|export| export.errors + export.warnings > 0);
        let clone = match export {
            Some(_) => None,
            None => self.clone_of(&context)?,
        };
        if let Some(clone) = &clone {
            clone.leave_out(&left_out)?;
        }
        if self.prove && context.speaks() {
            putln!("{}", text::of_left_out(&left_out))?;
        }
        if context.for_people {
            put!("{}", text::of_missing(&missing))?;
        }
        let ran = if self.command.is_empty() && self.here {
            Some(while_watched::watch(&context)?)
        } else {
            self.run_in(&context, clone.as_ref())?
        };
        let proof = match (&clone, &ran) {
            (Some(clone), Some(ran)) if self.prove => self.proof(&context, clone, left_out, ran)?,
            _ => Vec::new(),
        };
        if !context.for_people {
            output::json(&RehearseOut {
                schema: "redshank.rehearse/1",
                root: root(&snapshot.top),
                clone: clone.as_ref().map(|clone| clone.stats),
                export,
                missing: missing.iter().map(MissingOut::from).collect(),
                left_out: self
                    .prove
                    .then(|| proof.iter().map(LeftOutOut::from).collect()),
                run: ran.as_ref().map(|ran| RunOut {
                    exit_code: ran.end.as_ref().and_then(|end| end.0),
                    seconds: ran.time.as_secs_f64(),
                    difference: DifferenceOut::from(&ran.difference),
                }),
            })?;
        } else if let Some(ran) = &ran {
            put!("{}", text::of_run(ran))?;
            put!("{}", text::of_proof(&proof))?;
        }
        if is_unclean {
            return Ok(found(true));
        }
        let worked = ran.as_ref().is_none_or(Ran::worked);
        Ok(found(!(worked && missing.is_empty())))
    }

    /// Writes the copy without history, and says what it holds.
    fn write_export(&self, context: &Context, folder: &Path) -> Result<ExportOut> {
        // Its parent is there, and may be named by `..` or through a link.
        let (Some(parent), Some(name)) = (folder.parent(), folder.file_name()) else {
            bail!("name a new folder, beside this repository for example");
        };
        let parent = if parent.as_os_str().is_empty() {
            Path::new(".")
        } else {
            parent
        };
        let into = redshank_files::canonical(parent)?.join(name);
        signals::clears_up(clear_up);
        let (commit, copy) = export(&context.snapshot, &into, self.staged, &self.message)?;
        let collection = Collection::load(&copy)?.chosen(&copy.settings()?.draft)?;
        let survey = recognise(&copy, copy.tree()?, &collection);
        let scanned = scan(&copy, &survey, &context.scan_options())?;
        let at = |level| {
            let findings = scanned.findings.iter();
            findings.filter(|one| one.level == level).count()
        };
        let (errors, warnings) = (at(Level::Error), at(Level::Warning));
        if context.for_people {
            let stats = FileStats::sum(copy.tree()?.in_state(State::Tracked));
            let place = shown(redshank_files::path_bytes(&into).as_ref().as_bstr());
            let many = files(stats.files);
            let head = Paint::Head.on(format!("{place} holds"));
            putln!(
                "{head}  {many}, {}, in one commit without history",
                stats.size
            )?;
            let counts = redshank_text::level_counts(errors, warnings, 0);
            for said in redshank_text::not_scanned(&scanned) {
                putln!("{}", Paint::Warn.on(said))?;
            }
            if counts.is_empty() && scanned.is_complete() {
                putln!("{}", Paint::Good.on("no error or warning was found in it"))?;
            } else if counts.is_empty() {
                let said = "no error or warning was found in what was scanned";
                putln!("{}", Paint::Warn.on(said))?;
            } else {
                let check = Paint::Type.on(format!("redshank check --root {place}"));
                putln!("{}: {check}", Paint::Warn.on(format!("{counts} in it")))?;
            }
        }
        context.say_unread(&scanned.unread);
        Ok(ExportOut {
            folder: into.to_string_lossy().into_owned(),
            commit,
            errors,
            warnings,
            is_complete: scanned.is_complete(),
        })
    }

    /// Runs the command, if there is one, in the clone or here.
    fn run_in(&self, context: &Context, clone: Option<&ScratchClone>) -> Result<Option<Ran>> {
        let [program, words @ ..] = self.command.as_slice() else {
            return Ok(None);
        };
        let snapshot = &context.snapshot;
        let worktree = clone.map_or(snapshot.worktree(), |clone| &clone.worktree);
        if !worktree.root.is_there(context.prefix.bare()) {
            bail!(
                "a clone has no {}: nothing in it would be committed",
                shown(&context.prefix)
            );
        }
        let folder = worktree.path(context.prefix.as_bstr());
        Ok(Some(run(context, worktree, &folder, (program, words))?))
    }

    /// What became of the files that were left out. Where the command failed, it runs once more
    /// with all of them, to tell what it missed from what fails anyway.
    fn proof(
        &self,
        context: &Context,
        clone: &ScratchClone,
        left_out: Vec<LeftOut>,
        ran: &Ran,
    ) -> Result<Vec<(LeftOut, Outcome)>> {
        let here = context.snapshot.worktree();
        let mut outcomes = clone.outcomes(here, &left_out)?;
        if !ran.ended_well() {
            let whole = self.clone_of(context)?;
            let again = self.run_in(context, whole.as_ref())?;
            let without = if again.is_some_and(|again| again.ended_well()) {
                Outcome::Missed
            } else {
                Outcome::Unknown
            };
            for outcome in &mut outcomes {
                if *outcome == Outcome::NotMade {
                    *outcome = without;
                }
            }
        }
        let proof: Vec<_> = left_out.into_iter().zip(outcomes).collect();
        let [program, words @ ..] = self.command.as_slice() else {
            return Ok(proof);
        };
        remember_rebuilt(here, &typed(program, words), &proof)?;
        Ok(proof)
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
    let recorder = Recorder::start(&worktree.top, &[]);
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
