//! Composing the rules that a working tree should have.

use super::refresh::refreshed;
use super::{Collection, KnownPlace, Project, Survey, Template, TemplateRule, swallowed};
use crate::drafted_file::{DraftedFile, Edited, NewBlock};
use crate::guard::Guard;
use crate::memory::{Memory, Remembered, remembered};
use crate::places::{fit_to, places};
use crate::section::{DraftLine, section};
use crate::{Error, Heading, Result};
use bstr::{BStr, BString, ByteSlice};
use redshank_files::FileKind;
use redshank_pattern::{Case, Rule, exactly, fit};
use redshank_stage::Stage;
use redshank_worktree::ignore_file::{Block, FirstForm, MADE_BY, NEEDED, NewRule};
use redshank_worktree::rules::{Chain, IGNORE_FILE};
use redshank_worktree::settings::{Explain, Layout};
use redshank_worktree::{Overlay, RepoPath, RepoPathBuf, Snapshot, Verdicts};
use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::sync::Arc;

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
    /// How much is said of each rule.
    pub explain: Explain,
}

/// What is to be written, and where.
#[derive(Default)]
pub struct Draft {
    /// By folder.
    pub files: BTreeMap<RepoPathBuf, Edited>,
    /// The file that tells our lines from a person's later on; nothing where it doesn't change.
    pub memory: Option<(Option<Vec<u8>>, Vec<u8>)>,
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
    /// fitted to where the projects are; what is there already, or covered, is not repeated; a
    /// needed file that a rule would swallow gets an exception, and so does work.
    ///
    /// # Errors
    /// If the ignore files or the memory of earlier drafts can't be read.
    pub fn compose<'a>(
        snapshot: &'a Snapshot,
        survey: &Survey<'a>,
        requests: &[TemplateRequest<'a>],
        options: DraftOptions,
    ) -> Result<Self> {
        let (memory, memory_text) = Memory::read(snapshot)?;
        let guard = survey.guard.clone();
        let mut composer = Composer {
            snapshot,
            options,
            files: BTreeMap::new(),
            memory: memory.clone(),
            guard: guard.unwrap_or(Arc::new(Guard::new(snapshot, snapshot.tree()?))),
            as_it_is: Verdicts::new(snapshot, Overlay::new())?,
            certain: HashSet::new(),
            draft: Composed::default(),
        };
        let stage = Stage::Draft.begin();
        composer.add_projects(wanted(survey, requests))?;
        if requests.is_empty() {
            for known in &survey.known {
                composer.add_known_place(known)?;
            }
        }
        composer.let_in_needed(&survey.projects)?;
        composer.let_work_through()?;
        let draft = composer.finished(&memory, memory_text);
        stage.seen(draft.added.len() as u64, 0);
        Ok(draft)
    }

    /// The ignore files as drafted.
    pub fn overlay(&self) -> Overlay {
        let held = self.files.iter();
        held.map(|(folder, file)| (folder.join(IGNORE_FILE).into(), file.after.clone()))
            .collect()
    }
}

/// The first project that has no rules yet: neither did a draft write some, nor does what stands in
/// ignore files keep out anything that its template speaks of.
///
/// # Errors
/// If an ignore file or the memory of earlier drafts can't be read.
pub fn without_rules<'p, 'a>(
    snapshot: &Snapshot,
    projects: &'p [Project<'a>],
) -> Result<Option<&'p Project<'a>>> {
    let (memory, _) = Memory::read(snapshot)?;
    let verdicts = Verdicts::new(snapshot, Overlay::new())?;
    for project in projects
        .iter()
        .filter(|one| !one.template.group.everywhere())
    {
        let folder = project.rules_folder();
        let is_remembered = |layout| {
            let file = home(project, layout);
            let path = file.join(IGNORE_FILE);
            memory
                .covers(
                    path.as_bstr(),
                    &project.template.name,
                    &below(&folder, &file),
                )
                .is_some()
        };
        let chain = verdicts.rules_at(&folder.join("x"))?;
        let mut rules = project.template.rule.iter();
        let mut has_any = || rules.any(|rule| covers(&chain, &folder, rule));
        if !project.template.rule.is_empty()
            && ![Layout::Top, Layout::Folders]
                .into_iter()
                .any(is_remembered)
            && !has_any()
        {
            return Ok(Some(project));
        }
    }
    Ok(None)
}

