mod findings;
mod rules;

use crate::Arguments;
use anyhow::{Result, bail};
use bstr::ByteSlice;
use clap::{Args, Parser};
use redshank_changes::hook::{Hook, HookEvent, HookStatus};
use redshank_context::{Context, GlobalArgs, PROGRAM, ask, values};
use redshank_findings::{Level, ScanOptions};
use redshank_git::{Repository, is_no_address};
use redshank_output::{putln, screen};
use redshank_report::OutputFormat;
use redshank_templates::builds;
use redshank_text::{Paint, files, shown};
use redshank_worktree::Class;
use redshank_worktree::tree::State;
use std::cell::Cell;
use std::ffi::OsStr;
use std::path::{Path, PathBuf};
use std::process::{Command, ExitCode};

/// Go from a folder to a clean first commit, question by question; each step is a command that
/// you can type yourself
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
    /// Who can see the repository: `private` for the team, `public` for everyone
    #[arg(long, value_name = "WHO", value_parser = ["private", "public"])]
    visibility: Option<String>,
    /// What to do about files too large for git
    #[arg(long, value_name = "WAY", value_parser = ["ignore", "store-type", "store-folder", "keep", "keep-out"])]
    large: Option<String>,
    /// Normalize line endings in .gitattributes
    #[arg(long = "line-endings", alias = "line-ends")]
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
const DO_OR_SEE: &[ask::Answer] = &[('y', "yes"), ('n', "no"), ('d', "difference")];
/// What it is to one that is seldom answered with no.
const DO: &[ask::Answer] = &[('y', "yes"), ('n', "no")];
/// What it is to one that nobody should have to take.
const LEAVE: &[ask::Answer] = &[('n', "no"), ('y', "yes")];
const LEAVE_OR_SEE: &[ask::Answer] = &[('n', "no"), ('y', "yes"), ('d', "difference")];

impl Setup {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, OutputFormat::Text)?;
        if args.yes {
            screen::ignore_broken_pipe();
        }
        let mut args = args.clone();
        args.within = Some("setup");
        let repository = context.snapshot.repository.as_ref();
        let walk = Walk {
            setup: self,
            args: &args,
            top: context.snapshot.top.clone(),
            asks: context.is_interactive() && !args.yes,
            is_begun: repository.is_some_and(Repository::has_commit),
            changes_before: context.newest_change(),
            has_acted: Cell::new(false),
        };
        if !walk.asks && !args.yes {
            return walk.explain();
        }
        context.recover(true)?;
        drop(context);
        walk.go()
    }
}

/// The way through a setup.
struct Walk<'a> {
    setup: &'a Setup,
    args: &'a GlobalArgs,
    top: PathBuf,
    /// Somebody answers.
    asks: bool,
    /// There was a commit before.
    is_begun: bool,
    /// The newest change in the journal before.
    changes_before: u32,
    /// Something was asked or done.
    has_acted: Cell<bool>,
}

