use anyhow::{Result, bail};
use bstr::ByteSlice;
use clap::{Args, ValueEnum};
use console::measure_text_width;
use redshank_context::{Context, GlobalArgs, found, path_values, values};
use redshank_files::FileKind;
use redshank_findings::{
    Exposure, Finding, LeftOut, Level, Remedy, ScanOptions, ScanResult, SinceCommit, Summary,
};
use redshank_output::{self as output, Align, Cell, Table, link, width};
use redshank_report::{
    CheckOut, FINDINGS, FindingOut, Listing, OutputFormat, PathOut, Report, SummaryOut, root,
};
use redshank_text::{
    self as text, Decision, Paint, class_paint, count, files, level_paint, shortened, shown,
};
use redshank_worktree::Class;
use redshank_worktree::settings::HookLevel;
use redshank_worktree::tree::State;
use std::collections::BTreeMap;
use std::ffi::OsString;
use std::fmt::Write;
use std::path::Path;
use std::process::ExitCode;

/// Find files that shouldn't be committed, and needed ones that are missing
#[derive(Args)]
pub struct Check {
    /// Only findings on these files and folders
    #[arg(add = path_values::paths())]
    paths: Vec<OsString>,
    /// Look at the staged contents instead of those on disk
    #[arg(long, conflicts_with = "ignored")]
    staged: bool,
    /// Look into ignored files, too
    #[arg(long)]
    ignored: bool,
    /// Look into every version that a commit holds, too: for secrets and files too large
    #[arg(long, conflicts_with = "staged")]
    history: bool,
    /// Look at all that a stranger would get: every version of every file, messages, names,
    /// addresses, home folders, hosts of your network, missing licences
    #[arg(
        long = "for",
        value_name = "AUDIENCE",
        value_enum,
        conflicts_with = "staged"
    )]
    audience: Option<AudienceArg>,
    /// Only what is new since a commit: since where this branch left it. For a branch in CI, or
    /// a repository with old findings
    #[arg(long, value_name = "REVISION", conflicts_with_all = ["history", "ignored", "audience"])]
    new_since: Option<String>,
    /// Only findings of these classes
    #[arg(long = "class", value_name = "CLASS", value_delimiter = ',', value_parser = values::class())]
    classes: Vec<Class>,
    /// Only findings of this level and worse ones
    #[arg(long, value_name = "LEVEL", value_parser = values::level())]
    level: Option<Level>,
    /// Show the id of each finding, for `redshank accept`
    #[arg(long)]
    ids: bool,
    /// Exit with 2 if anything was not scanned: unreadable files, archives, submodules, a history
    /// that this clone has only a part of
    #[arg(long)]
    strict: bool,
    /// Answer as a hook: which findings stop it, the repository's settings say
    #[arg(long, hide = true, value_enum, conflicts_with_all = ["paths", "classes", "level"])]
    hook: Option<HookArg>,
    /// How the answer is written
    #[arg(long, value_parser = FINDINGS.parser(), default_value = "text")]
    format: OutputFormat,
}

/// Who will see the repository.
#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum AudienceArg {
    /// Everybody
    Public,
}

/// Which hook asks.
#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum HookArg {
    Commit,
    Push,
}

impl Check {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        context.recover(false)?;
        let mut result = context.scan(&self.options(&context)?)?;
        if let Some(revision) = &self.new_since {
            let since = SinceCommit::compare(&context.snapshot, revision)?;
            let findings = result.findings.iter_mut();
            findings.for_each(|finding| since.keep_new_places(finding));
            result.leave_out(&|finding| !since.is_new(finding));
        }
        if let Some(hook) = self.hook {
            for_hook(&context, hook, &mut result)?;
        }
        let checked = Checked {
            top: &context.snapshot.top,
            result: &result,
            verbose: args.verbose,
            quiet: args.quiet,
            is_staged: self.staged,
            is_past: self.history || self.audience.is_some(),
            is_for_public: self.audience.is_some(),
            with_ids: self.ids || self.staged || args.verbose,
            with_notes: args.verbose || self.level == Some(Level::Note),
        };
        match self.format {
            OutputFormat::Sarif => output::json(&output::sarif(&result))?,
            format => format.print_list(&checked)?,
        }
        let not_scanned = text::not_scanned(&result);
        if context.for_people {
            not_scanned
                .iter()
                .for_each(|said| redshank_output::eputln!("{said}"));
        }
        context.say_unread(&result.unread);
        if self.strict && !result.is_complete() {
            let mut said = not_scanned;
            match result.unread.len() {
                0 => {}
                1 => said.push("1 path could not be read".to_owned()),
                many => said.push(format!("{many} paths could not be read")),
            }
            bail!(
                "not everything was scanned: {}\n  without --strict, what was scanned decides",
                said.join("; ")
            );
        }
        let stops = match self.hook {
            Some(HookArg::Commit) => stops_at(&context)?,
            Some(HookArg::Push) => Level::Error,
            None => Level::Warning,
        };
        Ok(found(
            result.findings.iter().any(|finding| finding.level <= stops),
        ))
    }

    fn options(&self, context: &Context) -> Result<ScanOptions> {
        let mut paths = Vec::new();
        for path in &self.paths {
            let mut resolved = context.resolve(path)?;
            let on_disk = context.snapshot.root.kind(&resolved);
            if on_disk == Some(FileKind::Folder) {
                resolved = resolved.as_folder();
            } else if on_disk.is_none() && !self.staged {
                bail!(
                    "{} is not there\n  name a file or folder that exists",
                    shown(&resolved)
                );
            }
            paths.push(resolved);
        }
        Ok(ScanOptions {
            staged: self.staged,
            ignored: self.ignored,
            history: self.history || self.audience.is_some(),
            public: self.audience.is_some(),
            paths,
            classes: self.classes.clone(),
            level: self.level,
            ..context.scan_options()
        })
    }
}

