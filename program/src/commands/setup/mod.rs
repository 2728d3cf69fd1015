mod findings;
mod rules;

use crate::ask;
use crate::cli::{DocumentFormat, GlobalArgs};
use crate::context::Context;
use crate::render::{Paint, screen};
use crate::{Arguments, PROGRAM, putln, values};
use anyhow::{Result, bail};
use bstr::ByteSlice;
use clap::{Args, Parser};
use redshank_changes::hook::{Hook, HookEvent, HookStatus};
use redshank_templates::builds;
use redshank_worktree::Class;
use redshank_worktree::tree::State;
use std::path::{Path, PathBuf};
use std::process::{Command, ExitCode};

/// From a folder to a clean first commit, question by question; every step is a command that you
/// can type yourself
#[derive(Args)]
pub struct Setup {
    /// Project types beside those that are found
    #[arg(
        long = "type",
        value_name = "TEMPLATE",
        value_delimiter = ',',
        add = values::templates()
    )]
    types: Vec<String>,
    /// Variants of templates
    #[arg(long = "variant", value_name = "TEMPLATE/VARIANT", add = values::variants())]
    variants: Vec<String>,
    /// Leave the findings of these classes as they are
    #[arg(long, value_name = "CLASS", value_delimiter = ',', value_parser = values::class())]
    leave: Vec<Class>,
    /// Who gets a copy: `private` for the team, `public` for everybody
    #[arg(long, value_name = "WHO", value_parser = ["private", "public"])]
    visibility: Option<String>,
    /// What to do about files too large for git
    #[arg(long, value_name = "WAY", value_parser = ["keep-out", "store-type", "store-folder"])]
    large: Option<String>,
    /// Keep line ends the same for everybody
    #[arg(long)]
    line_ends: bool,
    /// Build the projects in a fresh clone
    #[arg(long)]
    rehearse: bool,
    /// No check before each commit
    #[arg(long)]
    no_hook: bool,
    /// Record no expectations
    #[arg(long)]
    no_record: bool,
    /// Commit at the end, with this message
    #[arg(long, value_name = "MESSAGE")]
    commit: Option<String>,
}

/// What an answer is to a question with a difference to see.
const DO_OR_SEE: &[ask::Answer] = &[('y', "yes"), ('n', "no"), ('d', "see what it does")];
/// What it is to one that is seldom answered with no.
const DO: &[ask::Answer] = &[('y', "yes"), ('n', "no")];
/// What it is to one that nobody should have to take.
const LEAVE: &[ask::Answer] = &[('n', "no"), ('y', "yes")];
const LEAVE_OR_SEE: &[ask::Answer] = &[('n', "no"), ('y', "yes"), ('d', "see what it does")];

impl Setup {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, DocumentFormat::Text)?;
        if args.yes {
            screen::goes_on_without_a_reader();
        }
        let walk = Walk {
            setup: self,
            args,
            top: context.snapshot.top.clone(),
            asks: context.is_interactive() && !args.yes,
        };
        if !walk.asks && !args.yes {
            return walk.explain();
        }
        context.recover(true)?;
        drop(context);
        walk.go()?;
        Ok(ExitCode::SUCCESS)
    }
}

/// The way through a setup.
struct Walk<'a> {
    setup: &'a Setup,
    args: &'a GlobalArgs,
    top: PathBuf,
    /// Somebody answers.
    asks: bool,
}

