use super::check::{Checked, text_of_accepted};
use anyhow::Result;
use bstr::ByteSlice;
use clap::Args;
use redshank_changes::rehearse::scratch::Scratch;
use redshank_context::{Context, GlobalArgs, found};
use redshank_findings::{Level, ScanResult, scan_outgoing};
use redshank_git::{Change, Changed, Destination, Difference, LargeObject, Outgoing, TreeMode};
use redshank_output::{Align, Cell, Table, eputln};
use redshank_report::{CompareOut, DOCUMENT, OutgoingOut, OutputFormat, Report};
use redshank_templates::Survey;
use redshank_text::{self as text, Paint, count, files, shown};
use redshank_worktree::size::Bytes;
use redshank_worktree::{Absence, Published, Purpose};
use std::fmt::Write;
use std::path::Path;
use std::process::ExitCode;

/// Show what a push would send, and what in it shouldn't be seen
///
/// Looks at every version on the way: what was added and removed again is sent as well. What is
/// there already is known from the last fetch or push, unless the remote is to be asked.
#[derive(Args)]
pub struct OutgoingArgs {
    /// Where to; without it, where git would push the current branch to
    #[arg(value_name = "REMOTE[/BRANCH]")]
    destination: Option<String>,
    /// Every branch and tag, as `git push --all` and `--tags` send them
    #[arg(long)]
    all: bool,
    /// Ask the remote what it has, over the network; without it, what this clone knows counts
    #[arg(long)]
    ask_remote: bool,
    /// Compare the files here with those of the branch there, too: what others lack, and why
    #[arg(long)]
    compare: bool,
    /// How the answer is written
    #[arg(long, value_parser = DOCUMENT.parser(), default_value = "text")]
    format: OutputFormat,
}

/// At most this many files are named.
const NAMED: usize = 20;

/// From this size on, in bytes, an older version is named that a push sends, too.
const NOTEWORTHY: u64 = 1 << 20;

impl OutgoingArgs {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        let snapshot = &context.snapshot;
        let repository = snapshot.needs_repository(Purpose::History)?;
        let mut destination = repository.destination(self.destination.as_deref())?;
        destination.all = self.all;
        if self.ask_remote {
            let scratch = Scratch::new()?;
            repository.ask_remote(&mut destination, &scratch.path())?;
        }
        repository.commit_named("HEAD")?;
        let (outgoing, scanned) = look(&context, &context.survey()?, &destination)?;
        let published = match (self.compare, &destination.known) {
            (true, Some(known)) => Some(Published::compare(snapshot, known)?),
            _ => None,
        };
        let push = Push {
            top: &snapshot.top,
            destination,
            outgoing,
            scanned,
            compare: self.compare,
            published,
        };
        if context.speaks() || !context.for_people {
            self.format.print(&push)?;
        }
        if context.for_people {
            text::not_scanned(&push.scanned)
                .iter()
                .for_each(|said| eputln!("{said}"));
        }
        context.say_unread(&push.scanned.unread);
        let mut findings = push.scanned.findings.iter();
        Ok(found(
            findings.any(|finding| finding.level <= Level::Warning),
        ))
    }
}

/// Looks at a push: what it sends, and what in it shouldn't be seen.
pub(super) fn look(
    context: &Context,
    survey: &Survey,
    destination: &Destination,
) -> Result<(Outgoing, ScanResult)> {
    let snapshot = &context.snapshot;
    let options = context.scan_options();
    Ok(scan_outgoing(snapshot, survey, &options, destination)?)
}

/// A push that was looked at.
struct Push<'a> {
    top: &'a Path,
    destination: Destination,
    outgoing: Outgoing,
    scanned: ScanResult,
    compare: bool,
    published: Option<Published>,
}

impl Report for Push<'_> {
    type Document = OutgoingOut;

    fn text(&self) -> Result<String> {
        let Destination {
            remote,
            branch,
            known,
            answer,
            ..
        } = &self.destination;
        let outgoing = &self.outgoing;
        let place = Paint::Head.on(format!("{remote}/{branch}"));
        let mut text = String::new();
        if outgoing.commits == 0 {
            writeln!(
                text,
                "{place}  {}",
                Paint::Good.on(if answer.is_some() {
                    "nothing to push"
                } else {
                    "nothing to push, as far as this clone knows"
                })
            )?;
        } else {
            let commits = commits_in_words(outgoing.commits);
            let objects = count(outgoing.objects);
            writeln!(
                text,
                "{place}  {commits}, {objects} objects, {}",
                Bytes(outgoing.bytes)
            )?;
        }
        if known.is_none() {
            let said = match answer {
                None => "this clone doesn't know that branch: every file counts as new",
                Some(answer) if answer.has(branch) => {
                    "that branch is at a commit that isn't here: every file counts as new, and git \
                     would refuse the push before a fetch"
                }
                Some(_) => "that branch isn't there yet: every file is new",
            };
            writeln!(text, "{}", Paint::Warn.on(said))?;
        }
        text += &self.text_of_files()?;
        text += &self.text_of_authors()?;
        if self.scanned.findings.is_empty() {
            if outgoing.commits > 0 {
                let said = if self.scanned.is_complete() {
                    Paint::Good.on("nothing found in it that shouldn't be pushed")
                } else {
                    Paint::Warn.on("nothing found in what was scanned")
                };
                writeln!(text, "{said}")?;
            }
        } else {
            writeln!(text)?;
            text += &Checked::for_others(self.top, &self.scanned)?;
        }
        text += &text_of_accepted(&self.scanned);
        if self.compare {
            text += &self.text_of_comparison()?;
        }
        Ok(text)
    }

    fn document(&self) -> OutgoingOut {
        let cuts = self
            .scanned
            .history_cut
            .iter()
            .map(text::history_cut)
            .collect();
        let Self {
            destination,
            outgoing,
            scanned,
            ..
        } = self;
        OutgoingOut {
            compare: self.published.as_ref().map(CompareOut::from),
            ..OutgoingOut::new(self.top, destination, outgoing, scanned, cuts)
        }
    }
}

