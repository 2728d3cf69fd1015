use crate::cli::{Everywhere, Format};
use crate::context::Context;
use crate::put;
use crate::render::{self, Align, Cell, Paint, Table, class_paint, count, files, shortened, shown};
use crate::report::{FolderOut, PathOut, ProjectOut, SummaryOut, SurveyOut, root};
use anyhow::Result;
use bstr::{BStr, ByteSlice};
use clap::Args;
use redshank_core::effect::{Amount, grouped, top_folder};
use redshank_core::findings::{self, Finding, Found, Level};
use redshank_core::templates::{self, recognise};
use redshank_core::tree::{Scope, State, Tree};
use std::fmt::Write;
use std::path::PathBuf;
use std::process::ExitCode;

/// What is here, what would be committed, what worries, and what to do next
#[derive(Args)]
pub struct Survey {
    /// The folder to look at; without it, the one you are in
    dir: Option<PathBuf>,
}

/// How many rows of a kind are shown before the rest is summed up.
const ROWS: usize = 10;

impl Survey {
    pub fn run(&self, asked: &Everywhere) -> Result<ExitCode> {
        let context = match &self.dir {
            Some(dir) => Context::at(&asked.root.clone().unwrap_or_default().join(dir), asked)?,
            None => Context::find(asked)?,
        };
        context.recover(false)?;
        let place = &context.place;
        let tree = Tree::walk(place, &Scope::default())?;
        let collection = context.collection()?;
        let survey = recognise(place, &tree, &collection);
        let found = findings::find(place, &tree, &survey, &context.settings()?)?;
        let seen = Seen {
            context: &context,
            tree: &tree,
            survey: &survey,
            found: &found,
        };
        if asked.format == Format::Text {
            put!("{}", seen.text()?)?;
        } else {
            render::json(&seen.json())?;
        }
        context.say_unread(&found.unread);
        Ok(super::found(false))
    }
}

/// That there are no findings, as far as could be seen.
pub fn nothing_found(found: &Found) -> String {
    if found.unread.is_empty() {
        Paint::Good.on("nothing found that should not be tracked")
    } else {
        Paint::Warn.on("nothing found in what could be read")
    }
}

struct Seen<'a> {
    context: &'a Context<'a>,
    tree: &'a Tree,
    survey: &'a templates::Survey<'a>,
    found: &'a Found,
}

