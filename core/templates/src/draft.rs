//! Composing the rules that a working tree should have.

use super::refresh::{is_taken_out, refreshed};
use super::{Collection, KnownPlace, Project, Survey, Template, TemplateRule, swallowed};
use crate::drafted_file::{DraftedFile, Edited};
use crate::{Error, Result};
use bstr::{BString, ByteSlice};
use redshank_files::FileKind;
use redshank_pattern::{exactly, fit};
use redshank_stage::Stage;
use redshank_worktree::ignore_file::{Block, NewRule, Section, blocks, lines_of, with_block};
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
            files: BTreeMap::new(),
            draft: Self::default(),
        };
        let stage = Stage::Draft.begin();
        for project in wanted(survey, requests) {
            composer.add_project(&project)?;
        }
        if requests.is_empty() {
            for known in &survey.known {
                composer.add_known_place(known)?;
            }
        }
        composer.let_in_needed(&survey.projects)?;
        let draft = composer.finished();
        stage.seen(draft.added.len() as u64, 0);
        Ok(draft)
    }

    /// The ignore files as drafted.
    pub fn overlay(&self) -> Overlay {
        overlay(self.files.iter())
    }
}

fn overlay<'f>(files: impl Iterator<Item = (&'f RepoPathBuf, &'f Edited)>) -> Overlay {
    let changed = files.filter(|(_, file)| file.before != file.after);
    let held = changed.map(|(folder, file)| (folder.join(IGNORE_FILE), file));
    held.map(|(path, file)| (path.into(), file.after.clone()))
        .collect()
}

/// A draft that is being composed.
struct Composer<'s> {
    snapshot: &'s Snapshot,
    options: DraftOptions,
    files: BTreeMap<RepoPathBuf, DraftedFile>,
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
            let known = self.file(&home.file)?.block(&home.label()).cloned();
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
            let revision = Some(home.project.template.revision);
            let place = home.project.rules_folder();
            self.push(&home.file, &section, revision, &place)?;
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
        let chain = self.rules_at(&folder)?;
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
        let mut blocks = blocks(&edited.text.after).into_iter();
        let moved = blocks.find(|known| known.label == block.label);
        let place = moved.map_or(block.place, |moved| moved.place);
        let block = Block {
            place,
            ..renewed.block
        };
        edited.replace(with_block(&edited.text.after, &block));
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
        let mut current = Vec::new();
        for rule in rules {
            let new = home.new_rule(rule);
            let is_there = block.lines.contains(&new.pattern);
            let file = self.file(&home.file)?;
            let is_elsewhere = || file.stands_outside(block, &new.pattern);
            if !is_there && (is_taken_out(block, &new.pattern) || is_elsewhere()) {
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
        let file = self.file(&home.file)?;
        let repeated = file.repeats(&patterns);
        if take_over && repeated > 0 {
            file.take_out(|line| patterns.iter().any(|pattern| line == pattern.as_bstr()));
        }
        self.draft.repeated += repeated;
        Ok(())
    }

    /// A rule for a folder known by what lies in it, or for what the project's own settings name.
    fn add_known_place(&mut self, known: &KnownPlace) -> Result<()> {
        let probe = match known.path.is_folder() {
            true => known.path.join("x"),
            false => known.path.clone(),
        };
        if self
            .rules_at(probe.folder())?
            .shuts(&probe, false)
            .is_some()
        {
            return Ok(());
        }
        let rule = NewRule {
            pattern: exactly(&known.path),
            reason: known.reason.to_owned(),
            remake: known.remake.map(str::to_owned),
        };
        let section = Section::new(format!("{} places", known.template), [rule]);
        self.push(RepoPath::top(), &section, None, known.path.folder())
    }

    /// Exceptions for needed files that the rules would keep out.
    fn let_in_needed(&mut self, projects: &[Project]) -> Result<()> {
        let tree = self.snapshot.tree()?;
        for file in swallowed(self.snapshot, tree, projects, self.overlay())? {
            let (folder, exception) = file.placed();
            let after = &self.file(&folder)?.text.after;
            let is_known = lines_of(after).any(|line| line.text == exception.pattern);
            // A file in a folder that is shut can't be let in by a rule of its own.
            if file.shut.is_none() && !is_known {
                let section = Section::new("needed".into(), [exception]);
                self.push(&folder, &section, None, RepoPath::top())?;
            }
        }
        Ok(())
    }

    /// Puts a section behind what is in a file, for what lies in the folder `place`.
    fn push(
        &mut self,
        file: &RepoPath,
        section: &Section,
        revision: Option<u32>,
        place: &RepoPath,
    ) -> Result<()> {
        self.file(file)?.push(section, revision, place);
        let rules = section.lines.iter().filter(|line| !line.starts_with(b"#"));
        self.draft.added.extend(rules.cloned());
        Ok(())
    }

    /// The ignore file of a folder, as it is and as it is drafted so far.
    fn file(&mut self, folder: &RepoPath) -> Result<&mut DraftedFile> {
        if !self.files.contains_key(folder) {
            let held = self.snapshot.ignore_file(folder)?;
            let contents = held.as_ref().map_or(&[][..], |file| &file.contents);
            let rules = self.snapshot.own_rules(folder)?;
            let file = DraftedFile::of(folder, contents, rules, self.snapshot.case());
            self.files.insert(folder.to_owned(), file);
        }
        // It is there by now.
        Ok(self
            .files
            .entry(folder.to_owned())
            .or_insert_with(|| DraftedFile::of(folder, &[], None, self.snapshot.case())))
    }

    /// The rules that everyone has in a folder, as drafted so far.
    fn rules_at(&self, folder: &RepoPath) -> Result<Chain> {
        let mut chain = Chain::new([]);
        let below = folder.parts().filter(|part| !part.is_top());
        for part in std::iter::once(RepoPath::top()).chain(below) {
            chain = match self.files.get(part) {
                Some(file) => file.rules_for(folder).fold(chain, Chain::with),
                None => self
                    .snapshot
                    .own_rules(part)?
                    .into_iter()
                    .fold(chain, Chain::with),
            };
        }
        Ok(chain)
    }

    /// The ignore files as drafted so far.
    fn overlay(&self) -> Overlay {
        overlay(self.files.iter().map(|(folder, file)| (folder, &file.text)))
    }

    fn finished(self) -> Draft {
        let files = self
            .files
            .into_iter()
            .map(|(folder, file)| (folder, file.text));
        Draft {
            files: files
                .filter(|(_, text)| text.before != text.after)
                .collect(),
            ..self.draft
        }
    }
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
