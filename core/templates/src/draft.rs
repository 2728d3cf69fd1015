//! Composing the rules that a working tree should have.

use super::refresh::{is_taken_out, refreshed};
use super::{Collection, KnownPlace, Project, Survey, Template, TemplateRule, swallowed};
use crate::{Error, Result};
use bstr::{BStr, BString, ByteSlice};
use redshank_files::FileKind;
use redshank_pattern::{exactly, fit};
use redshank_worktree::ignore_file::{
    Block, NewRule, Section, blocks, lines_of, with_block, with_section,
};
use redshank_worktree::rules::{Chain, IGNORE_FILE};
use redshank_worktree::settings::Layout;
use redshank_worktree::{Overlay, RepoPath, RepoPathBuf, Snapshot};
use std::collections::BTreeMap;

/// A template that somebody asked for, by name, perhaps for one folder.
pub struct TemplateRequest<'a> {
    /// Which.
    pub template: &'a Template,
    /// Where. `None`: wherever it was recognised, else at the top.
    pub folder: Option<RepoPathBuf>,
}

/// How to draft.
#[derive(Debug, Clone, Copy, Default)]
pub struct DraftOptions {
    /// Where the rules go.
    pub layout: Layout,
    /// Blocks that are there are brought up to date.
    pub refresh: bool,
    /// The person's own lines that a template has, too, move into its block.
    pub take_over: bool,
}

/// An ignore file, as it is and as it would be.
#[derive(Default)]
pub struct Edited {
    /// As it is.
    pub before: Vec<u8>,
    /// As it would be.
    pub after: Vec<u8>,
}

/// What is to be written, and where.
#[derive(Default)]
pub struct Draft {
    /// By folder.
    pub files: BTreeMap<RepoPathBuf, Edited>,
    /// The rules that come in.
    pub added: Vec<BString>,
    /// The rules that go because their template no longer has them.
    pub retired: Vec<BString>,
    /// How many of the templates' rules are left out because something covers them already.
    pub covered: usize,
    /// How many of the person's own lines a template has, too.
    pub repeated: usize,
    /// The labels of blocks that are there and not up to date, where nobody asked to refresh them.
    pub stale: Vec<BString>,
    /// What a person must decide.
    pub conflicts: Vec<Conflict>,
}

/// A template's rule was changed by the person here and by the template, too.
pub struct Conflict {
    /// The block.
    pub label: BString,
    /// The rule as it was.
    pub was: BString,
    /// The template's rule now, which is not written.
    pub now: BString,
}

impl Draft {
    /// Composes rules for what was recognised, or only for the requests if there are any. Rules are
    /// fitted to where each project is; what is there already, or covered, is not repeated; a
    /// needed file that a rule would swallow gets an exception.
    ///
    /// # Errors
    /// If the ignore files can't be read.
    pub fn compose<'a>(
        snapshot: &Snapshot,
        survey: &Survey<'a>,
        requests: &[TemplateRequest<'a>],
        options: DraftOptions,
    ) -> Result<Self> {
        let mut composer = Composer {
            snapshot,
            options,
            draft: Self::default(),
        };
        for project in wanted(survey, requests) {
            composer.add_project(&project)?;
        }
        if requests.is_empty() {
            for known in &survey.known {
                composer.add_known_place(known)?;
            }
        }
        composer.let_in_needed(&survey.projects)?;
        let mut draft = composer.draft;
        draft.files.retain(|_, file| file.before != file.after);
        Ok(draft)
    }

    /// The ignore files as drafted so far.
    pub fn overlay(&self) -> Overlay {
        let changed = self
            .files
            .iter()
            .filter(|(_, file)| file.before != file.after);
        let held = changed.map(|(folder, file)| (folder.join(IGNORE_FILE), file));
        held.map(|(path, file)| (path.into(), file.after.clone()))
            .collect()
    }
}

