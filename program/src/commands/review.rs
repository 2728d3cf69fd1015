use super::found;
use crate::cli::GlobalArgs;
use crate::context::Context;
use anyhow::{Result, bail};
use clap::Args;
use redshank_changes::rehearse::scratch::Scratch;
use redshank_findings::Level;
use redshank_git::{Repository, TreeState};
use redshank_output::{
    self as output, Align, Cell, SarifResult, SarifRule, Table, attribute_effect,
};
use redshank_report::{OutputFormat, REVIEW, Report, ReviewAfter, ReviewOut, by_rule};
use redshank_rules::RepoPathBuf;
use redshank_secrets::masked;
use redshank_text::{Paint, count, files, shown};
use redshank_worktree::settings::{self, Expectation};
use redshank_worktree::{
    DecidingRule, MovedPath, Purpose, ReviewSide, RuleChange, RuleReview, Snapshot,
};
use std::fmt::Write;
use std::path::Path;
use std::process::ExitCode;

/// Show what a change of rules puts in and out
///
/// Compares ignore files, attribute files and the settings of two sides over the files of the
/// working tree and those that either side tracks: what becomes ignored and by which rule, what no
/// longer is, rules that began or ceased to decide about files, expectations that break. Exits
/// with 1 if the rules ignore tracked files, an expectation breaks, or a merge leaves rules open.
#[derive(Args)]
pub struct Review {
    /// `BASE..HEAD`, `BASE...HEAD` (since both parted) or `BASE`; without it, what is changed on disk
    /// since the last commit
    #[arg(conflicts_with_all = ["staged", "merge", "incoming", "after_merge"])]
    range: Option<String>,
    /// What is staged, beside the last commit
    #[arg(long, conflicts_with_all = ["merge", "incoming", "after_merge"])]
    staged: bool,
    /// What a merge of that branch would make of the rules here
    #[arg(long, value_name = "BRANCH", conflicts_with_all = ["incoming", "after_merge"])]
    merge: Option<String>,
    /// What a pull would make of them, as far as the last fetch knows
    #[arg(long, conflicts_with = "after_merge")]
    incoming: bool,
    /// What the last merge or pull made of them; says nothing if it made nothing, and exits with 0
    #[arg(long, hide = true)]
    after_merge: bool,
    /// How the answer is written
    #[arg(long, value_parser = REVIEW.parser(), default_value = "text")]
    format: OutputFormat,
}

/// What is compared.
struct Compared {
    /// The commit before.
    base: String,
    /// The commit after, or that is merged.
    head: Option<String>,
    after: ReviewAfter,
}

impl Review {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        let snapshot = &context.snapshot;
        let repository = snapshot.needs_repository(Purpose::History)?;
        let compared = self.compared(repository)?;
        let (base, head) = compared.sides(snapshot)?;
        let review = RuleReview::compare(snapshot, &base, &head)?;
        let is_bad = review.tracked().next().is_some()
            || !review.settings.broken.is_empty()
            || review.settings.fault.is_some()
            || !head.conflicts.is_empty();
        let reviewed = Reviewed {
            top: &snapshot.top,
            compared,
            review,
            conflicts: head.conflicts,
        };
        if self.after_merge && reviewed.review.is_empty() {
            return Ok(ExitCode::SUCCESS);
        }
        if context.speaks() || !context.for_people {
            match self.format {
                OutputFormat::Sarif => output::json(&reviewed.sarif())?,
                format => format.print(&reviewed)?,
            }
        }
        Ok(found(is_bad && !self.after_merge))
    }

    fn compared(&self, repository: &Repository) -> Result<Compared> {
        let named = |name: &str| {
            let name = if name.is_empty() { "HEAD" } else { name };
            repository.commit_named(name)
        };
        let (base, head, after) = if self.staged {
            (named("HEAD")?, None, ReviewAfter::Staged)
        } else if let Some(branch) = &self.merge {
            (named("HEAD")?, Some(named(branch)?), ReviewAfter::Merge)
        } else if self.incoming {
            let Ok(theirs) = repository.commit_named("@{upstream}") else {
                bail!(
                    "this branch follows none of a remote, so nothing comes in\n  \
                     git branch --set-upstream-to=REMOTE/BRANCH sets one, or name it: \
                     --merge REMOTE/BRANCH"
                );
            };
            (named("HEAD")?, Some(theirs), ReviewAfter::Merge)
        } else if self.after_merge {
            (
                named("ORIG_HEAD")?,
                Some(named("HEAD")?),
                ReviewAfter::Commit,
            )
        } else if let Some(range) = self.range.as_deref() {
            let (base, head) = match (range.split_once("..."), range.split_once("..")) {
                (Some((base, head)), _) => {
                    let (base, head) = (named(base)?, named(head)?);
                    (repository.common_commit(&base, &head)?, head)
                }
                (None, Some((base, head))) => (named(base)?, named(head)?),
                (None, None) => (named(range)?, named("HEAD")?),
            };
            (base, Some(head), ReviewAfter::Commit)
        } else {
            (named("HEAD")?, None, ReviewAfter::Disk)
        };
        Ok(Compared { base, head, after })
    }
}