/// What a draft comes to, while it is composed.
#[derive(Default)]
pub(crate) struct Composed {
    pub(crate) added: BTreeSet<BString>,
    retired: Vec<BString>,
    covered: usize,
    repeated: usize,
    stale: Vec<BString>,
    conflicts: Vec<Conflict>,
}

/// A draft that is being composed.
pub(crate) struct Composer<'s, 'a> {
    pub(crate) snapshot: &'s Snapshot,
    pub(crate) options: DraftOptions,
    pub(crate) files: BTreeMap<RepoPathBuf, DraftedFile>,
    memory: Memory,
    pub(crate) guard: Arc<Guard<'a>>,
    /// The verdicts without the draft.
    pub(crate) as_it_is: Verdicts<'s>,
    /// The lines that match only by names that a tool alone gives.
    pub(crate) certain: HashSet<BString>,
    pub(crate) draft: Composed,
}

/// Projects whose rules stand, or are to stand, in one block.
struct Group<'a> {
    places: Vec<BString>,
    templates: Vec<Kind<'a>>,
}

/// The projects of one type, in one ignore file.
#[derive(Clone)]
struct Kind<'a> {
    template: &'a Template,
    /// Their folders, from the top.
    folders: Vec<RepoPathBuf>,
}

/// Where a project's block is.
enum Known {
    /// In the form of today.
    Block(String),
    /// In the first form.
    FirstForm(String),
}

/// Rules that a person took out of blocks of the first form: the template's name, the rule's
/// pattern.
type TakenOut = BTreeSet<(String, String)>;