/// A draft that is being composed.
struct Composer<'s> {
    snapshot: &'s Snapshot,
    options: DraftOptions,
    draft: Draft,
}

/// Where a project's rules stand, or are to stand, and how they read there.
struct Home<'p, 'a> {
    project: &'p Project<'a>,
    /// The folder of the ignore file.
    file: RepoPathBuf,
    /// The folder that the rules are for, from there.
    below: RepoPathBuf,
}

impl<'p, 'a> Home<'p, 'a> {
    fn new(project: &'p Project<'a>, layout: Layout) -> Self {
        let folder = project.rules_folder();
        let (file, below) = match layout {
            Layout::Top => (RepoPathBuf::default(), folder),
            Layout::Folders => (folder, RepoPathBuf::default()),
        };
        Self {
            project,
            file,
            below,
        }
    }

    fn label(&self) -> String {
        Section::label_of(&self.project.template.name, &self.below)
    }

    /// A pattern of the template, as it reads in the file.
    fn fitted(&self, pattern: &str) -> BString {
        fit(pattern, &self.below)
    }

    fn new_rule(&self, rule: &TemplateRule) -> NewRule {
        NewRule {
            pattern: self.fitted(&rule.pattern),
            reason: rule.reason.clone(),
            remake: rule.remake.clone(),
        }
    }
}