/// The level from which on a finding stops a commit.
fn stops_at(context: &Context) -> Result<Level> {
    Ok(match context.snapshot.settings()?.hook.level {
        HookLevel::Error => Level::Error,
        HookLevel::Warning => Level::Warning,
    })
}

/// Leaves what a hook says: what stops it; before the first commit, warnings, too; before a push,
/// nothing that others have already.
fn for_hook(context: &Context, hook: HookArg, result: &mut ScanResult) -> Result<()> {
    let repository = context.snapshot.repository.as_ref();
    let is_first = repository.is_some_and(|repository| !repository.has_commit());
    let level = match hook {
        HookArg::Commit if is_first => Level::Warning,
        HookArg::Commit => stops_at(context)?,
        HookArg::Push => Level::Error,
    };
    result
        .findings
        .retain(|finding| hook == HookArg::Commit || finding.exposure < Exposure::Pushed);
    result.leave_out(&|finding| finding.level > level);
    Ok(())
}

/// What was found.
pub(super) struct Checked<'a> {
    top: &'a Path,
    result: &'a ScanResult,
    verbose: bool,
    /// Only how many there are is reported.
    quiet: bool,
    /// What is staged was looked at.
    is_staged: bool,
    /// The history was looked at.
    is_past: bool,
    /// All that a stranger would get was looked at.
    is_for_public: bool,
    /// Each with its id: anyone who was stopped may have to accept one.
    with_ids: bool,
    /// Notes are shown one by one.
    with_notes: bool,
}

impl Report for Checked<'_> {
    type Document = CheckOut;

    fn text(&self) -> Result<String> {
        let findings = &self.result.findings;
        let mut text = String::new();
        if findings.is_empty() {
            writeln!(text, "{}", nothing_found(self.result, &self.command()))?;
            text += &text_of_accepted(self.result);
            return Ok(text);
        }
        if self.quiet {
            return Ok(format!("{}\n", self.counts()));
        }
        let shown = findings
            .iter()
            .position(|finding| !(self.with_notes || finding.level < Level::Note));
        let findings = &findings[..shown.unwrap_or(findings.len())];
        for group in findings.chunk_by(|a, b| (a.level, a.class()) == (b.level, b.class())) {
            self.text_of_group(group, &mut text)?;
        }
        text += &self.text_of_sums()?;
        Ok(text)
    }

    fn document(&self) -> CheckOut {
        let summary = Summary::from_findings(&self.result.findings);
        CheckOut {
            schema: "redshank.check/1",
            root: root(self.top),
            findings: self.rows().collect(),
            summary: SummaryOut::new(&summary, self.result.accepted),
            unread: self.result.unread.iter().map(Into::into).collect(),
            unopened: self.result.unopened,
            submodules: self
                .result
                .submodules
                .iter()
                .map(|path| PathOut::new(path.as_bstr()))
                .collect(),
            history_cut: self
                .result
                .history_cut
                .iter()
                .map(text::history_cut)
                .collect(),
        }
    }
}

impl Listing for Checked<'_> {
    type Row = FindingOut;

    fn rows(&self) -> impl Iterator<Item = FindingOut> {
        self.result.findings.iter().map(FindingOut::from)
    }
}

/// That there are no findings, as far as was looked for and could be seen; `command` shows the
/// others.
pub fn nothing_found(result: &ScanResult, command: &str) -> String {
    let LeftOut {
        errors,
        warnings,
        notes,
    } = result.left_out;
    let others = text::level_counts(errors, warnings, notes);
    if !others.is_empty() {
        let none = match errors {
            0 => "no errors",
            _ => "nothing of that kind",
        };
        return format!(
            "{}: {}",
            Paint::Warn.on(format!("{none}; {others}")),
            Paint::Type.on(command)
        );
    }
    if result.is_complete() {
        Paint::Good.on("nothing found that shouldn't be committed")
    } else {
        Paint::Warn.on("nothing found in what was scanned")
    }
}