impl<'a> Composer<'_, 'a> {
    fn add_projects(&mut self, projects: Vec<Project<'a>>) -> Result<()> {
        let mut fresh: BTreeMap<RepoPathBuf, Vec<Project<'a>>> = BTreeMap::new();
        let mut known: BTreeMap<(RepoPathBuf, String), Vec<Project<'a>>> = BTreeMap::new();
        let mut first_form = Vec::new();
        for project in projects {
            match self.known_block(&project)? {
                Some((file, Known::Block(label))) => {
                    known.entry((file, label)).or_default().push(project);
                }
                Some((file, Known::FirstForm(label))) => first_form.push((file, label, project)),
                None => {
                    let file = home(&project, self.options.layout);
                    fresh.entry(file).or_default().push(project);
                }
            }
        }
        let mut taken_out = TakenOut::new();
        for (file, label, project) in first_form {
            if self.options.refresh {
                self.turn_over(&file, &label, &project, &mut taken_out)?;
                fresh
                    .entry(home(&project, self.options.layout))
                    .or_default()
                    .push(project);
            } else {
                self.note_stale_first_form(&file, &label, &project)?;
            }
        }
        for ((file, label), projects) in known {
            match self.options.refresh {
                true => self.renew(&file, &label, &projects)?,
                false => self.note_stale(&file, &label, &projects),
            }
        }
        for (file, projects) in fresh {
            for group in groups(&file, projects) {
                self.write_anew(&file, &group, &taken_out)?;
            }
        }
        Ok(())
    }

    /// The block that holds a project's rules already, and the folder of its file.
    fn known_block(&mut self, project: &Project) -> Result<Option<(RepoPathBuf, Known)>> {
        for layout in [Layout::Top, Layout::Folders] {
            let file = home(project, layout);
            let folder = project.rules_folder();
            let below = folder.below(&file).unwrap_or(RepoPath::top()).to_owned();
            let path = file.join(IGNORE_FILE);
            let name = &project.template.name;
            if let Some(block) = self.memory.covers(path.as_bstr(), name, &below) {
                let label = block.label.clone();
                if self
                    .file(&file)?
                    .blocks
                    .iter()
                    .any(|block| block.label.to_str_lossy() == label)
                {
                    return Ok(Some((file, Known::Block(label))));
                }
            }
            let label = FirstForm::label_of(name, &below);
            let mut blocks = self.file(&file)?.blocks.iter();
            if blocks.any(|block| block.first_form.is_some() && block.label.to_str_lossy() == label)
            {
                return Ok(Some((file, Known::FirstForm(label))));
            }
        }
        Ok(None)
    }

    fn note_stale(&mut self, file: &RepoPath, label: &str, projects: &[Project]) {
        let path = file.join(IGNORE_FILE);
        let Some(block) = self.memory.get(path.as_bstr(), label.into()) else {
            return;
        };
        let is_newer = |project: &Project| {
            let template = project.template;
            block
                .templates
                .get(&template.name)
                .is_some_and(|known| *known != template.revision)
        };
        if projects.iter().any(is_newer) {
            self.draft.stale.push(label.into());
        }
    }

    fn note_stale_first_form(
        &mut self,
        file: &RepoPath,
        label: &str,
        project: &Project,
    ) -> Result<()> {
        let mut blocks = self.file(file)?.blocks.iter();
        let block = blocks.find(|block| block.label.to_str_lossy() == label);
        let revision = block.and_then(|block| Some(block.first_form.as_ref()?.revision));
        if revision.is_some_and(|known| known != project.template.revision) {
            self.draft.stale.push(label.into());
        }
        Ok(())
    }

    /// Takes a block of the first form out, so that its rules are written as they are today: the
    /// person's own lines in it stay where they are, and what the person took out stays out.
    fn turn_over(
        &mut self,
        file: &RepoPath,
        label: &str,
        project: &Project,
        taken_out: &mut TakenOut,
    ) -> Result<()> {
        let blocks = self.file(file)?.blocks.clone();
        let block = blocks
            .into_iter()
            .find(|block| block.first_form.is_some() && block.label.to_str_lossy() == label);
        let Some(Block {
            lines,
            first_form: Some(first_form),
            label,
            ..
        }) = block
        else {
            return Ok(());
        };
        let folder = project.rules_folder();
        let below = folder.below(file).unwrap_or(RepoPath::top());
        let mut of_template = HashSet::new();
        for rule in &project.template.rule {
            let was = fit(&rule.pattern, below);
            // Where its memory is lost, a line that isn't there counts as taken out.
            if first_form.wrote(&was).unwrap_or(true) && !lines.contains(&was) {
                taken_out.insert((project.template.name.clone(), rule.pattern.clone()));
            }
            of_template.insert(was);
        }
        let is_own = |line: &BString| match first_form.wrote(line) {
            Some(wrote) => !wrote,
            None => !line.starts_with(b"#") && !of_template.contains(line),
        };
        let own: Vec<BString> = lines.into_iter().filter(is_own).collect();
        self.file(file)?.replace_block(label.as_bstr(), &own);
        Ok(())
    }

    /// Writes a block for projects that have none yet.
    fn write_anew(
        &mut self,
        file: &RepoPath,
        group: &Group<'a>,
        taken_out: &TakenOut,
    ) -> Result<()> {
        self.find_repeated(file, group)?;
        let lines = self.lines(file, group, &|_| false)?;
        let is_out = |line: &Composing| {
            taken_out.contains(&(line.template.name.clone(), line.rule.pattern.clone()))
        };
        let (out, lines): (Vec<Composing>, Vec<Composing>) = lines.into_iter().partition(is_out);
        let templates = group
            .templates
            .iter()
            .map(|kind| (kind.template.name.clone(), kind.template.revision));
        let block = NewBlock {
            label: label(group),
            lines: lines.into_iter().map(|line| line.line).collect(),
            templates: templates.collect(),
            places: group.places.clone(),
        };
        if !block.is_of_use() {
            return Ok(());
        }
        let path = file.join(IGNORE_FILE);
        // What somebody took out is remembered as written, so that it doesn't come back.
        let memory = Remembered {
            file: path.to_string(),
            label: block.label.clone(),
            templates: block.templates.clone(),
            places: remembered(&block.places),
            lines: remembered(out.iter().map(|line| &line.line.pattern)),
        };
        self.memory.put(memory);
        self.push(file, block)
    }

    /// The lines that a block is to hold: those of its templates' rules that nothing covers where
    /// the projects are, and those that are `here` already.
    fn lines<'g>(
        &mut self,
        file: &RepoPath,
        group: &'g Group<'a>,
        here: &dyn Fn(&BStr) -> bool,
    ) -> Result<Vec<Composing<'g>>> {
        let mut lines: Vec<Composing> = Vec::new();
        let mut known = HashSet::new();
        for kind in &group.templates {
            let mut chains = Vec::new();
            for folder in &kind.folders {
                chains.push((folder, self.rules_at(folder)?));
            }
            let mut heading = Heading::Built;
            for rule in &kind.template.rule {
                if !rule.pattern.starts_with('!') {
                    heading = rule.heading();
                }
                let open = chains
                    .iter()
                    .filter(|(folder, chain)| !covers(chain, folder, rule));
                let open: Vec<RepoPathBuf> = open.map(|(folder, _)| below(folder, file)).collect();
                let whole = written(rule, &group.places);
                let patterns = match () {
                    () if whole.iter().all(|pattern| here(pattern.as_bstr())) => whole,
                    () if open.len() == kind.folders.len() => whole,
                    () if open.is_empty() => Vec::new(),
                    () => written(rule, &places(&open)),
                };
                self.draft.covered += usize::from(patterns.is_empty());
                for pattern in patterns
                    .into_iter()
                    .filter(|pattern| known.insert(pattern.clone()))
                {
                    lines.push(Composing {
                        template: kind.template,
                        rule,
                        line: DraftLine {
                            replaces: rule
                                .replaces
                                .as_ref()
                                .and_then(|was| Some(fit_to(was, group.places.first()?.as_bstr()))),
                            ..DraftLine::new(pattern, heading, rule)
                        },
                    });
                }
            }
        }
        without_covered(&mut lines);
        let certain = lines.iter().filter(|line| line.line.is_certain);
        self.certain
            .extend(certain.map(|line| line.line.pattern.clone()));
        Ok(lines)
    }

    /// Brings a block up to date: without the lines that the person took out of it, or has
    /// elsewhere in the file. A rule whose forerunner the person changed is a conflict.
    fn renew(&mut self, file: &RepoPath, label: &str, projects: &[Project<'a>]) -> Result<()> {
        let path = file.join(IGNORE_FILE);
        let remembered_block = self.memory.get(path.as_bstr(), label.into()).cloned();
        let mut blocks = self.file(file)?.blocks.iter();
        let block = blocks
            .find(|block| block.label.to_str_lossy() == label)
            .cloned();
        let (Some(memory), Some(block)) = (remembered_block, block) else {
            return Ok(());
        };
        let group = Group {
            places: memory
                .places
                .iter()
                .map(|place| place.as_str().into())
                .collect(),
            templates: by_template(projects),
        };
        // A template that is not here any more takes no rule along.
        let has_all = memory.templates.keys().all(|name| {
            group
                .templates
                .iter()
                .any(|kind| kind.template.name == *name)
        });
        if !has_all {
            return Ok(());
        }
        let lines = self.lines(file, &group, &|line| {
            block.lines.iter().any(|known| known == line)
        })?;
        let mut current = Vec::new();
        for Composing { line, .. } in lines {
            let is_there = block.lines.contains(&line.pattern);
            let was_there = |pattern: &BString| {
                memory.wrote(pattern.as_bstr()) && !block.lines.contains(pattern)
            };
            if !is_there && (was_there(&line.pattern) || self.file(file)?.has_own(&line.pattern)) {
                continue;
            }
            match line
                .replaces
                .clone()
                .filter(|was| !is_there && was_there(was))
            {
                Some(was) => self.draft.conflicts.push(Conflict {
                    label: label.into(),
                    was,
                    now: line.pattern,
                }),
                None => current.push(line),
            }
        }
        let new = section(label.to_owned(), current, self.options.explain);
        // A comment that the person took out stays out, too.
        let is_out = |line: &BString| memory.wrote(line.as_bstr()) && !block.lines.contains(line);
        let lines: Vec<BString> = new
            .lines
            .iter()
            .filter(|line| !is_out(line))
            .cloned()
            .collect();
        let renewed = refreshed(&block.lines, &lines, &|line| memory.wrote(line.as_bstr()));
        let templates: BTreeMap<String, u32> = group
            .templates
            .iter()
            .map(|kind| (kind.template.name.clone(), kind.template.revision))
            .collect();
        let mut known = memory.lines.clone();
        let more: Vec<String> = remembered(&lines)
            .into_iter()
            .filter(|line| !known.contains(line))
            .collect();
        known.extend(more);
        self.memory.put(Remembered {
            templates,
            lines: known,
            ..memory
        });
        if renewed.lines != block.lines {
            let text = redshank_worktree::ignore_file::Section {
                label: label.to_owned(),
                lines: renewed.lines,
            };
            self.file(file)?.replace_block(label.into(), &text.text());
        }
        let is_rule = |line: &BString| !line.starts_with(b"#") && !line.is_empty();
        self.draft
            .added
            .extend(renewed.added.into_iter().filter(is_rule));
        self.draft
            .retired
            .extend(renewed.retired.into_iter().filter(is_rule));
        Ok(())
    }

    /// Counts the person's own lines that a template has, too; takes them out if they are to be
    /// taken over.
    fn find_repeated(&mut self, file: &RepoPath, group: &Group) -> Result<()> {
        let mut patterns = BTreeSet::new();
        for kind in &group.templates {
            for rule in &kind.template.rule {
                patterns.extend(written(rule, &group.places));
                let folders = kind.folders.iter();
                patterns.extend(folders.map(|folder| fit(&rule.pattern, &below(folder, file))));
            }
        }
        let take_over = self.options.take_over;
        let file = self.file(file)?;
        let repeated = file.repeats(&patterns);
        if take_over && repeated > 0 {
            file.take_out(|line| patterns.contains(&line.to_owned()));
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
        let rules = self.rules_at(probe.folder())?;
        if rules.shuts(&probe, false).is_some() {
            return Ok(());
        }
        let pattern = exactly(&known.path);
        self.certain.insert(pattern.clone());
        let line = DraftLine {
            pattern,
            heading: Heading::Built,
            reason: known.reason.to_owned(),
            remake: known.remake.map(str::to_owned),
            is_certain: true,
            replaces: None,
        };
        self.push(
            RepoPath::top(),
            NewBlock::of_lines(format!("{MADE_BY}{}", known.template), vec![line]),
        )
    }

    /// Exceptions for needed files that the rules would keep out.
    fn let_in_needed(&mut self, projects: &[Project]) -> Result<()> {
        let tree = self.snapshot.tree()?;
        for file in swallowed(self.snapshot, tree, projects, self.overlay())? {
            let (
                folder,
                NewRule {
                    pattern, reason, ..
                },
            ) = file.placed();
            let drafted = self.file(&folder)?;
            let is_known = drafted.has_own(&pattern) || drafted.has_coming(NEEDED, &pattern);
            // A file in a folder that is shut can't be let in by a rule of its own.
            if file.shut.is_none() && !is_known {
                let line = DraftLine {
                    pattern,
                    heading: Heading::Dependencies,
                    reason,
                    remake: None,
                    is_certain: true,
                    replaces: None,
                };
                self.push(&folder, NewBlock::of_lines(NEEDED.to_owned(), vec![line]))?;
            }
        }
        Ok(())
    }

    /// Puts a block behind what is in a file.
    pub(crate) fn push(&mut self, file: &RepoPath, block: NewBlock) -> Result<()> {
        let added = block.lines.iter().map(|line| line.pattern.clone());
        self.draft.added.extend(added);
        self.file(file)?.push(block);
        Ok(())
    }

    /// The ignore file of a folder, as it is and as it is drafted so far.
    pub(crate) fn file(&mut self, folder: &RepoPath) -> Result<&mut DraftedFile> {
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
                Some(file) => file.rules().fold(chain, Chain::with),
                None => self
                    .snapshot
                    .own_rules(part)?
                    .into_iter()
                    .fold(chain, Chain::with),
            };
        }
        Ok(chain)
    }

    fn finished(mut self, before: &Memory, memory_text: Option<Vec<u8>>) -> Draft {
        let mut files = BTreeMap::new();
        let explain = self.options.explain;
        for (folder, file) in self.files {
            let path = folder.join(IGNORE_FILE);
            for block in file.new.iter().filter(|block| block.is_of_use()) {
                if let Some(known) = self.memory.get(path.as_bstr(), block.label.as_str().into()) {
                    let mut known = known.clone();
                    known
                        .lines
                        .extend(remembered(&block.section(explain).lines));
                    self.memory.put(known);
                }
            }
            let after = file.after(explain);
            if file.before != after {
                let before = file.before;
                files.insert(folder, Edited { before, after });
            }
        }
        let is_remembered = self.snapshot.repository.is_some() && self.memory != *before;
        Draft {
            memory: is_remembered.then(|| (memory_text, self.memory.text())),
            files,
            added: self.draft.added.into_iter().collect(),
            retired: self.draft.retired,
            covered: self.draft.covered,
            repeated: self.draft.repeated,
            stale: self.draft.stale,
            conflicts: self.draft.conflicts,
        }
    }
}