impl Composer<'_> {
    fn add_project(&mut self, project: &Project) -> Result<()> {
        for layout in [Layout::Top, Layout::Folders] {
            let home = Home::new(project, layout);
            let label = home.label();
            let blocks = blocks(&self.file(&home.file)?.before);
            let known = blocks
                .into_iter()
                .find(|block| block.label == label.as_str());
            if let Some(block) = known {
                return match self.options.refresh {
                    true => self.renew(&home, block),
                    false => {
                        self.note_stale(&home, block);
                        Ok(())
                    }
                };
            }
        }
        self.write_anew(&Home::new(project, self.options.layout))
    }

    /// Writes the block of a project that has none yet.
    fn write_anew(&mut self, home: &Home) -> Result<()> {
        self.find_repeated(home)?;
        let rules = self.uncovered(home.project, |_| false)?;
        if rules.iter().any(|rule| !rule.pattern.starts_with('!')) {
            let rules = rules.into_iter().map(|rule| home.new_rule(rule));
            let section = Section::new(home.label(), rules);
            self.push(&home.file, &section, Some(home.project.template.revision))?;
        }
        Ok(())
    }

    /// The template's rules that must be written: those that nothing covers, and those that are
    /// `here` already.
    fn uncovered<'t>(
        &mut self,
        project: &Project<'t>,
        here: impl Fn(&TemplateRule) -> bool,
    ) -> Result<Vec<&'t TemplateRule>> {
        let folder = project.rules_folder();
        let chain = self.snapshot.shared_rules(&folder, &self.draft.overlay())?;
        let all = &project.template.rule;
        let is_open = |rule: &&TemplateRule| here(rule) || !covers(&chain, &folder, rule);
        let rules: Vec<_> = all.iter().filter(is_open).collect();
        self.draft.covered += all.len() - rules.len();
        Ok(rules)
    }

    fn note_stale(&mut self, home: &Home, block: Block) {
        if block.revision != home.project.template.revision {
            self.draft.stale.push(block.label);
        }
    }

    /// Brings a block up to date.
    fn renew(&mut self, home: &Home, block: Block) -> Result<()> {
        let rules = self.current(home, &block)?;
        // A comment that the person took out stays out, too.
        let mut lines = Section::new(String::new(), rules).lines;
        lines.retain(|line| !is_taken_out(&block, line));
        let renewed = refreshed(&block, &lines, home.project.template.revision);
        if renewed.block == block {
            return Ok(());
        }
        let edited = self.file(&home.file)?;
        // Other blocks may have moved it.
        let mut blocks = blocks(&edited.after).into_iter();
        let moved = blocks.find(|known| known.label == block.label);
        let place = moved.map_or(block.place, |moved| moved.place);
        let block = Block {
            place,
            ..renewed.block
        };
        edited.after = with_block(&edited.after, &block);
        let is_rule = |line: &BString| !line.starts_with(b"#") && !line.is_empty();
        let draft = &mut self.draft;
        draft
            .added
            .extend(renewed.added.into_iter().filter(is_rule));
        draft
            .retired
            .extend(renewed.retired.into_iter().filter(is_rule));
        Ok(())
    }

    /// The template's rules as they are to stand in a block that is there: without those that the
    /// person took out of it, or has elsewhere in the file. A rule whose forerunner the person
    /// changed is a conflict.
    fn current(&mut self, home: &Home, block: &Block) -> Result<Vec<NewRule>> {
        let is_here = |rule: &TemplateRule| block.lines.contains(&home.fitted(&rule.pattern));
        let rules = self.uncovered(home.project, is_here)?;
        let before = self.file(&home.file)?.before.clone();
        let is_elsewhere = |pattern: &BString| {
            let mut outside = lines_outside(&before, block);
            outside.any(|line| line == pattern.as_bstr())
        };
        let mut current = Vec::new();
        for rule in rules {
            let new = home.new_rule(rule);
            let is_there = block.lines.contains(&new.pattern);
            if !is_there && (is_taken_out(block, &new.pattern) || is_elsewhere(&new.pattern)) {
                continue;
            }
            let was = rule.replaces.as_ref().map(|was| home.fitted(was));
            match was.filter(|was| !is_there && is_taken_out(block, was)) {
                Some(was) => self.draft.conflicts.push(Conflict {
                    label: block.label.clone(),
                    was,
                    now: new.pattern,
                }),
                None => current.push(new),
            }
        }
        Ok(current)
    }

    /// Counts the person's own lines that a template has, too; takes them out if they are to be
    /// taken over.
    fn find_repeated(&mut self, home: &Home) -> Result<()> {
        let rules = home.project.template.rule.iter();
        let patterns: Vec<BString> = rules.map(|rule| home.fitted(&rule.pattern)).collect();
        let take_over = self.options.take_over;
        let edited = self.file(&home.file)?;
        let own = blocks(&edited.after);
        let is_repeated = |number: u32, text: &BStr| {
            let in_block = own.iter().any(|block| is_in(block, number));
            !in_block && patterns.iter().any(|pattern| text == pattern.as_bstr())
        };
        let (repeated, kept): (Vec<_>, Vec<_>) =
            lines_of(&edited.after).partition(|line| is_repeated(line.number, line.text));
        let many = repeated.len();
        if take_over {
            let kept: Vec<&[u8]> = kept.iter().map(|line| line.whole).collect();
            edited.after = kept.concat();
        }
        self.draft.repeated += many;
        Ok(())
    }

    /// A rule for a folder known by what lies in it, or for what the project's own settings name.
    fn add_known_place(&mut self, known: &KnownPlace) -> Result<()> {
        let probe = match known.path.is_folder() {
            true => known.path.join("x"),
            false => known.path.clone(),
        };
        let overlay = self.draft.overlay();
        let rules = self.snapshot.shared_rules(probe.folder(), &overlay)?;
        if rules.shuts(&probe, false).is_some() {
            return Ok(());
        }
        let rule = NewRule {
            pattern: exactly(&known.path),
            reason: known.reason.to_owned(),
            remake: known.remake.map(str::to_owned),
        };
        let section = Section::new(format!("{} places", known.template), [rule]);
        self.push(RepoPath::top(), &section, None)
    }

    /// Exceptions for needed files that the rules would keep out.
    fn let_in_needed(&mut self, projects: &[Project]) -> Result<()> {
        let tree = self.snapshot.tree()?;
        for file in swallowed(self.snapshot, tree, projects, self.draft.overlay())? {
            let (folder, exception) = file.placed();
            let after = &self.file(&folder)?.after;
            let is_known = lines_of(after).any(|line| line.text == exception.pattern);
            // A file in a folder that is shut can't be let in by a rule of its own.
            if file.shut.is_none() && !is_known {
                let section = Section::new("needed".into(), [exception]);
                self.push(&folder, &section, None)?;
            }
        }
        Ok(())
    }

    fn push(&mut self, file: &RepoPath, section: &Section, revision: Option<u32>) -> Result<()> {
        let edited = self.file(file)?;
        edited.after = with_section(&edited.after, section, revision);
        let rules = section.lines.iter().filter(|line| !line.starts_with(b"#"));
        self.draft.added.extend(rules.cloned());
        Ok(())
    }

    /// The ignore file of a folder, as it is and as it is drafted so far.
    fn file(&mut self, folder: &RepoPath) -> Result<&mut Edited> {
        if !self.draft.files.contains_key(folder) {
            let held = self.snapshot.ignore_file(folder)?;
            let before = held.map_or_else(Vec::new, |file| file.contents.clone());
            let edited = Edited {
                after: before.clone(),
                before,
            };
            self.draft.files.insert(folder.to_owned(), edited);
        }
        Ok(self.draft.files.entry(folder.to_owned()).or_default())
    }
}