/// How many findings are accepted, if any are.
pub(super) fn text_of_accepted(result: &ScanResult) -> String {
    let accepted = match result.accepted {
        0 => return String::new(),
        1 => "1 finding is accepted in redshank.toml".to_owned(),
        many => format!("{many} findings are accepted in redshank.toml"),
    };
    format!("{}\n", Paint::Quiet.on(accepted))
}

/// Where nobody knows how wide a line may be, in columns.
const NARROW: usize = 100;

/// What is before what is said below a row.
const BELOW: &str = "      ";

impl Checked<'_> {
    /// Findings of one level and class: a line for each, and what fixes those that `tidy` can't.
    fn text_of_group(&self, group: &[Finding], text: &mut String) -> Result<()> {
        let (level, class) = (group[0].level, group[0].class());
        let (level, class) = (level_paint(level).on(level), class_paint(class).on(class));
        let findings = if group.len() == 1 {
            "finding"
        } else {
            "findings"
        };
        let many = Paint::Quiet.on(format!("{} {findings}", count(group.len() as u64)));
        writeln!(text, "{level}  {class}  {many}")?;
        let columns = [Align::Whole, Align::Right, Align::Right, Align::Whole];
        let mut table = Table::new(&columns);
        for finding in group {
            table.row(cells(finding));
        }
        let rows = table.text();
        let rows: Vec<&str> = rows.lines().collect();
        let widest = rows.iter().map(|row| measure_text_width(row)).max();
        let widest = widest.unwrap_or_default() + 2;
        // What is said of one is beside its row where that is wide enough, else below.
        let fits = |finding: &Finding| {
            width().is_none_or(|width| widest + measure_text_width(&what(finding)) <= width)
        };
        for (at, (row, finding)) in rows.iter().zip(group).enumerate() {
            let name = short_place(finding);
            let file = self.top.join(finding.path.to_path_lossy());
            let linked = row.replacen(&name, &link(name.clone(), &file), 1);
            let is_beside = fits(finding);
            let what = what(finding);
            if is_beside {
                let between = " ".repeat(widest - measure_text_width(row));
                writeln!(text, "{linked}{between}{}", Paint::Quiet.on(what))?;
            } else {
                writeln!(text, "{linked}")?;
                let room = width().unwrap_or(NARROW).saturating_sub(BELOW.len());
                for line in textwrap::wrap(&what, room) {
                    writeln!(text, "{BELOW}{}", Paint::Quiet.on(line))?;
                }
            }
            self.text_below(finding, group.get(at + 1), text)?;
        }
        text.push('\n');
        Ok(())
    }

    /// What is said below a finding's line: all that is known of it, and what fixes it. What fixes
    /// several in a row, is said below the last of them.
    fn text_below(
        &self,
        finding: &Finding,
        next: Option<&Finding>,
        text: &mut String,
    ) -> Result<()> {
        if self.with_ids && !self.verbose {
            let id = format!("id {}", finding.id);
            writeln!(text, "{BELOW}{}", Paint::Quiet.on(id))?;
        }
        if self.verbose {
            let (id, message) = (Paint::Quiet.on(&finding.id), text::message(finding));
            writeln!(text, "{BELOW}{id} {}: {message}", finding.rule)?;
            for also in &finding.also {
                let id = if finding.is_gathered {
                    format!("  {}", Paint::Quiet.on(&also.id))
                } else {
                    String::new()
                };
                let in_it = Paint::Quiet.on("also in");
                writeln!(text, "      {in_it} {}{id}", text::place(also))?;
            }
        }
        let fix = text::remedy(finding);
        let is_last = next.is_none_or(|next| text::remedy(next) != fix);
        if matches!(finding.remedy, Remedy::ByHand(_)) && is_last || self.verbose {
            let fix = format!("fix: {fix}");
            let room = width().map_or(usize::MAX, |width| width.saturating_sub(BELOW.len()));
            for (nth, line) in textwrap::wrap(&fix, room).iter().enumerate() {
                match line.strip_prefix("fix:").filter(|_| nth == 0) {
                    Some(rest) => writeln!(text, "{BELOW}{}{rest}", Paint::Good.on("fix:"))?,
                    None => writeln!(text, "{BELOW}{line}")?,
                }
            }
        }
        if self.verbose {
            for line in text::cleanup_lines(finding) {
                writeln!(text, "{BELOW}  {line}")?;
            }
        }
        Ok(())
    }

    /// All findings but notes, for another command that scans.
    pub(super) fn for_others(top: &Path, result: &ScanResult) -> Result<String> {
        let checked = Checked {
            top,
            result,
            verbose: false,
            quiet: false,
            is_staged: false,
            is_past: true,
            is_for_public: false,
            with_ids: false,
            with_notes: false,
        };
        let findings = &result.findings;
        let shown = findings
            .iter()
            .position(|finding| finding.level == Level::Note);
        let findings = &findings[..shown.unwrap_or(findings.len())];
        let mut text = String::new();
        for group in findings.chunk_by(|a, b| (a.level, a.class()) == (b.level, b.class())) {
            checked.text_of_group(group, &mut text)?;
        }
        Ok(text + &format!("{}\n", checked.counts()))
    }

    fn counts(&self) -> String {
        let summary = Summary::from_findings(&self.result.findings);
        let counts = text::level_counts(summary.errors, summary.warnings, summary.notes);
        Paint::Head.on(counts)
    }

    /// The command that shows all of them.
    fn command(&self) -> String {
        let staged = if self.is_staged { " --staged" } else { "" };
        let past = match (self.is_for_public, self.is_past) {
            (true, _) => " --for public",
            (false, true) => " --history",
            (false, false) => "",
        };
        format!("redshank check{staged}{past}")
    }

    fn text_of_sums(&self) -> Result<String> {
        let mut text = format!("{}\n", self.counts());
        let summary = Summary::from_findings(&self.result.findings);
        if summary.notes > 0 && !self.with_notes {
            let command = Paint::Type.on(format!("{} --level note", self.command()));
            writeln!(
                text,
                "{command}  {}",
                Paint::Quiet.on("shows the notes, too")
            )?;
        }
        text += &text_of_accepted(self.result);
        if self.is_for_public {
            text += &self.text_of_decisions();
        }
        if self.with_ids {
            let command = Paint::Type.on("redshank accept ID --because REASON");
            let what_for = Paint::Quiet.on("records that one is OK");
            writeln!(text, "{command}  {what_for}")?;
        }
        let by_tidy = self
            .result
            .findings
            .iter()
            .filter(|finding| !matches!(finding.remedy, Remedy::ByHand(_)))
            .count();
        if by_tidy > 0 {
            let command = Paint::Type.on("redshank tidy");
            let fixes = format!("fixes {by_tidy} of them, and can be undone");
            writeln!(text, "{command}  {}", Paint::Quiet.on(fixes))?;
        }
        Ok(text)
    }
}