/// A line, and the rule that it comes from.
struct Composing<'g> {
    template: &'g Template,
    rule: &'g TemplateRule,
    line: DraftLine,
}

/// Takes out the lines that others of the same block cover, wherever they lie.
fn without_covered(lines: &mut Vec<Composing>) {
    let rules: Vec<Rule> = lines
        .iter()
        .map(|line| Rule::parse(&line.line.pattern, 0, Case::Sensitive))
        .collect();
    let is_covered = |at: usize| {
        let probes = rules[at].probes();
        let others = rules
            .iter()
            .enumerate()
            .filter(|(other, rule)| *other != at && !rule.negated);
        let covers = |other: &Rule| probes.iter().all(|probe| other.reaches(probe.as_bstr()));
        // Of two that say the same, the first stays.
        !rules[at].negated
            && !probes.is_empty()
            && others
                .into_iter()
                .any(|(other, rule)| covers(rule) && (other < at || !says(&rules[at], rule)))
    };
    let covered: Vec<bool> = (0..lines.len()).map(is_covered).collect();
    let mut at = 0;
    lines.retain(|_| {
        at += 1;
        !covered[at - 1]
    });
}

/// Whether a rule says at least what another one does.
fn says(rule: &Rule, other: &Rule) -> bool {
    let probes = other.probes();
    !probes.is_empty() && probes.iter().all(|probe| rule.reaches(probe.as_bstr()))
}