impl Compared {
    fn sides(&self, snapshot: &Snapshot) -> Result<(ReviewSide, ReviewSide)> {
        let of = |state: TreeState| ReviewSide::of(snapshot, &state);
        let base = of(TreeState::Commit(self.base.clone()))?;
        let head = match (self.after, &self.head) {
            (ReviewAfter::Staged, _) => of(TreeState::Staged)?,
            (ReviewAfter::Merge, Some(theirs)) => {
                let scratch = Scratch::new()?;
                ReviewSide::merged(snapshot, &self.base, theirs, &scratch.path())?
            }
            (_, Some(head)) => of(TreeState::Commit(head.clone()))?,
            (_, None) => ReviewSide::on_disk(snapshot)?,
        };
        Ok((base, head))
    }

    /// The two sides, in words.
    fn title(&self) -> String {
        let head = self.head.as_deref().map(short).unwrap_or_default();
        let head = match self.after {
            ReviewAfter::Commit => head,
            ReviewAfter::Staged => "what is staged".to_owned(),
            ReviewAfter::Disk => "the disk".to_owned(),
            ReviewAfter::Merge => format!("a merge of {head}"),
        };
        let base = Paint::Head.on(short(&self.base));
        format!("{base} {} {head}", Paint::Quiet.on("→"))
    }
}

fn short(hash: &str) -> String {
    hash.chars().take(SHORT).collect()
}

/// What was compared, and what came of it.
struct Reviewed<'a> {
    top: &'a Path,
    compared: Compared,
    review: RuleReview,
    conflicts: Vec<RepoPathBuf>,
}

/// At most this many files of a kind are named.
const NAMED: usize = 20;

/// So much of a commit's hash tells it from others.
const SHORT: usize = 10;

impl Report for Reviewed<'_> {
    type Document = ReviewOut;

    fn text(&self) -> Result<String> {
        let review = &self.review;
        let mut text = format!("{}\n", self.compared.title());
        if review.is_empty() {
            let none = Paint::Good.on("no file of rules or settings differs");
            writeln!(text, "{none}")?;
            return Ok(text);
        }
        for (what, paths) in [
            ("rules changed in", &review.changed),
            ("attributes changed in", &review.changed_attributes),
            ("settings changed in", &review.changed_settings),
        ] {
            if !paths.is_empty() {
                writeln!(text, "{} {}", Paint::Quiet.on(what), listed(paths))?;
            }
        }
        if !self.conflicts.is_empty() {
            let said = "the merge will stop for you; until then both sides count";
            writeln!(text, "{}: {}", Paint::Bad.on(said), listed(&self.conflicts))?;
        }
        text += &self.text_of_paths()?;
        text += &self.text_of_rules();
        text += &attribute_effect(&review.attributes);
        text += &self.text_of_settings()?;
        Ok(text)
    }

    fn document(&self) -> ReviewOut {
        let Compared { base, head, after } = &self.compared;
        ReviewOut::new(
            self.top,
            base,
            head.as_deref(),
            *after,
            &self.review,
            &self.conflicts,
        )
    }
}

fn listed(paths: &[RepoPathBuf]) -> String {
    let paths: Vec<String> = paths.iter().map(|path| shown(path)).collect();
    paths.join(", ")
}