impl Checked<'_> {
    /// What is to be decided before everybody sees it, and the way that most take.
    fn text_of_decisions(&self) -> String {
        let mut decisions: BTreeMap<Decision, u64> = BTreeMap::new();
        for finding in &self.result.findings {
            *decisions.entry(Decision::about(finding)).or_default() += 1;
        }
        let mut table = Table::new(&[Align::Right, Align::Left, Align::Whole]);
        for (decision, many) in &decisions {
            table.row([
                count(*many).into(),
                Cell::painted(Paint::Head, decision.word().to_owned()),
                Cell::painted(Paint::Quiet, decision.meaning().to_owned()),
            ]);
        }
        let title = Paint::Head.on("to decide before it is public:");
        let command = Paint::Type.on("redshank rehearse --export FOLDER");
        let what_for =
            Paint::Quiet.on("makes a copy of what is here with one commit, and no history");
        format!("{title}\n{}{command}  {what_for}\n", table.text())
    }
}

fn what(finding: &Finding) -> String {
    let evidence = text::evidence(finding);
    let evidence = evidence.map_or(String::new(), |evidence| format!("{evidence}; "));
    let text = format!("{evidence}{}", text::message(finding));
    shown(text.as_bytes().as_bstr())
}

/// The path and the line behind it, not wider than leaves room for the rest of a row.
fn short_place(finding: &Finding) -> String {
    let most = width().map_or(usize::MAX, |width| width * 2 / 5);
    shortened(&text::place(finding), most)
}

fn cells(finding: &Finding) -> [Cell; 4] {
    let size = finding.size.map_or(String::new(), |size| size.to_string());
    let many = match (finding.path.is_folder(), finding.also.len()) {
        (true, 0) => files(finding.files),
        (false, 0) => String::new(),
        (_, others) => format!("{} places", count(others as u64 + 1)),
    };
    let far = match (finding.exposure, finding.state) {
        (Exposure::Disk, State::Ignored) => "ignored",
        (Exposure::Disk, _) => "on disk",
        (Exposure::Staged, _) => "staged",
        (Exposure::Committed, _) => "committed",
        (Exposure::Pushed, _) => "pushed",
    };
    [
        short_place(finding).into(),
        many.into(),
        size.into(),
        far.to_owned().into(),
    ]
}
