use crate::ask;
use crate::cli::{DocumentFormat, GlobalArgs};
use crate::context::Context;
use crate::render::{Paint, count, files, shown};
use crate::{Arguments, putln, words};
use anyhow::{Result, bail};
use clap::{Args, Parser};
use redshank_changes::hook::{Hook, HookStatus};
use redshank_changes::plan::Plan;
use redshank_findings::{Finding, Level, Remedy, ScanOptions};
use redshank_templates::practices;
use redshank_worktree::tree::State;
use redshank_worktree::{Class, FileStats};
use std::path::{Path, PathBuf};
use std::process::{Command, ExitCode};

/// From a folder to a clean first commit, question by question; every step is a command that you
/// can type yourself
#[derive(Args)]
pub struct Setup {
    /// Project types beside those that are found
    #[arg(long = "type", value_name = "TEMPLATE", value_delimiter = ',')]
    types: Vec<String>,
    /// Variants of templates
    #[arg(long = "variant", value_name = "TEMPLATE/VARIANT")]
    variants: Vec<String>,
    /// Leave the findings of these classes as they are
    #[arg(long, value_name = "CLASS", value_delimiter = ',', value_parser = super::check::class)]
    leave: Vec<Class>,
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

/// So many paths of a class are named.
const NAMED: usize = 4;

impl Setup {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, DocumentFormat::Text)?;
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
        self.rules()?;
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