impl Reviewed<'_> {
    fn text_of_paths(&self) -> Result<String> {
        let review = &self.review;
        let mut text = String::new();
        if review.changed.is_empty() {
            return Ok(text);
        }
        let (tracked, ignored): (Vec<&MovedPath>, Vec<&MovedPath>) =
            review.ignored.iter().partition(|moved| moved.is_tracked);
        let included: Vec<&MovedPath> = review.included.iter().collect();
        list(&mut text, &Paint::Warn.on("newly ignored"), &ignored)?;
        list(&mut text, &Paint::Head.on("no longer ignored"), &included)?;
        let although = Paint::Bad.on("newly ignored, although tracked");
        list(&mut text, &although, &tracked)?;
        if review.ignored.is_empty() && review.included.is_empty() {
            writeln!(
                text,
                "{}",
                Paint::Good.on("no file that is here changes sides")
            )?;
        }
        if !tracked.is_empty() {
            let fix =
                "the rules do nothing for tracked files: re-include them, or stop tracking them";
            writeln!(text, "{fix}: {}", Paint::Type.on("redshank untrack PATH"))?;
        }
        Ok(text)
    }

    /// The rules that began, or ended, to do something.
    fn text_of_rules(&self) -> String {
        let rules = &self.review.rules;
        // A new rule that catches something is named beside what it catches.
        let shown_ones = rules.iter().filter(|one| match one.change {
            RuleChange::New => one.after == 0,
            RuleChange::Gone => one.before > 0,
            RuleChange::Began | RuleChange::Idle => true,
        });
        let shown_ones: Vec<_> = shown_ones.collect();
        if shown_ones.is_empty() {
            return String::new();
        }
        let mut table = Table::new(&[Align::Left, Align::Whole, Align::Whole, Align::Left]);
        for one in shown_ones.iter().take(NAMED) {
            let (paint, word, many) = match one.change {
                RuleChange::New => (Paint::Warn, "new, decides nothing", 0),
                RuleChange::Began => (Paint::Head, "begins to decide", one.after),
                RuleChange::Idle => (Paint::Warn, "decides nothing now", one.before),
                RuleChange::Gone => (Paint::Quiet, "gone", one.before),
            };
            let many = match (many, one.change) {
                (0, _) => String::new(),
                (many, RuleChange::Began) => files(many),
                (many, _) => format!("it was {}", files(many)),
            };
            table.row([
                Cell::painted(paint, word.to_owned()),
                Cell::painted(Paint::Type, shown(one.rule.pattern.as_ref())),
                Cell::painted(Paint::Quiet, place(&one.rule)),
                Cell::painted(Paint::Quiet, many),
            ]);
        }
        let mut text = format!("{}\n{}", Paint::Head.on("rules:"), table.text());
        if let Some(more) = shown_ones.len().checked_sub(NAMED).filter(|more| *more > 0) {
            text += &format!("  and {} more\n", count(more as u64));
        }
        text
    }

    fn text_of_settings(&self) -> Result<String> {
        let settings = &self.review.settings;
        let mut text = String::new();
        if let Some(fault) = &settings.fault {
            writeln!(
                text,
                "{}: {fault}",
                Paint::Bad.on("the settings can't be read")
            )?;
        }
        for (title, expectations) in [
            (Paint::Bad.on("expectations that break"), &settings.broken),
            (Paint::Warn.on("expectations dropped"), &settings.dropped),
        ] {
            if !expectations.is_empty() {
                writeln!(text, "{title}:")?;
            }
            for one in expectations {
                writeln!(text, "  {}", expectation(one))?;
            }
        }
        if !settings.accepted.is_empty() {
            writeln!(text, "{}:", Paint::Warn.on("findings accepted"))?;
        }
        for one in &settings.accepted {
            let because = shown(masked(&one.because).as_bytes().into());
            writeln!(
                text,
                "  {}  {}  {}",
                shown(one.path.as_bytes().into()),
                Paint::Quiet.on(&one.rule),
                Paint::Quiet.on(because)
            )?;
        }
        let templates = self.review.changed_settings.iter();
        if templates.into_iter().any(|path| *path != *settings::FILE) {
            let typed = Paint::Type.on("redshank draft --refresh");
            writeln!(
                text,
                "templates changed: {typed} shows what that does to the rules here"
            )?;
        }
        Ok(text)
    }

    /// The same at the lines of the rules.
    fn sarif(&self) -> serde_json::Value {
        let rule = |id: &str, short: &str, full: &str, help: &str, level| SarifRule {
            id: id.to_owned(),
            short: short.to_owned(),
            full: full.to_owned(),
            help: help.to_owned(),
            level,
        };
        let rules = [
            rule(
                TRACKED,
                "a rule ignores tracked files",
                "The rule matches files that git tracks. git goes on tracking them, and a new file \
                 of the kind is ignored.",
                "Write the rule narrower, re-include the files with `!`, or stop tracking them: \
                 redshank untrack PATH",
                Level::Warning,
            ),
            rule(
                IGNORED,
                "a rule ignores more files",
                "The rule ignores files that weren't ignored before.",
                "Look whether they are meant.",
                Level::Note,
            ),
            rule(
                IDLE,
                "a rule decides nothing",
                "The rule is new and decides about no file, or it decided about some before this change.",
                "Look whether it is meant: redshank why PATH shows the rule that decides.",
                Level::Note,
            ),
            rule(
                EXPECTATION,
                "an expectation breaks",
                "An expectation of redshank.toml doesn't hold by these rules.",
                "Put the rules right, or change the expectation: redshank prove shows why.",
                Level::Error,
            ),
        ];
        let mut results = Vec::new();
        for (by, moved) in by_rule(&self.review) {
            let (tracked, others): (Vec<&MovedPath>, Vec<&MovedPath>) =
                moved.into_iter().partition(|moved| moved.is_tracked);
            for (id, level, paths) in [
                (TRACKED, Level::Warning, tracked),
                (IGNORED, Level::Note, others),
            ] {
                let Some(first) = paths.first() else {
                    continue;
                };
                let many = files(paths.len() as u64);
                let tracked = if id == TRACKED {
                    " that git tracks"
                } else {
                    ""
                };
                let message = format!("ignores {many}{tracked}, such as {}", shown(&first.path));
                results.push(result(by, id, level, message));
            }
        }
        for one in &self.review.rules {
            let is_idle = one.after == 0 && one.change != RuleChange::Gone;
            if is_idle {
                let message = match one.before {
                    0 => "new, and decides nothing".to_owned(),
                    before => format!("decides nothing now; it was {}", files(before)),
                };
                results.push(result(&one.rule, IDLE, Level::Note, message));
            }
        }
        results.extend(self.review.settings.broken.iter().map(|one| SarifResult {
            rule: EXPECTATION,
            level: Level::Error,
            message: format!("doesn't hold: {}", expectation(one)),
            path: settings::FILE.into(),
            line: None,
        }));
        output::sarif_results(&rules, &results)
    }
}