/// A rule as it is written for projects at these places: at any place, if no one but a tool gives
/// the name.
fn written(rule: &TemplateRule, places: &[BString]) -> Vec<BString> {
    let body = rule.pattern.trim_start_matches('!');
    let is_anywhere = !body.trim_end_matches('/').contains('/') || body.starts_with("**/");
    match is_anywhere && rule.is_certain() {
        true => vec![rule.pattern.as_str().into()],
        false => places
            .iter()
            .map(|place| fit_to(&rule.pattern, place.as_bstr()))
            .collect(),
    }
}

/// The folder of the ignore file that a project's rules go to.
fn home(project: &Project, layout: Layout) -> RepoPathBuf {
    match layout {
        Layout::Top => RepoPathBuf::default(),
        Layout::Folders => project.rules_folder(),
    }
}

fn below(folder: &RepoPath, file: &RepoPath) -> RepoPathBuf {
    folder.below(file).unwrap_or(RepoPath::top()).to_owned()
}

/// Projects by their type, in the order in which they come.
fn by_template<'a>(projects: &[Project<'a>]) -> Vec<Kind<'a>> {
    let mut kinds: Vec<Kind> = Vec::new();
    for project in projects {
        let folder = project.rules_folder();
        match kinds
            .iter_mut()
            .find(|kind| kind.template.name == project.template.name)
        {
            Some(kind) if kind.folders.contains(&folder) => {}
            Some(kind) => kind.folders.push(folder),
            None => kinds.push(Kind {
                template: project.template,
                folders: vec![folder],
            }),
        }
    }
    kinds
}

