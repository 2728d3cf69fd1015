mod page;

use crate::commands::check::nothing_found;
use anyhow::Result;
use bstr::ByteSlice;
use clap::Args;
use redshank_context::{Context, GlobalArgs, path_values};
use redshank_findings::{
    Cause, ClassSummary, Finding, Level, NextStep, ScanOptions, ScanResult, Summary, scan,
};
use redshank_origin::Origin;
use redshank_output::{Align, Cell, Table, folder_name, width};
use redshank_report::{
    ChoiceOut, DOCUMENT, FolderOut, OriginCountOut, OutputFormat, PathOut, PracticeOut, ProjectOut,
    Report, SummaryOut, SurveyOut, root,
};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_templates::{
    Confidence, Convention, Project, ShownBy, Survey as Recognised, Template, Variant, conventions,
    open_choices,
};
use redshank_text::{self as text, Paint, class_paint, count, files, shortened, shown};
use redshank_worktree::tree::{Entry, State, Tree};
use redshank_worktree::{FileStats, Snapshot, grouped};
use std::fmt::Write;
use std::path::PathBuf;
use std::process::ExitCode;

/// Show what is here, what would be committed, what is wrong and what to do next
#[derive(Args)]
pub struct Survey {
    /// The folder to look at; without it, the one you are in
    #[arg(add = path_values::folders())]
    dir: Option<PathBuf>,
    /// Write the picture as a page of HTML that needs no network and no script; `-` is the standard
    /// output
    #[arg(long, value_name = "FILE.html", conflicts_with = "format", add = path_values::paths())]
    page: Option<PathBuf>,
    /// On that page, what the history holds, too: secrets and files too large
    #[arg(long, requires = "page")]
    history: bool,
    /// How the answer is written
    #[arg(long, value_parser = DOCUMENT.parser(), default_value = "text")]
    format: OutputFormat,
}

/// Where nobody knows how wide a line may be, in columns.
const NARROW: usize = 100;

/// How many rows of a kind are shown before the rest is summed up.
const ROWS: usize = 10;

impl Survey {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = match &self.dir {
            Some(dir) => {
                let folder = args.root.clone().unwrap_or_default().join(dir);
                Context::at(&folder, args, self.format)?
            }
            None => Context::find(args, self.format)?,
        };
        context.recover(false)?;
        let snapshot = &context.snapshot;
        let mut recognised = context.survey()?;
        // Anyone who is in a folder sees the whole; anyone who names one sees that.
        let folder = match self.dir {
            Some(_) => context.prefix.clone(),
            None => RepoPathBuf::default(),
        };
        let options = ScanOptions {
            paths: if folder.is_top() {
                Vec::new()
            } else {
                vec![folder.clone()]
            },
            history: self.history,
            ..context.scan_options()
        };
        let tree = snapshot.tree()?;
        // What is ignored is often most of it, and looked into while the rest is read.
        let (result, all) = rayon::join(
            || scan(snapshot, &recognised, &options),
            || tree.with_ignored(snapshot, &folder),
        );
        let (result, all) = (result?, all?);
        let ignored = FileStats::sum(all.in_state(State::Ignored));
        recognised
            .projects
            .retain(|one| folder.is_top() || one.folder == folder || one.folder.is_within(&folder));
        let conventions = conventions(snapshot, &recognised.projects)?;
        let picture = Picture {
            snapshot,
            tree: snapshot.tree()?,
            folder: &folder,
            ignored,
            quiet: args.quiet,
            verbose: args.verbose,
            next: NextStep::choose(snapshot, &recognised, &result.findings)?,
            summary: Summary::from_findings(&result.findings),
            choices: open_choices(snapshot, &recognised.projects, &conventions)?,
            conventions,
            recognised: &recognised,
            result: &result,
        };
        match &self.page {
            Some(file) => page::write(&context, &picture, &all, file)?,
            None => self.format.print(&picture)?,
        }
        if context.speaks() {
            text::not_scanned(&result)
                .iter()
                .for_each(|said| redshank_output::eputln!("{said}"));
        }
        context.say_unread(&result.unread);
        Ok(ExitCode::SUCCESS)
    }
}

/// The picture of a working tree.
struct Picture<'a> {
    snapshot: &'a Snapshot,
    tree: &'a Tree,
    /// What is looked at: a folder, or the top.
    folder: &'a RepoPath,
    /// What is ignored already.
    ignored: FileStats,
    /// Only what would be committed is reported.
    quiet: bool,
    /// All projects are listed.
    verbose: bool,
    recognised: &'a Recognised<'a>,
    result: &'a ScanResult,
    summary: Summary,
    conventions: Vec<Convention<'a>>,
    /// Variants that nobody chose or follows.
    choices: Vec<(&'a Template, &'a Variant)>,
    next: NextStep,
}

