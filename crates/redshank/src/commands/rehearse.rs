use super::found;
use crate::context::Context;
use crate::render::{self, Align, Cell, Paint, Table, files, shown};
use crate::report::{LeftOut, MissingOut, RehearseOut, RunOut, root};
use crate::{put, putln};
use anyhow::{Context as _, Result, bail};
use bstr::ByteSlice;
use clap::Args;
use redshank_core::rehearse::scratch;
use redshank_core::rehearse::{Before, Left, Missing, ScratchClone, missing};
use redshank_core::shell::quoted;
use redshank_core::templates::recognise;
use redshank_core::tree::{Place, Scope, Tree};
use rustix::process::Pid;
use std::ffi::OsString;
use std::path::Path;
use std::process::{Command, ExitCode, Stdio};
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::{Duration, Instant};

/// What a fresh clone of the next commit would hold, and whether a command works in it
#[derive(Args)]
pub struct Rehearse {
    /// Only what is staged, not all that `git add --all` would stage
    #[arg(long, conflicts_with = "here")]
    staged: bool,
    /// Run the command in this folder, without a clone
    #[arg(long, requires = "command")]
    here: bool,
    /// What to run there, behind `--`
    #[arg(last = true, value_name = "COMMAND")]
    command: Vec<OsString>,
}

/// The process of the command that runs, or 0.
static RUNNING: AtomicU32 = AtomicU32::new(0);

/// Deletes the clone, and ends what runs in it, when the program is told to end.
fn clears_up_on_signals() -> Result<()> {
    let ended_by_signal = || {
        let running = i32::try_from(RUNNING.load(Ordering::Relaxed))
            .ok()
            .and_then(Pid::from_raw);
        running
            .map(|process| rustix::process::kill_process(process, rustix::process::Signal::KILL));
        scratch::remove_all();
        std::process::exit(128 + 2);
    };
    ctrlc::set_handler(ended_by_signal).context("signals can't be waited for")
}

/// A command that ran.
struct Ran {
    code: Option<i32>,
    time: Duration,
    left: Left,
}

impl Rehearse {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        let place = &context.place;
        let tree = Tree::walk(place, &Scope::default())?;
        let collection = context.collection()?;
        let survey = recognise(place, &tree, &collection);
        let missing = missing(place, &tree, &survey, self.staged)?;
        if !self.here {
            clears_up_on_signals()?;
        }
        let clone = if self.here {
            None
        } else {
            Some(ScratchClone::of(place, &tree, self.staged)?)
        };
        if let (Some(clone), true) = (&clone, context.for_people() && !context.asked.quiet) {
            let holds = format!("{}, {}", files(clone.amount.files), clone.amount.size);
            putln!(
                "{}  {holds}",
                Paint::Head.on("a clone of the next commit holds")
            )?;
        }
        if context.for_people() {
            put!("{}", text_of_missing(&missing))?;
        }
        let ran = match (&clone, self.command.as_slice()) {
            (_, []) => None,
            (Some(clone), [program, words @ ..]) => Some(run(
                context,
                &Place::find(&clone.top)?,
                &clone.top,
                program,
                words,
            )?),
            (None, [program, words @ ..]) => Some(run(
                context,
                place,
                &place.path(context.prefix.as_bstr()),
                program,
                words,
            )?),
        };
        if !context.for_people() {
            render::json(&RehearseOut {
                schema: "redshank.rehearse/1",
                root: root(&place.top),
                clone: clone.as_ref().map(|clone| clone.amount),
                missing: missing.iter().map(MissingOut::from).collect(),
                run: ran.as_ref().map(|ran| RunOut {
                    exit_code: ran.code,
                    seconds: ran.time.as_secs_f64(),
                    left: LeftOut::from(&ran.left),
                }),
            })?;
        } else if let Some(ran) = &ran {
            put!("{}", text_of_run(ran))?;
        }
        let worked = ran
            .as_ref()
            .is_none_or(|ran| ran.code == Some(0) && ran.left.unruled.is_empty());
        Ok(found(!(worked && missing.is_empty())))
    }
}