impl Push<'_> {
    fn text_of_files(&self) -> Result<String> {
        let changed = &self.outgoing.files;
        let columns = [Align::Left, Align::Right, Align::Whole, Align::Left];
        let mut table = Table::new(&columns);
        for file in changed.iter().take(NAMED) {
            let (paint, word) = match file.change {
                Change::Added => (Paint::Good, "added"),
                Change::Changed => (Paint::Quiet, "changed"),
                Change::Removed => (Paint::Warn, "removed"),
            };
            let size = file
                .size
                .map_or(String::new(), |size| Bytes(size).to_string());
            let path = shown(file.path.as_bstr());
            table.row([
                Cell::painted(paint, word.to_owned()),
                size.into(),
                path.into(),
                Cell::painted(Paint::Quiet, mode(file)),
            ]);
        }
        let mut text = table.text();
        if let Some(more) = changed.len().checked_sub(NAMED).filter(|more| *more > 0) {
            writeln!(text, "and {}", files(more as u64))?;
        }
        // What is large on the way and in none of the files above was added and removed again.
        let is_there = |path: &[u8]| changed.iter().any(|file| file.path == path);
        let mut largest = self.outgoing.largest.iter();
        let between = largest.find(|one| one.size >= NOTEWORTHY && !is_there(&one.path));
        if let Some(LargeObject { size, path }) = between {
            let said = format!(
                "an older version of {} is sent, too: {}",
                shown(path.as_bstr()),
                Bytes(*size)
            );
            writeln!(text, "{}", Paint::Warn.on(said))?;
        }
        let stored = self.outgoing.stored;
        if stored.files > 0 {
            let (many, size) = (files(stored.files), Bytes(stored.bytes));
            writeln!(text, "large-file storage gets {many}, {size}")?;
        }
        Ok(text)
    }

    fn text_of_authors(&self) -> Result<String> {
        let mut text = String::new();
        for (author, share) in &self.outgoing.authors {
            let who = shown(author.to_string().as_bytes().as_bstr());
            let many = Paint::Quiet.on(commits_in_words(share.commits));
            let odd = share.oddity.map_or(String::new(), |oddity| {
                format!("  {}", Paint::Warn.on(text::oddity(oddity)))
            });
            writeln!(text, "{} {who}  {many}{odd}", Paint::Quiet.on("by"))?;
        }
        Ok(text)
    }

    fn text_of_comparison(&self) -> Result<String> {
        let Some(published) = &self.published else {
            return Ok("there is nothing there to compare with\n".to_owned());
        };
        let mut text = format!("\n{}\n", Paint::Head.on("here, beside what others see"));
        // What a person may have forgotten comes before what rules ignore.
        let mut missing: Vec<_> = published.missing.iter().collect();
        missing.sort_by_key(|(_, absence)| matches!(absence, Absence::Ignored(_)));
        let mut table = Table::new(&[Align::Left, Align::Whole, Align::Whole]);
        for (path, absence) in missing.iter().take(NAMED) {
            let why = match absence {
                Absence::Ignored(Some(ruling)) => format!("ignored by {}", text::ruling(ruling)),
                Absence::Ignored(None) => "ignored".to_owned(),
                Absence::Untracked => "not added".to_owned(),
                Absence::Staged => "staged, not committed".to_owned(),
                Absence::Unpushed => "committed, not pushed".to_owned(),
            };
            table.row([
                Cell::painted(Paint::Warn, "only here".to_owned()),
                shown(path).into(),
                Cell::painted(Paint::Quiet, why),
            ]);
        }
        text += &table.text();
        if let Some(more) = missing.len().checked_sub(NAMED).filter(|more| *more > 0) {
            writeln!(text, "  and {} more only here", count(more as u64))?;
        }
        let extra = published.extra.iter().map(|path| ("only there", path));
        let differing = published.differing.iter().map(|(path, difference)| {
            let word = match difference {
                Difference::Contents => "differs",
                Difference::LineEndings => "differs in line endings only:",
                Difference::Mode => "differs in its mode only:",
            };
            (word, path)
        });
        let others: Vec<_> = extra.chain(differing).collect();
        for (word, path) in others.iter().take(NAMED) {
            writeln!(text, "  {} {}", Paint::Warn.on(word), shown(path))?;
        }
        if let Some(more) = others.len().checked_sub(NAMED).filter(|more| *more > 0) {
            writeln!(text, "  and {} more", count(more as u64))?;
        }
        let is_same = published.missing.is_empty()
            && published.extra.is_empty()
            && published.differing.is_empty();
        if is_same {
            writeln!(text, "  {}", Paint::Good.on("the same files on both sides"))?;
        }
        Ok(text)
    }
}

/// What changes about a file beside what it holds, or that it is no plain file.
fn mode(file: &Changed) -> String {
    let said = match (file.was, file.is) {
        (_, Some(TreeMode::Submodule)) => "a submodule",
        (_, Some(TreeMode::Link)) => "a symbolic link",
        (Some(TreeMode::File), Some(TreeMode::Executable)) => "executable now",
        (Some(TreeMode::Executable), Some(TreeMode::File)) => "no longer executable",
        (None, Some(TreeMode::Executable)) => "executable",
        _ => "",
    };
    said.to_owned()
}

fn commits_in_words(commits: u64) -> String {
    match commits {
        1 => "1 commit".to_owned(),
        many => format!("{} commits", count(many)),
    }
}