impl Report for Picture<'_> {
    type Document = SurveyOut;

    fn text(&self) -> Result<String> {
        let mut text = String::new();
        let verb = if !self.snapshot.has_commit() {
            "The first commit"
        } else {
            "A commit of everything"
        };
        let (name, standing) = (Paint::Head.on(self.name()), self.standing());
        writeln!(text, "{name}  {}", Paint::Quiet.on(standing))?;
        let all = FileStats::sum(self.to_commit());
        let of_it = if self.folder.is_top() { "" } else { " of it" };
        write!(
            text,
            "{verb} would hold {}{of_it}, {}",
            files(all.files),
            all.size
        )?;
        match self.ignored.files {
            0 => writeln!(text, ".")?,
            many => writeln!(
                text,
                "; {}, {} are ignored.",
                files(many),
                self.ignored.size
            )?,
        }
        if self.quiet {
            return Ok(text);
        }
        self.text_of_origins(&mut text)?;
        self.text_of_folders(&mut text)?;
        self.text_of_projects(&mut text)?;
        self.text_of_practices(&mut text)?;
        self.text_of_findings(&mut text)?;
        let (command, what_for) = text::next_step(self.next);
        let (command, what_for) = (Paint::Type.on(command), Paint::Quiet.on(what_for));
        writeln!(text, "\n{}  {command}  {what_for}", Paint::Head.on("Next"))?;
        Ok(text)
    }

    fn document(&self) -> SurveyOut {
        let folders = self.folders().into_iter();
        SurveyOut {
            schema: "redshank.survey/1",
            root: root(&self.snapshot.top),
            repository: self.snapshot.repository.is_some(),
            has_commit: self.snapshot.has_commit(),
            folder: PathOut::new(self.folder).path,
            to_commit: FileStats::sum(self.to_commit()),
            tracked: self.in_state(State::Tracked),
            candidates: self.in_state(State::Candidate),
            ignored: self.ignored,
            folders: folders
                .map(|(folder, stats)| FolderOut {
                    path: PathOut::new(folder),
                    stats,
                })
                .collect(),
            origins: self.origins().collect(),
            projects: self.recognised.projects.iter().map(project_out).collect(),
            practices: self.conventions.iter().map(practice_out).collect(),
            choices: self.choices.iter().map(choice_out).collect(),
            summary: SummaryOut::new(&self.summary, 0),
            next: text::next_step(self.next).0.to_owned(),
            unread: self.result.unread.iter().map(Into::into).collect(),
        }
    }
}

fn project_out(project: &Project) -> ProjectOut {
    ProjectOut {
        template: project.template.name.clone(),
        title: project.template.title.clone(),
        folder: PathOut::new(&project.folder),
        evidence: project.evidence.to_str_lossy().into_owned(),
        confidence: project.confidence,
    }
}

fn choice_out((template, variant): &(&Template, &Variant)) -> ChoiceOut {
    ChoiceOut {
        template: template.name.clone(),
        variant: variant.name.clone(),
        title: variant.title.clone(),
    }
}

fn variant_name(template: &str, variant: &Variant) -> String {
    format!("{template}/{}", variant.name)
}

fn practice_out(practice: &Convention) -> PracticeOut {
    PracticeOut {
        template: practice.template.to_owned(),
        variant: practice.variant.name.clone(),
        title: practice.variant.title.clone(),
        followed: practice.is_variant,
        shown_by: shown_by(&practice.shown_by),
    }
}

fn shown_by(evidence: &ShownBy) -> String {
    match evidence {
        ShownBy::Tracked(path) => format!("{} is tracked", shown(path)),
        ShownBy::KeptOut(pattern) => {
            let pattern = pattern.trim_start_matches("**/");
            format!("{} is ignored", shown(pattern.as_bytes().as_bstr()))
        }
    }
}