/// Projects whose types are in the same places, together.
fn groups<'a>(file: &RepoPath, projects: Vec<Project<'a>>) -> Vec<Group<'a>> {
    let mut groups: Vec<Group> = Vec::new();
    for kind in by_template(&projects) {
        let folders: Vec<RepoPathBuf> = kind
            .folders
            .iter()
            .map(|folder| below(folder, file))
            .collect();
        let places = places(&folders);
        match groups.iter_mut().find(|group| group.places == places) {
            Some(group) => group.templates.push(kind),
            None => groups.push(Group {
                places,
                templates: vec![kind],
            }),
        }
    }
    groups
}

/// What a block's first mark says.
fn label(group: &Group) -> String {
    let names: Vec<&str> = group
        .templates
        .iter()
        .map(|kind| kind.template.name.as_str())
        .collect();
    let places: Vec<String> = group
        .places
        .iter()
        .map(|place| place.to_str_lossy().replace(char::is_control, "?"))
        .collect();
    match places.as_slice() {
        [top] if top == "/" => names.join(", "),
        places => format!("{} in {}", names.join(", "), places.join(" and ")),
    }
}

/// Whether the rules that everyone has keep out all that a rule is for, whatever it is called
/// where the rule leaves that open.
fn covers(chain: &Chain, folder: &RepoPath, rule: &TemplateRule) -> bool {
    let own = Rule::parse(rule.pattern.as_bytes(), 0, Case::Sensitive);
    let probes = own.probes();
    let is_shut = |probe: &BString| {
        let path = folder.join(probe);
        chain.shuts(path.bare(), path.is_folder()).is_some()
    };
    !own.negated && !probes.is_empty() && probes.iter().all(is_shut)
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