/// The rules of a review in SARIF.
const TRACKED: &str = "rule/ignores-tracked";
const IGNORED: &str = "rule/ignores-more";
const IDLE: &str = "rule/idle";
const EXPECTATION: &str = "rule/expectation";

fn result(by: &DecidingRule, rule: &'static str, level: Level, message: String) -> SarifResult {
    SarifResult {
        rule,
        level,
        message: format!("`{}` {message}", shown(by.pattern.as_ref())),
        path: by.file.clone(),
        line: Some(by.line.into()),
    }
}

fn expectation(one: &Expectation) -> String {
    let subject = one.path.as_ref().or(one.pattern.as_ref());
    let subject = subject.map_or("", String::as_str);
    let because = one.because.as_ref().map_or(String::new(), |because| {
        format!(": {}", shown(masked(because).as_bytes().into()))
    });
    let subject = shown(subject.as_bytes().into());
    format!("{subject} {}{because}", one.expected())
}

/// Where a rule is.
fn place(rule: &DecidingRule) -> String {
    format!("{}:{}", shown(rule.file.as_ref()), rule.line)
}

/// A few of some paths, below what they are, each with the rule that ignores it, or did.
fn list(text: &mut String, what: &str, moved: &[&MovedPath]) -> Result<()> {
    if moved.is_empty() {
        return Ok(());
    }
    writeln!(
        text,
        "{what}  {}",
        Paint::Quiet.on(files(moved.len() as u64))
    )?;
    let mut table = Table::new(&[Align::Whole, Align::Whole, Align::Whole]);
    for moved in moved.iter().take(NAMED) {
        let (pattern, line) = moved.rule.as_ref().map_or_else(Default::default, |rule| {
            (shown(rule.pattern.as_ref()), place(rule))
        });
        table.row([
            shown(&moved.path).into(),
            Cell::painted(Paint::Type, pattern),
            Cell::painted(Paint::Quiet, line),
        ]);
    }
    *text += &table.text();
    if let Some(more) = moved.len().checked_sub(NAMED).filter(|more| *more > 0) {
        writeln!(text, "  and {} more", count(more as u64))?;
    }
    Ok(())
}