impl Walk<'_> {
    /// What would be done, for whoever can't be asked.
    fn explain(&self) -> Result<ExitCode> {
        putln!("From this folder to a clean first commit, step by step:")?;
        for (command, what) in [
            ("git init", "if it is no repository yet"),
            (
                "redshank draft --write",
                "rules that fit the projects that are here",
            ),
            (
                "redshank tidy --apply",
                "what should not be tracked, class by class",
            ),
            ("redshank hook on", "a check before each commit"),
            (
                "redshank prove --record --write",
                "what holds today, as expectations",
            ),
            ("redshank rehearse", "what a fresh clone would hold"),
            ("git add --all", "and the list of what the commit holds"),
        ] {
            putln!(
                "  {}  {}",
                Paint::Type.on(format!("{command:32}")),
                Paint::Quiet.on(what)
            )?;
        }
        putln!("nothing was done; on a terminal it asks before each step, --yes takes them all")?;
        Ok(ExitCode::SUCCESS)
    }

    fn go(&self) -> Result<()> {
        self.repository()?;
        self.visibility()?;
        self.rules()?;
        self.line_ends()?;
        self.findings()?;
        self.hook()?;
        self.expectations()?;
        self.rehearsal()?;
        self.commit()
    }

    /// Anew for each step: the one before has changed what is there.
    fn context(&self) -> Result<Context<'_>> {
        Context::at(&self.top, self.args, DocumentFormat::Text)
    }

    fn title(&self, number: usize, title: &str) -> Result<()> {
        putln!("\n{}", Paint::Head.on(format!("{number}. {title}")))?;
        Ok(())
    }

    /// The answer to a question; without anybody to ask, the one that Enter alone stands for. Esc
    /// ends the walk: what was done stays, and the next one goes on from there.
    fn asked(&self, question: &str, answers: &[ask::Answer]) -> Result<char> {
        if !self.asks {
            return Ok(answers.first().map_or('n', |(key, _)| *key));
        }
        match ask::one_of(question, answers)? {
            Some(key) => Ok(key),
            None => bail!(
                "setup was left here\n  `redshank setup` goes on from this step; `redshank undo` takes the last one back"
            ),
        }
    }

    /// Answers of yes and no, the person's own preference first.
    fn preferred(own: Option<bool>) -> &'static [ask::Answer] {
        match own {
            Some(false) => LEAVE,
            _ => DO,
        }
    }

    /// Runs a command of ours as if it was typed, and shows it.
    fn ours(&self, words: &[&str]) -> Result<()> {
        self.ours_in(&self.top, words)
    }

    /// The same in a folder of the repository.
    fn ours_in(&self, folder: &Path, words: &[&str]) -> Result<()> {
        let mut typed = format!("redshank {}", shell_words::join(words));
        if let Ok(below) = folder.strip_prefix(&self.top)
            && !below.as_os_str().is_empty()
        {
            let below = below.to_string_lossy();
            typed = format!("cd {} && {typed}", shell_words::quote(&below));
        }
        putln!("{}", Paint::Type.on(format!("$ {typed}")))?;
        let folder = folder.to_string_lossy();
        let all = [PROGRAM, "--root", &*folder, "--yes"];
        let mut arguments = Arguments::try_parse_from(all.iter().chain(words))?;
        arguments.args.preferences = self.args.preferences.clone();
        super::run(&arguments.command, &arguments.args)?;
        Ok(())
    }

    /// Runs git as if it was typed, with the person's settings and hooks, and shows it.
    #[allow(
        clippy::disallowed_methods,
        reason = "what the person was asked for and could type, not what the program asks git"
    )]
    fn git(&self, words: &[&str]) -> Result<()> {
        putln!(
            "{}",
            Paint::Type.on(format!("$ git {}", shell_words::join(words)))
        )?;
        let ended = Command::new("git")
            .args(words)
            .current_dir(&self.top)
            .status()?;
        if !ended.success() {
            bail!(
                "git {} ended with an error\n  mend what it says; `redshank setup` goes on from there",
                words[0]
            );
        }
        Ok(())
    }

    fn repository(&self) -> Result<()> {
        let context = self.context()?;
        self.title(1, "The repository")?;
        if let Some(name) = self.top.file_name() {
            putln!(
                "{} is the folder.",
                Paint::Type.on(Path::new(name).display())
            )?;
        }
        if context.snapshot.repository.is_some() {
            putln!("It is a repository already.")?;
            return Ok(());
        }
        match self.asked("It is no repository yet. Make it one?", DO)? {
            'y' => self.git(&["init", "--quiet"]),
            _ => bail!("without a repository there is no commit\n  `git init` makes one"),
        }
    }

    fn hook(&self) -> Result<()> {
        let context = self.context()?;
        let is_off = Hook::find(&context.snapshot, HookEvent::Commit)?.status()? == HookStatus::Off;
        if !is_off || self.setup.no_hook {
            return Ok(());
        }
        self.title(4, "Keep it so")?;
        drop(context);
        let answers = Self::preferred(self.args.preferences.setup.hook);
        match self.asked("Check what is staged before each commit?", answers)? {
            'y' => self.ours(&["hook", "on"]),
            _ => Ok(()),
        }
    }

    fn expectations(&self) -> Result<()> {
        let context = self.context()?;
        let has_some = !context.snapshot.settings()?.expect.is_empty();
        drop(context);
        if has_some || self.setup.no_record {
            return Ok(());
        }
        let question = "Record what is ignored and what is kept today, for `redshank prove`?";
        let answers = match self.args.preferences.setup.record {
            Some(false) => LEAVE_OR_SEE,
            _ => DO_OR_SEE,
        };
        loop {
            match self.asked(question, answers)? {
                'd' => self.ours(&["prove", "--record"])?,
                'y' => return self.ours(&["prove", "--record", "--write", "--quiet"]),
                _ => return Ok(()),
            }
        }
    }

    fn rehearsal(&self) -> Result<()> {
        self.title(5, "What a fresh clone would hold")?;
        self.ours(&["rehearse"])?;
        let context = self.context()?;
        let survey = context.survey()?;
        let builds = builds(&context.snapshot, &survey.projects)?;
        let builds: Vec<(PathBuf, String)> = builds
            .into_iter()
            .map(|(project, command)| {
                let folder = context.snapshot.path(project.folder.as_bstr());
                (folder, command.to_owned())
            })
            .collect();
        drop(survey);
        drop(context);
        if builds.is_empty() {
            return Ok(());
        }
        let commands: Vec<String> = builds.iter().map(|(_, one)| format!("`{one}`")).collect();
        let question = format!(
            "Try {} in fresh clones? It may take a while.",
            commands.join(", ")
        );
        let is_wanted = match self.asks {
            true => self.asked(&question, LEAVE)? == 'y',
            false => self.setup.rehearse,
        };
        if is_wanted {
            for (folder, command) in builds {
                self.ours_in(&folder, &["rehearse", "--", "sh", "-c", &command])?;
            }
        }
        Ok(())
    }

    fn commit(&self) -> Result<()> {
        self.title(6, "The commit")?;
        let context = self.context()?;
        let is_candidate = context
            .snapshot
            .tree()?
            .in_state(State::Candidate)
            .next()
            .is_some();
        drop(context);
        self.ours(&["files", "--tree", "1"])?;
        // A script says so by giving a message.
        let may_stage = self.asks || self.setup.commit.is_some();
        if is_candidate && may_stage && self.asked("Stage all of it?", DO)? == 'y' {
            self.git(&["add", "--all"])?;
        }
        let message = match (&self.setup.commit, self.asks) {
            (Some(message), _) => Some(message.clone()),
            (None, true) => ask::text("The message of the commit (Enter for none yet)")?,
            (None, false) => None,
        };
        match message {
            Some(message) => self.git(&["commit", "--quiet", "--message", &message])?,
            None => putln!(
                "Nothing is committed; {} does it.",
                Paint::Type.on("git commit")
            )?,
        }
        putln!(
            "{} takes back a step, the last one first.",
            Paint::Type.on("redshank undo")
        )?;
        Ok(())
    }
}