/// Whether a line, by its number from 1, belongs to a block.
fn is_in(block: &Block, number: u32) -> bool {
    block.place.contains(&(number as usize - 1))
}

/// The patterns of the lines that don't belong to a block.
fn lines_outside<'t>(text: &'t [u8], block: &Block) -> impl Iterator<Item = &'t BStr> {
    let lines = lines_of(text).filter(|line| !is_in(block, line.number));
    lines.map(|line| line.text)
}

/// Whether the rules that everyone has keep out all that a rule is for.
fn covers(chain: &Chain, folder: &RepoPath, rule: &TemplateRule) -> bool {
    let is_shut = |example: &String| chain.shuts(&folder.join(example), false).is_some();
    !rule.ignored.is_empty() && rule.ignored.iter().all(is_shut)
}

fn wanted<'a>(survey: &Survey<'a>, requests: &[TemplateRequest<'a>]) -> Vec<Project<'a>> {
    if requests.is_empty() {
        // What belongs to a project first; litter of editors and systems after it.
        let mut projects = survey.projects.clone();
        projects.sort_by_key(|project| project.template.group.everywhere());
        return projects;
    }
    let mut wanted = Vec::new();
    for TemplateRequest { template, folder } in requests {
        if let Some(folder) = folder {
            wanted.push(Project::asked_for(template, folder.clone()));
            continue;
        }
        let before = wanted.len();
        let found = survey.projects.iter();
        wanted.extend(
            found
                .filter(|one| one.template.name == template.name)
                .cloned(),
        );
        if wanted.len() == before {
            wanted.push(Project::asked_for(template, RepoPathBuf::default()));
        }
    }
    wanted
}

impl<'a> TemplateRequest<'a> {
    /// Requests for a template by name and those that come along with it, perhaps for one folder.
    ///
    /// # Errors
    /// If there is no such template or folder.
    pub fn of(
        snapshot: &Snapshot,
        collection: &'a Collection,
        name: &str,
        folder: Option<&RepoPath>,
    ) -> Result<Vec<Self>> {
        let templates = collection.with(collection.find(name)?)?;
        let is_there = |folder: &RepoPath| {
            folder.is_top() || snapshot.root.kind(folder.bare()) == Some(FileKind::Folder)
        };
        if let Some(missing) = folder.filter(|folder| !is_there(folder)) {
            return Err(Error::NoFolder {
                folder: missing.bare().to_owned(),
                top: snapshot.top.clone(),
            });
        }
        let folder = folder.map(RepoPath::as_folder);
        let request = |template| Self {
            template,
            folder: folder.clone(),
        };
        Ok(templates.into_iter().map(request).collect())
    }
}
