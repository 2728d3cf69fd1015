mod sarif;
mod show;

use anyhow::{Result, bail};
use clap::Args;
use redshank_changes::rehearse::scratch::Scratch;
use redshank_context::{Context, GlobalArgs, found};
use redshank_git::{Repository, TreeState};
use redshank_output as output;
use redshank_report::{OutputFormat, REVIEW, ReviewAfter};
use redshank_rules::RepoPathBuf;
use redshank_text::Paint;
use redshank_worktree::{Purpose, ReviewSide, RuleReview, Snapshot};
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

/// So much of a commit's hash tells it from others.
const SHORT: usize = 10;

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