impl Seen<'_> {
    fn folders(&self) -> Vec<(&BStr, Amount)> {
        grouped(self.tree.to_commit(), |entry| {
            top_folder(entry.path.as_bstr())
        })
    }

    fn has_commit(&self) -> bool {
        self.context
            .place
            .repository
            .as_ref()
            .is_some_and(|repository| repository.has_commit())
    }

    /// The next sensible command, and what it is for.
    fn next(&self) -> (&'static str, &'static str) {
        let has_block = |project: &templates::Project| {
            let label = redshank_core::ignore_file::Section::label_of(
                &project.template.name,
                project.rules_folder().as_bstr(),
            );
            let top = self
                .context
                .place
                .ignore_file(b"".into())
                .ok()
                .flatten()
                .unwrap_or_default();
            redshank_core::ignore_file::labels(&top)
                .iter()
                .any(|known| *known == label)
        };
        let serious = self
            .found
            .findings
            .iter()
            .any(|finding| finding.level < Level::Note);
        let in_rules = |f: &Finding| {
            matches!(
                f.class,
                findings::Class::Generated | findings::Class::Personal
            )
        };
        if self.context.place.repository.is_none() {
            ("git init", "make it a repository; nothing is added by that")
        } else if self.found.findings.iter().any(in_rules)
            && !self.survey.projects.iter().any(has_block)
        {
            (
                "redshank draft",
                "see rules that fit these projects, then write them with --write",
            )
        } else if serious {
            (
                "redshank check",
                "see each finding, then `redshank tidy` for what mends it",
            )
        } else if self.tree.in_state(State::Candidate).next().is_some() {
            ("git add --all", "what is left looks like work")
        } else {
            ("git status", "nothing to do here")
        }
    }

    fn json(&self) -> SurveyOut {
        SurveyOut {
            schema: "redshank.survey/1",
            root: root(&self.context.place.top),
            repository: self.context.place.repository.is_some(),
            has_commit: self.has_commit(),
            to_commit: Amount::of(self.tree.to_commit()),
            tracked: Amount::of(self.tree.in_state(State::Tracked)),
            candidates: Amount::of(self.tree.in_state(State::Candidate)),
            folders: self
                .folders()
                .into_iter()
                .map(|(folder, amount)| FolderOut {
                    path: PathOut::of(folder),
                    amount,
                })
                .collect(),
            projects: self
                .survey
                .projects
                .iter()
                .map(|project| ProjectOut {
                    template: project.template.name.clone(),
                    title: project.template.title.clone(),
                    folder: PathOut::of(project.folder.as_bstr()),
                    evidence: project.evidence.to_str_lossy().into_owned(),
                    confidence: project.confidence,
                })
                .collect(),
            summary: SummaryOut::of(&self.found.findings),
            next: self.next().0.to_owned(),
            unread: self.found.unread.iter().map(Into::into).collect(),
        }
    }

    fn text(&self) -> Result<String> {
        let mut text = String::new();
        let place = &self.context.place;
        let name = place
            .top
            .file_name()
            .map(|name| name.to_string_lossy().into_owned())
            .unwrap_or_default();
        let standing = match (place.repository.is_some(), self.has_commit()) {
            (false, _) => "not a repository yet",
            (true, false) => "no commit yet",
            (true, true) => "",
        };
        let all = Amount::of(self.tree.to_commit());
        let verb = if self.has_commit() {
            "A commit of everything"
        } else {
            "The first commit"
        };
        writeln!(
            text,
            "{}  {}",
            Paint::Head.on(shown(name.as_bytes().as_bstr())),
            Paint::Quiet.on(standing)
        )?;
        writeln!(
            text,
            "{verb} would hold {}, {}.",
            files(all.files),
            all.size
        )?;
        self.text_of_folders(&mut text)?;
        self.text_of_projects(&mut text)?;
        self.text_of_findings(&mut text)?;
        let (command, what_for) = self.next();
        writeln!(
            text,
            "\n{}  {}  {}",
            Paint::Head.on("Next"),
            Paint::Type.on(command),
            Paint::Quiet.on(what_for)
        )?;
        Ok(text)
    }

    fn text_of_folders(&self, text: &mut String) -> Result<()> {
        let folders = self.folders();
        if folders.is_empty() {
            return Ok(());
        }
        writeln!(text, "\n{}", Paint::Head.on("By folder"))?;
        let mut table = Table::new(&[Align::Right, Align::Right, Align::Whole, Align::Left]);
        for (folder, amount) in folders.iter().take(ROWS) {
            table.row([
                files(amount.files).into(),
                amount.size.to_string().into(),
                render::folder_name(folder).into(),
                Cell::painted(Paint::Quiet, self.of_which(folder)),
            ]);
        }
        text.push_str(&table.text());
        if folders.len() > ROWS {
            let rest: u64 = folders[ROWS..].iter().map(|(_, amount)| amount.files).sum();
            writeln!(
                text,
                "  and {} more folders with {}",
                count((folders.len() - ROWS) as u64),
                files(rest)
            )?;
        }
        Ok(())
    }

    /// How many of a top folder's files findings stand for, by class.
    fn of_which(&self, folder: &BStr) -> String {
        let within: Vec<Finding> = self
            .found
            .findings
            .iter()
            .filter(|finding| {
                finding.state != State::Ignored && top_folder(finding.path.as_bstr()) == folder
            })
            .cloned()
            .collect();
        let classes = SummaryOut::of(&within).classes;
        let parts: Vec<String> = classes
            .iter()
            .map(|class| format!("{} {}", count(class.files), class.class))
            .collect();
        parts.join(", ")
    }

    fn text_of_projects(&self, text: &mut String) -> Result<()> {
        let projects = &self.survey.projects;
        if projects.is_empty() {
            return Ok(());
        }
        writeln!(text, "\n{}", Paint::Head.on("Projects"))?;
        let mut table = Table::new(&[Align::Whole, Align::Left, Align::Left]);
        for project in projects
            .iter()
            .filter(|project| !project.template.group.everywhere())
            .take(2 * ROWS)
        {
            let surely = if project.confidence == templates::Confidence::Likely {
                "probably, "
            } else {
                ""
            };
            let by = format!("{surely}by {}", shown(project.evidence.as_bstr()));
            table.row([
                project.template.name.clone().into(),
                render::folder_name(project.folder.as_bstr()).into(),
                Cell::painted(Paint::Quiet, by),
            ]);
        }
        text.push_str(&table.text());
        let traces: Vec<&str> = projects
            .iter()
            .filter(|project| project.template.group.everywhere())
            .map(|project| project.template.name.as_str())
            .collect();
        if !traces.is_empty() {
            writeln!(
                text,
                "  {} {}",
                Paint::Quiet.on("and traces of"),
                traces.join(", ")
            )?;
        }
        Ok(())
    }

    fn text_of_findings(&self, text: &mut String) -> Result<()> {
        let summary = SummaryOut::of(&self.found.findings);
        if summary.classes.is_empty() {
            writeln!(text, "\n{}", nothing_found(self.found))?;
            return Ok(());
        }
        writeln!(text, "\n{}", Paint::Head.on("Findings"))?;
        let mut table = Table::new(&[
            Align::Whole,
            Align::Right,
            Align::Right,
            Align::Right,
            Align::Left,
        ]);
        for class in &summary.classes {
            let first = self
                .found
                .findings
                .iter()
                .filter(|finding| finding.class == class.class);
            let first = first
                .max_by_key(|finding| finding.size)
                .map_or(String::new(), |finding| {
                    let path = shortened(&shown(finding.path.as_bstr()), 40);
                    if class.findings > 1 {
                        format!("{path} and {} more", class.findings - 1)
                    } else {
                        path
                    }
                });
            table.row([
                Cell::painted(class_paint(class.class), class.class),
                count(class.findings as u64).into(),
                files(class.files).into(),
                class.size.to_string().into(),
                Cell::painted(Paint::Quiet, first),
            ]);
        }
        text.push_str(&table.text());
        let hidden = self
            .found
            .findings
            .iter()
            .filter(|finding| finding.rule == "personal/hidden-changes")
            .count();
        if hidden > 0 {
            let list = Paint::Type.on("redshank mute --list");
            writeln!(
                text,
                "  git sees no changes to {} here: {list}",
                files(hidden as u64)
            )?;
        }
        Ok(())
    }
}