impl Picture<'_> {
    /// What is looked at: the name of the top folder, or of one in it.
    fn name(&self) -> String {
        let top = self.snapshot.top.file_name();
        let name = top.map(|name| name.to_string_lossy().into_owned());
        let name = shown(name.unwrap_or_default().as_bytes().as_bstr());
        if self.folder.is_top() {
            name
        } else {
            format!("{}, in {name}", shown(self.folder))
        }
    }

    fn standing(&self) -> &'static str {
        match (&self.snapshot.repository, self.snapshot.has_commit()) {
            (None, _) => "not a repository yet",
            (Some(_), false) => "no commit yet",
            (Some(_), true) => "",
        }
    }

    fn to_commit(&self) -> impl Iterator<Item = &Entry> {
        let entries = self.tree.below(self.folder);
        entries.filter(|entry| entry.state != State::Ignored)
    }

    fn in_state(&self, state: State) -> FileStats {
        let entries = self.tree.below(self.folder);
        FileStats::sum(entries.filter(|entry| entry.state == state))
    }

    /// The folder right in the one that is looked at; the top for what is right there.
    fn part<'p>(&self, path: &'p RepoPath) -> &'p RepoPath {
        let below = path.below(self.folder);
        below.unwrap_or(RepoPath::top()).top_folder()
    }

    fn folders(&self) -> Vec<(&RepoPath, FileStats)> {
        grouped(self.to_commit(), |entry| self.part(&entry.path))
    }

    /// The name of a part, or a word for what is right there.
    fn name_of(&self, part: &RepoPath) -> String {
        if part.is_top() && !self.folder.is_top() {
            "(right here)".to_owned()
        } else {
            folder_name(part)
        }
    }

    fn text_of_folders(&self, text: &mut String) -> Result<()> {
        let folders = self.folders();
        if folders.is_empty() {
            return Ok(());
        }
        writeln!(text, "\n{}", Paint::Head.on("By folder"))?;
        let columns = [Align::Right, Align::Right, Align::Whole, Align::Left];
        let mut table = Table::new(&columns);
        for (folder, stats) in folders.iter().take(ROWS) {
            table.row([
                files(stats.files).into(),
                stats.size.to_string().into(),
                self.name_of(folder).into(),
                Cell::painted(Paint::Quiet, self.of_which(folder)),
            ]);
        }
        text.push_str(&table.text());
        if folders.len() > ROWS {
            let rest: FileStats = folders[ROWS..].iter().map(|(_, stats)| *stats).sum();
            let more = count((folders.len() - ROWS) as u64);
            writeln!(text, "  and {more} more folders with {}", files(rest.files))?;
        }
        Ok(())
    }

    fn origins(&self) -> impl Iterator<Item = OriginCountOut> {
        let origins = self.result.origins.iter();
        origins.map(|(&origin, &files)| OriginCountOut { origin, files })
    }

    /// Where the files come from, unless somebody wrote all of them.
    fn text_of_origins(&self, text: &mut String) -> Result<()> {
        if self.origins().all(|one| one.origin == Origin::Authored) {
            return Ok(());
        }
        let parts: Vec<String> = self
            .origins()
            .map(|one| format!("{} {}", count(one.files), one.origin))
            .collect();
        let mut said = format!("By origin: {}", parts.join(", "));
        if self.result.origins.contains_key(&Origin::Unknown) {
            said += " (`redshank files --origin=unknown` lists them)";
        }
        for line in textwrap::wrap(&said, width().unwrap_or(NARROW)) {
            writeln!(text, "{line}")?;
        }
        Ok(())
    }

    /// How many of a top folder's files findings stand for, by class.
    fn of_which(&self, folder: &RepoPath) -> String {
        let places = self.serious().flat_map(Finding::places);
        let within = places.filter(|finding| {
            finding.state != State::Ignored && self.part(&finding.path) == folder
        });
        let parts: Vec<String> = Summary::from_findings(within)
            .classes
            .iter()
            .map(|class| format!("{} {}", count(class.stats.files), class.class))
            .collect();
        parts.join(", ")
    }

    fn text_of_projects(&self, text: &mut String) -> Result<()> {
        let projects = &self.recognised.projects;
        if projects.is_empty() {
            return Ok(());
        }
        writeln!(text, "\n{}", Paint::Head.on("Projects"))?;
        let is_trace = |project: &&Project| project.template.group.everywhere();
        let mut table = Table::new(&[Align::Whole, Align::Left, Align::Left]);
        let most = if self.verbose { usize::MAX } else { 2 * ROWS };
        for project in projects.iter().filter(|one| !is_trace(one)).take(most) {
            let surely = match project.confidence {
                Confidence::Likely => "probably, ",
                Confidence::Sure => "",
            };
            let by = format!("{surely}by {}", shown(project.evidence.as_bstr()));
            table.row([
                project.template.name.clone().into(),
                folder_name(&project.folder).into(),
                Cell::painted(Paint::Quiet, by),
            ]);
        }
        text.push_str(&table.text());
        let more = projects
            .iter()
            .filter(|one| !is_trace(one))
            .count()
            .saturating_sub(2 * ROWS);
        if more > 0 && !self.verbose {
            let all = Paint::Type.on("redshank survey -v");
            writeln!(text, "  and {} more: {all}", count(more as u64))?;
        }
        let traces = projects.iter().filter(is_trace);
        let traces: Vec<&str> = traces.map(|one| one.template.name.as_str()).collect();
        if !traces.is_empty() {
            let and = Paint::Quiet.on("and traces of");
            writeln!(text, "  {and} {}", traces.join(", "))?;
        }
        Ok(())
    }

    fn text_of_practices(&self, text: &mut String) -> Result<()> {
        if !self.verbose && !self.choices.is_empty() {
            let mut names: Vec<&str> = self
                .choices
                .iter()
                .map(|(template, _)| template.name.as_str())
                .collect();
            names.dedup();
            let choices = Paint::Quiet.on("choices for");
            let in_words = Paint::Quiet.on("in words: redshank survey -v");
            writeln!(text, "  {choices} {}  {in_words}", names.join(", "))?;
        }
        let choices = if self.verbose { &self.choices[..] } else { &[] };
        if self.conventions.is_empty() && choices.is_empty() {
            return Ok(());
        }
        writeln!(text, "\n{}", Paint::Head.on("Practices"))?;
        let mut table = Table::new(&[Align::Whole, Align::Left, Align::Left]);
        for practice in &self.conventions {
            let followed = if practice.is_variant {
                "followed"
            } else {
                "not followed"
            };
            let shown_by = shown_by(&practice.shown_by);
            table.row([
                variant_name(practice.template, practice.variant).into(),
                followed.to_owned().into(),
                Cell::painted(
                    Paint::Quiet,
                    format!("{}: {shown_by}", practice.variant.title),
                ),
            ]);
        }
        for (template, variant) in choices {
            table.row([
                variant_name(&template.name, variant).into(),
                "your choice".to_owned().into(),
                Cell::painted(Paint::Quiet, variant.title.clone()),
            ]);
        }
        text.push_str(&table.text());
        let draft = Paint::Type.on("redshank draft --variant NAME");
        writeln!(
            text,
            "  {draft} writes the rules for one; without it, those of the template"
        )?;
        Ok(())
    }

    /// What is more than a note.
    fn serious(&self) -> impl Iterator<Item = &Finding> {
        let findings = self.result.findings.iter();
        findings.filter(|finding| finding.level < Level::Note)
    }

    fn text_of_findings(&self, text: &mut String) -> Result<()> {
        if self.result.findings.is_empty() {
            writeln!(text, "\n{}", nothing_found(self.result, "redshank check"))?;
            return Ok(());
        }
        writeln!(text, "\n{}", Paint::Head.on("Findings"))?;
        let summary = Summary::from_findings(self.serious());
        let columns = [
            Align::Whole,
            Align::Right,
            Align::Right,
            Align::Right,
            Align::Left,
        ];
        let mut table = Table::new(&columns);
        for class in &summary.classes {
            table.row([
                Cell::painted(class_paint(class.class), class.class),
                count(class.findings as u64).into(),
                files(class.stats.files).into(),
                class.stats.size.to_string().into(),
                Cell::painted(Paint::Quiet, self.biggest(class)),
            ]);
        }
        text.push_str(&table.text());
        if self.summary.notes > 0 {
            let notes = match self.summary.notes {
                1 => "1 note".to_owned(),
                many => format!("{} notes", count(many as u64)),
            };
            let command = Paint::Type.on("redshank check --level note");
            writeln!(text, "  {}: {command}", Paint::Quiet.on(notes))?;
        }
        let findings = self.result.findings.iter();
        let hidden = findings.filter(|one| one.cause == Cause::HiddenChanges);
        let hidden = hidden.count() as u64;
        if hidden > 0 {
            let list = Paint::Type.on("redshank mute --list");
            writeln!(
                text,
                "  git sees no changes to {} here: {list}",
                files(hidden)
            )?;
        }
        Ok(())
    }

    /// The biggest finding of a class, and how many others there are.
    fn biggest(&self, class: &ClassSummary) -> String {
        let findings = self
            .serious()
            .filter(|finding| finding.class() == class.class);
        let biggest = findings.max_by_key(|finding| finding.size);
        let path = biggest.map_or(String::new(), |finding| {
            shortened(&shown(&finding.path), 40)
        });
        match class.findings {
            1 => path,
            many => format!("{path} and {} more", many - 1),
        }
    }
}