/// Runs a command in a folder of a place and looks at what it leaves behind.
#[allow(
    clippy::disallowed_methods,
    reason = "the command that the person gave"
)]
fn run(
    context: &Context,
    place: &Place,
    folder: &Path,
    program: &OsString,
    words: &[OsString],
) -> Result<Ran> {
    let before = Before::look(place)?;
    let mut command = Command::new(program);
    command.args(words).current_dir(folder);
    // What a hook says of the repository here, is not so there.
    for (name, _) in std::env::vars_os()
        .filter(|(name, _)| name.to_str().is_some_and(|name| name.starts_with("GIT_")))
    {
        command.env_remove(name);
    }
    if !context.for_people() {
        // Our own answer has the standard output to itself.
        command.stdout(Stdio::from(std::io::stderr()));
    } else if !context.asked.quiet {
        putln!(
            "\n{}",
            Paint::Type.on(format!("$ {}", typed(program, words)))
        )?;
    }
    let start = Instant::now();
    let status = command.spawn().and_then(|mut child| {
        RUNNING.store(child.id(), Ordering::Relaxed);
        let status = child.wait();
        RUNNING.store(0, Ordering::Relaxed);
        status
    });
    let status = match status.with_context(|| format!("{} can't be run", program.to_string_lossy()))
    {
        Ok(status) => status,
        Err(error) => {
            bail!("{error:#}\n  name a program that is on the PATH, or by its path in the clone")
        }
    };
    let time = start.elapsed();
    let left = before.since(place)?;
    left.remember(&context.place, &typed(program, words))?;
    Ok(Ran {
        code: status.code(),
        time,
        left,
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

fn text_of_missing(missing: &[Missing]) -> String {
    let mut text = String::new();
    for file in missing {
        let by = match &file.ruling {
            Some(by) => format!(
                "kept out by {}, line {}: `{}`",
                by.source().shown,
                by.rule().line,
                by.excerpt()
            ),
            None => "not staged".to_owned(),
        };
        let path = Paint::Head.on(shown(file.path.as_bstr()));
        text += &format!(
            "{}  {path}  {}; {by}\n",
            Paint::Warn.on("missing"),
            file.reason
        );
    }
    text
}

fn text_of_run(ran: &Ran) -> String {
    let seconds = format!("{:.1} s", ran.time.as_secs_f64());
    let mut text = match ran.code {
        Some(0) => format!("\n{} in {seconds}\n", Paint::Good.on("it works")),
        Some(code) => format!(
            "\n{} after {seconds}\n",
            Paint::Bad.on(format!("it failed with {code}"))
        ),
        None => format!("\n{} after {seconds}\n", Paint::Bad.on("it was killed")),
    };
    let left = &ran.left;
    if !left.ignored.is_empty() {
        text += &format!("\n{}\n", Paint::Head.on("new, and kept out"));
        let mut table = Table::new(&[Align::Right, Align::Right, Align::Whole, Align::Left]);
        for (ruling, amount) in &left.ignored {
            let by = format!("{}:{}", ruling.source().shown, ruling.rule().line);
            let rule = Cell::painted(Paint::Type, shown(ruling.excerpt().as_bstr()));
            table.row([
                files(amount.files).into(),
                amount.size.to_string().into(),
                rule,
                Cell::painted(Paint::Quiet, by),
            ]);
        }
        text += &table.text();
    }
    if !left.changed.is_empty() {
        text += &format!("\n{}\n", Paint::Head.on("tracked, and changed by the run"));
        left.changed
            .iter()
            .for_each(|path| text += &format!("  {}\n", shown(path.as_bstr())));
    }
    if left.unruled.is_empty() {
        text += &format!(
            "\n{}\n",
            Paint::Good.on("nothing new that no rule keeps out")
        );
        return text;
    }
    text += &format!("\n{}\n", Paint::Warn.on("new, and NOT kept out"));
    let mut table = Table::new(&[Align::Whole, Align::Right, Align::Right]);
    for new in &left.unruled {
        table.row([
            shown(new.path.as_bstr()).into(),
            files(new.amount.files).into(),
            new.amount.size.to_string().into(),
        ]);
    }
    text += &table.text();
    let rules: Vec<String> = left
        .unruled
        .iter()
        .map(|new| quoted(new.rule.as_bstr()))
        .collect();
    let add = format!("redshank add {} --write", rules.join(" "));
    text + &format!(
        "{}  {}\n",
        Paint::Type.on(add),
        Paint::Quiet.on("keeps it out")
    )
}
