use super::found;
use crate::cli::GlobalArgs;
use crate::context::Context;
use anyhow::Result;
use clap::Args;
use redshank_report::{DOCUMENT, OutputFormat, Report, ReviewOut};
use redshank_rules::RepoPathBuf;
use redshank_text::{Paint, files, shown};
use redshank_worktree::{Purpose, RuleReview};
use std::fmt::Write;
use std::path::Path;
use std::process::ExitCode;

/// Show what a change of ignore rules puts in and out
///
/// Compares the ignore files of two commits over the files of the working tree: which become ignored,
/// which no longer are, and which of them git tracks. Exits with 1 if the rules ignore tracked files.
#[derive(Args)]
pub struct Review {
    /// `BASE..HEAD`, `BASE...HEAD` (since both parted) or `BASE`; without it, what is changed on disk
    /// since the last commit
    range: Option<String>,
    /// How the answer is written
    #[arg(long, value_parser = DOCUMENT.parser(), default_value = "text")]
    format: OutputFormat,
}

impl Review {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        let snapshot = &context.snapshot;
        let repository = snapshot.needs_repository(Purpose::History)?;
        let named = |name: &str| {
            let name = if name.is_empty() { "HEAD" } else { name };
            repository.commit_named(name)
        };
        let (base, head) = match self.range.as_deref() {
            None => (named("HEAD")?, None),
            Some(range) => match (range.split_once("..."), range.split_once("..")) {
                (Some((base, head)), _) => {
                    let (base, head) = (named(base)?, named(head)?);
                    (repository.common_commit(&base, &head)?, Some(head))
                }
                (None, Some((base, head))) => (named(base)?, Some(named(head)?)),
                (None, None) => (named(range)?, Some(named("HEAD")?)),
            },
        };
        let review = RuleReview::compare(snapshot, &base, head.as_deref())?;
        let is_tracked = !review.tracked.is_empty();
        let reviewed = Reviewed {
            top: &snapshot.top,
            base,
            head,
            review,
        };
        if context.speaks() || !context.for_people {
            self.format.print(&reviewed)?;
        }
        Ok(found(is_tracked))
    }
}

/// What was compared, and what came of it.
struct Reviewed<'a> {
    top: &'a Path,
    base: String,
    head: Option<String>,
    review: RuleReview,
}

/// At most this many files of a kind are named.
const NAMED: usize = 20;

/// So much of a commit's hash tells it from others.
const SHORT: usize = 10;

impl Report for Reviewed<'_> {
    type Document = ReviewOut;

    fn text(&self) -> Result<String> {
        let short = |hash: &str| hash.chars().take(SHORT).collect::<String>();
        let head = self.head.as_deref().map_or("the disk".to_owned(), short);
        let review = &self.review;
        let mut text = format!(
            "{} {} {head}\n",
            Paint::Head.on(short(&self.base)),
            Paint::Quiet.on("→")
        );
        if review.changed.is_empty() {
            writeln!(text, "{}", Paint::Good.on("no ignore file differs"))?;
            return Ok(text);
        }
        let changed: Vec<String> = review.changed.iter().map(|path| shown(path)).collect();
        writeln!(
            text,
            "{} {}",
            Paint::Quiet.on("rules changed in"),
            changed.join(", ")
        )?;
        list(&mut text, &Paint::Warn.on("newly ignored"), &review.ignored)?;
        list(
            &mut text,
            &Paint::Head.on("no longer ignored"),
            &review.included,
        )?;
        list(
            &mut text,
            &Paint::Bad.on("newly ignored, although tracked"),
            &review.tracked,
        )?;
        if review.ignored.is_empty() && review.included.is_empty() {
            writeln!(
                text,
                "{}",
                Paint::Good.on("no file that is here changes sides")
            )?;
        }
        if !review.tracked.is_empty() {
            let fix =
                "the rules do nothing for tracked files: re-include them, or stop tracking them";
            writeln!(text, "{fix}: {}", Paint::Type.on("redshank untrack PATH"))?;
        }
        Ok(text)
    }

    fn document(&self) -> ReviewOut {
        ReviewOut::new(self.top, &self.base, self.head.as_deref(), &self.review)
    }
}

/// A few of some paths, below what they are.
fn list(text: &mut String, what: &str, paths: &[RepoPathBuf]) -> Result<()> {
    if paths.is_empty() {
        return Ok(());
    }
    writeln!(
        text,
        "{what}  {}",
        Paint::Quiet.on(files(paths.len() as u64))
    )?;
    for path in paths.iter().take(NAMED) {
        writeln!(text, "  {}", shown(path))?;
    }
    if let Some(more) = paths.len().checked_sub(NAMED).filter(|more| *more > 0) {
        writeln!(text, "  and {more} more")?;
    }
    Ok(())
}