impl Walk<'_> {
    /// What would be done, for anyone who can't be asked.
    fn explain(&self) -> Result<ExitCode> {
        putln!("From this folder to a clean first commit, step by step:")?;
        for (command, what) in [
            ("git init", "if there is no repository yet"),
            (
                "redshank draft --write",
                "rules for the projects that are here",
            ),
            (
                "redshank tidy --apply",
                "files that shouldn't be committed, class by class",
            ),
            ("redshank hook on", "a check before each commit"),
            (
                "redshank prove --record --write",
                "today's ignored and kept files, as regression tests",
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

    fn go(&self) -> Result<ExitCode> {
        if !self.repository()? {
            return Ok(ExitCode::SUCCESS);
        }
        self.visibility()?;
        self.rules()?;
        self.line_ends()?;
        self.findings()?;
        self.history()?;
        self.hook()?;
        self.expectations()?;
        self.rehearsal()?;
        self.commit()
    }

    /// Built again for each step: the one before has changed what is there.
    fn context(&self) -> Result<Context<'_>> {
        Context::at(&self.top, self.args, OutputFormat::Text)
    }

    fn title(&self, number: usize, title: &str) -> Result<()> {
        self.has_acted.set(true);
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
                "setup stopped here\n  `redshank setup` continues from this step; `redshank \
                 undo` undoes the last one, `redshank undo --setup` all of them"
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
    fn ours(&self, words: &[&str]) -> Result<ExitCode> {
        self.ours_in(&self.top, words)
    }

    /// The same in a folder of the repository.
    fn ours_in(&self, folder: &Path, words: &[&str]) -> Result<ExitCode> {
        let mut typed = format!("redshank {}", shell_words::join(words));
        if let Ok(below) = folder.strip_prefix(&self.top)
            && !below.as_os_str().is_empty()
        {
            let below = below.to_string_lossy();
            typed = format!("cd {} && {typed}", shell_words::quote(&below));
        }
        self.has_acted.set(true);
        putln!("{}", Paint::Type.on(format!("$ {typed}")))?;
        let mut arguments = Arguments::try_parse_from([PROGRAM].iter().chain(words))?;
        arguments.args = GlobalArgs {
            root: Some(folder.to_owned()),
            yes: true,
            quiet: arguments.args.quiet,
            ..self.args.clone()
        };
        super::run(&arguments.command, &arguments.args)
    }

    /// Runs git as if it was typed, with the person's settings and hooks, and shows it. Programs
    /// that the repository's own configuration names are only started if a person says so. Returns
    /// whether it was run.
    #[allow(
        clippy::disallowed_methods,
        reason = "what the person was asked for and could type, not what the program asks git"
    )]
    fn git(&self, words: &[&OsStr]) -> Result<bool> {
        let shown: Vec<_> = words.iter().map(|word| word.to_string_lossy()).collect();
        let typed = format!("git {}", shell_words::join(&shown));
        if !self.may_start_programs(&typed)? {
            return Ok(false);
        }
        self.has_acted.set(true);
        putln!("{}", Paint::Type.on(format!("$ {typed}")))?;
        let ended = Command::new("git")
            .args(words)
            .current_dir(&self.top)
            .status()?;
        if !ended.success() {
            bail!(
                "git {} ended with an error\n  fix what it reports; `redshank setup` continues \
                 from there",
                shown[0]
            );
        }
        Ok(true)
    }

    /// Whether git may start the programs that the repository's own configuration names, if it
    /// names any.
    fn may_start_programs(&self, typed: &str) -> Result<bool> {
        let context = self.context()?;
        let repository = context.snapshot.repository.as_ref();
        let keys = repository.map_or(&[][..], |repository| &repository.started_at_commit);
        if keys.is_empty() {
            return Ok(true);
        }
        let keys: Vec<String> = keys.iter().map(|key| shown(key.as_bstr())).collect();
        putln!(
            "{} {}, which this would start.",
            Paint::Warn.on("This repository's own configuration names programs:"),
            keys.join(", ")
        )?;
        if self.asks && self.asked(&format!("Run `{typed}` anyway?"), LEAVE)? == 'y' {
            return Ok(true);
        }
        putln!("Not run. Look at `git config --list --local`, then type it yourself: {typed}")?;
        Ok(false)
    }

    /// Whether there is a repository to go on with.
    fn repository(&self) -> Result<bool> {
        let context = self.context()?;
        if context.snapshot.repository.is_some() {
            if !self.is_begun {
                self.title(1, "The repository")?;
                putln!("This is a repository already.")?;
            }
            return Ok(true);
        }
        drop(context);
        self.title(1, "The repository")?;
        if let Some(name) = self.top.file_name() {
            putln!(
                "{} is the folder.",
                Paint::Type.on(Path::new(name).display())
            )?;
        }
        let question = "This folder isn't a Git repository yet. Create one?";
        if self.asked(question, DO)? == 'y' {
            return self.git(&["init".as_ref(), "--quiet".as_ref()]);
        }
        putln!(
            "Without a repository there is no commit. {} creates one; {} and {} work without.",
            Paint::Type.on("git init"),
            Paint::Type.on("redshank check"),
            Paint::Type.on("redshank draft")
        )?;
        Ok(false)
    }

    /// What was committed stays in the history, whatever is fixed now.
    fn history(&self) -> Result<()> {
        if !self.is_begun || !self.asks || !self.has_acted.get() {
            return Ok(());
        }
        let question = "Search the history for secrets and large files? It may take a while.";
        if self.asked(question, LEAVE)? == 'y' {
            self.ours(&["check", "--history"])?;
        }
        Ok(())
    }

    fn hook(&self) -> Result<()> {
        if self.setup.no_hook {
            return Ok(());
        }
        let context = self.context()?;
        let hook = match Hook::find(&context.snapshot, HookEvent::Commit) {
            // Nobody's own folder of hooks is a reason to leave the rest undone.
            Err(error @ redshank_changes::Error::HooksElsewhere { .. }) => {
                self.title(4, "Keep it that way")?;
                let said = redshank_text::describe(&error.into());
                return Ok(putln!("No hook is installed: {said}")?);
            }
            found => found?,
        };
        if hook.status()? != HookStatus::Off {
            return Ok(());
        }
        self.title(4, "Keep it that way")?;
        drop(context);
        let answers = Self::preferred(self.args.preferences.setup.hook);
        if self.asked("Check staged files before each commit?", answers)? == 'y' {
            self.ours(&["hook", "on"])?;
        }
        Ok(())
    }

    /// Offered before the first commit; taken only by anyone who says so.
    fn expectations(&self) -> Result<()> {
        let context = self.context()?;
        let has_some = !context.snapshot.settings()?.expect.is_empty();
        drop(context);
        let preferred = self.args.preferences.setup.record;
        if has_some || self.setup.no_record || self.is_begun {
            return Ok(());
        }
        let question = "Save today's ignored and kept files as regression tests?";
        let answers = match preferred {
            Some(true) => DO_OR_SEE,
            _ => LEAVE_OR_SEE,
        };
        loop {
            match self.asked(question, answers)? {
                'd' => self.ours(&["prove", "--record"])?,
                'y' => {
                    return self
                        .ours(&["prove", "--record", "--write", "--quiet"])
                        .map(drop);
                }
                _ => return Ok(()),
            };
        }
    }

    fn rehearsal(&self) -> Result<()> {
        if self.is_begun && !self.has_acted.get() && !self.setup.rehearse {
            return Ok(());
        }
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
        let is_wanted = if self.asks {
            self.asked(&question, LEAVE)? == 'y'
        } else {
            self.setup.rehearse
        };
        if is_wanted {
            for (folder, command) in builds {
                self.ours_in(&folder, &["rehearse", "--", "sh", "-c", &command])?;
            }
        }
        Ok(())
    }

    fn commit(&self) -> Result<ExitCode> {
        if self.is_begun && !self.has_acted.get() {
            putln!(
                "{}; there is nothing to do.",
                Paint::Good.on("The rules are written, and no error or warning was found")
            )?;
            return self.commit_as_told();
        }
        self.title(6, "The commit")?;
        self.ours(&["files", "--tree", "1"])?;
        if !self.stage()? {
            return Ok(ExitCode::FAILURE);
        }
        self.say_author()?;
        if self.setup.commit.is_some() || !self.asks {
            return self.commit_as_told();
        }
        if let Some(message) = ask::text("Commit message (Enter: don't commit yet)")?
            && self.may_commit()?
        {
            self.git(&["commit", "--quiet", "--message", &message].map(OsStr::new))?;
            return self.say_end(true);
        }
        self.say_end(false)
    }

    /// Who the commit will be by: it can't be changed later without rewriting history.
    fn say_author(&self) -> Result<()> {
        let context = self.context()?;
        let Some(repository) = &context.snapshot.repository else {
            return Ok(());
        };
        let set = Paint::Type.on("git config --global user.email YOU@EXAMPLE.ORG");
        let Some(author) = repository.author() else {
            putln!("git doesn't know who you are, and won't commit: {set}")?;
            return Ok(());
        };
        let who = format!("{} <{}>", author.name, author.email);
        putln!("by {}", shown(who.as_bytes().as_bstr()))?;
        if is_no_address(author.email.as_bytes().as_bstr()) {
            let odd = Paint::Warn.on("That address reaches nobody, and stays in the history");
            putln!("{odd}: {set}")?;
        }
        Ok(())
    }

    /// The commit that a script asks for.
    fn commit_as_told(&self) -> Result<ExitCode> {
        let Some(message) = &self.setup.commit else {
            return self.say_end(false);
        };
        if !self.may_commit()? {
            return Ok(ExitCode::FAILURE);
        }
        if !self.has_staged()? {
            putln!("Nothing is staged, so nothing is committed.")?;
            return Ok(ExitCode::SUCCESS);
        }
        let words = ["commit", "--quiet", "--message", message].map(OsStr::new);
        if self.git(&words)? {
            self.say_end(true)
        } else {
            Ok(ExitCode::FAILURE)
        }
    }

    fn has_staged(&self) -> Result<bool> {
        let context = self.context()?;
        let repository = context.snapshot.repository.as_ref();
        Ok(match repository {
            Some(repository) => repository.has_staged()?,
            None => false,
        })
    }

    fn say_end(&self, is_committed: bool) -> Result<ExitCode> {
        if !is_committed && self.has_acted.get() {
            let commit = Paint::Type.on("git commit");
            putln!("Nothing was committed; {commit} does it.")?;
        }
        if self.changes_before < self.context()?.newest_change() {
            putln!(
                "{} undoes the last step, {} all of them.",
                Paint::Type.on("redshank undo"),
                Paint::Type.on("redshank undo --setup")
            )?;
        }
        Ok(ExitCode::SUCCESS)
    }

    /// Stages all before the first commit, later only what setup itself changed. Returns whether
    /// git was let to.
    fn stage(&self) -> Result<bool> {
        let context = self.context()?;
        let tree = context.snapshot.tree()?;
        let is_candidate = tree.in_state(State::Candidate).next().is_some();
        let changed = context.changed_since(self.changes_before)?;
        drop(context);
        // A script says so by giving a message.
        if !self.asks && self.setup.commit.is_none() {
            return Ok(true);
        }
        if !self.is_begun {
            return if is_candidate && self.asked("Stage all of it?", DO)? == 'y' {
                self.git(&["add".as_ref(), "--all".as_ref()])
            } else {
                Ok(true)
            };
        }
        let changed: Vec<_> = changed.iter().map(|path| path.to_path_lossy()).collect();
        let many = files(changed.len() as u64);
        let question = format!("Stage the {many} that setup changed?");
        if changed.is_empty() || self.asked(&question, DO)? != 'y' {
            return Ok(true);
        }
        let words = ["add".as_ref(), "--".as_ref()].into_iter();
        let words: Vec<&OsStr> = words
            .chain(changed.iter().map(|path| path.as_os_str()))
            .collect();
        self.git(&words)
    }

    /// Whether nothing staged is an error, or somebody wants the commit anyway.
    fn may_commit(&self) -> Result<bool> {
        let context = self.context()?;
        let options = ScanOptions {
            staged: true,
            level: Some(Level::Error),
            ..context.scan_options()
        };
        let found = context.scan(&options)?.findings;
        drop(context);
        let open = match found.len() {
            0 => return Ok(true),
            1 => "1 error is open".to_owned(),
            many => format!("{many} errors are open"),
        };
        for finding in &found {
            findings::say(finding)?;
        }
        if self.asks {
            return Ok(self.asked(&format!("{open}. Commit anyway?"), LEAVE)? == 'y');
        }
        putln!(
            "{}: {} shows each.",
            Paint::Bad.on(format!("Not committed, for {open}")),
            Paint::Type.on("redshank check --staged")
        )?;
        Ok(false)
    }
}