    /// Runs a command of ours as if it was typed, and shows it.
    fn ours(&self, words: &[&str]) -> Result<()> {
        let typed = format!("$ redshank {}", shell_words::join(words));
        putln!("{}", Paint::Type.on(typed))?;
        let top = self.top.to_string_lossy();
        let all = ["redshank", "--root", &*top, "--yes"];
        let arguments = Arguments::try_parse_from(all.iter().chain(words))?;
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

    fn rules(&self) -> Result<()> {
        self.title(2, "Rules")?;
        let context = self.context()?;
        let survey = context.survey()?;
        let found = survey
            .projects
            .iter()
            .filter(|one| !one.template.group.everywhere());
        let mut names: Vec<&str> = found
            .map(|project| project.template.name.as_str())
            .collect();
        names.sort_unstable();
        names.dedup();
        match names.as_slice() {
            [] => putln!("No project type was recognised.")?,
            names => putln!("Found here: {}.", Paint::Type.on(names.join(", ")))?,
        }
        let mut types = self.setup.types.clone();
        if self.asks {
            types.extend(self.other_types(&context)?);
        }
        let mut variants = self.setup.variants.clone();
        for practice in practices(&context.snapshot, &survey.projects)? {
            let name = format!("{}/{}", practice.template, practice.variant.name);
            let question = format!(
                "{name}: {}, as here already. Keep to it?",
                practice.variant.title
            );
            if practice.is_variant && self.asked(&question, DO)? == 'y' {
                variants.push(name);
            }
        }
        let mut words = vec!["draft"];
        for variant in &variants {
            words.extend(["--variant", variant]);
        }
        let mut all = vec![words.clone()];
        if !types.is_empty() {
            words.splice(1..1, types.iter().map(String::as_str));
            all.push(words);
        }
        drop(survey);
        drop(context);
        loop {
            match self.asked("Write the rules that fit?", DO_OR_SEE)? {
                'd' => {
                    for words in &all {
                        self.ours(words)?;
                    }
                }
                'y' => {
                    for words in &mut all {
                        words.push("--write");
                        words.push("--quiet");
                        self.ours(words)?;
                    }
                    return self.standing();
                }
                _ => return Ok(()),
            }
        }
    }

    /// Types that the person names; none for Enter.
    fn other_types(&self, context: &Context) -> Result<Vec<String>> {
        loop {
            let said = ask::text("Other types, by name (Enter for none)")?.unwrap_or_default();
            let asked = said.split([',', ' ']).filter(|name| !name.is_empty());
            let collection = context.collection()?;
            let (known, unknown): (Vec<&str>, Vec<&str>) =
                asked.partition(|name| collection.find(name).is_ok());
            if unknown.is_empty() {
                return Ok(known.into_iter().map(str::to_owned).collect());
            }
            let unknown = unknown.join(", ");
            putln!("  no template is called {unknown}; `redshank templates` lists them")?;
        }
    }

    /// How much a commit of everything would hold by now.
    fn standing(&self) -> Result<()> {
        let context = self.context()?;
        let all = FileStats::of(context.snapshot.tree()?.to_commit());
        putln!(
            "A commit of everything would hold {}, {} now.",
            files(all.files),
            all.size
        )?;
        Ok(())
    }

    fn findings(&self) -> Result<()> {
        self.title(3, "What should not be tracked")?;
        let context = self.context()?;
        let result = context.scan(&ScanOptions::default())?;
        let serious: Vec<&Finding> = result
            .findings
            .iter()
            .filter(|one| one.level < Level::Note)
            .collect();
        if serious.is_empty() {
            putln!("Nothing was found.")?;
        }
        for class in Class::ALL {
            let of_class: Vec<&&Finding> =
                serious.iter().filter(|one| one.class() == class).collect();
            let is_mended = |one: &&&Finding| !matches!(one.remedy, Remedy::ByHand(_));
            let (mended, by_hand): (Vec<&&Finding>, Vec<&&Finding>) =
                of_class.into_iter().partition(is_mended);
            for finding in &by_hand {
                let place = super::check::place(finding);
                putln!(
                    "{} {place}: {}",
                    Paint::Warn.on(class),
                    words::message(finding)
                )?;
                putln!("  {} {}", Paint::Good.on("mend:"), words::remedy(finding))?;
            }
            if !mended.is_empty() && !self.setup.leave.contains(&class) {
                let paths = mended.iter().take(NAMED).map(|one| shown(&one.path));
                let mut paths: Vec<String> = paths.collect();
                if mended.len() > NAMED {
                    paths.push(format!("and {} more", mended.len() - NAMED));
                }
                putln!("{} {}", Paint::Warn.on(class), paths.join(", "))?;
                self.mend(class, mended.len())?;
            }
        }
        let context = self.context()?;
        let samples = Plan::of(&context.snapshot, Vec::new(), None, true)?;
        let question = "Write a sample without values beside the environment file?";
        if !samples.steps.is_empty() && self.asked(question, DO)? == 'y' {
            return self.ours(&["tidy", "--only", "secret", "--apply", "--quiet"]);
        }
        Ok(())
    }

    fn mend(&self, class: Class, many: usize) -> Result<()> {
        let question = match many {
            1 => "Mend it?".to_owned(),
            many => format!("Mend these {}?", count(many as u64)),
        };
        loop {
            match self.asked(&question, DO_OR_SEE)? {
                'd' => self.ours(&["tidy", "--only", class.word()])?,
                'y' => return self.ours(&["tidy", "--only", class.word(), "--apply", "--quiet"]),
                _ => return Ok(()),
            }
        }
    }

    fn hook(&self) -> Result<()> {
        let context = self.context()?;
        let is_off = Hook::of(&context.snapshot)?.status()? == HookStatus::Off;
        if !is_off || self.setup.no_hook {
            return Ok(());
        }
        self.title(4, "Keep it so")?;
        drop(context);
        match self.asked("Check what is staged before each commit?", DO)? {
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
        loop {
            match self.asked(question, DO_OR_SEE)? {
                'd' => self.ours(&["prove", "--record"])?,
                'y' => return self.ours(&["prove", "--record", "--write", "--quiet"]),
                _ => return Ok(()),
            }
        }
    }

    fn rehearsal(&self) -> Result<()> {
        self.title(5, "What a fresh clone would hold")?;
        self.ours(&["rehearse"])
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
