//! Composing the rules that a working tree should have.

mod block_history;
mod blocks;
mod drafted_file;
mod made_here;
mod memory;
mod net;
mod places;
mod refresh;
mod renew;
mod section;

pub use drafted_file::Edited;
pub use memory::MEMORY_FILE;
pub(crate) use places::{fit_to, places};
pub use renew::{is_to_come, left_behind};

use crate::{Collection, Error, Heading, KnownPlace, Project, Result, Survey, Template, swallowed};
pub(crate) use blocks::covers;
use blocks::{TakenOut, contradicted_last, groups};
use bstr::{BString, ByteSlice};
use drafted_file::{DraftedFile, NewBlock};
use memory::{Memory, remembered};
use redshank_files::FileKind;
use redshank_origin::Surroundings;
use redshank_progress::Phase;
use redshank_rules::exactly;
use redshank_rules::ignore_file::{FirstForm, MADE_BY, NEEDED, NewRule, blocks as blocks_in};
use redshank_rules::{Chain, IGNORE_FILE};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_worktree::settings::{Explain, Layout};
use redshank_worktree::{Overlay, Snapshot, Verdicts};
use section::DraftLine;
use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::sync::Arc;

/// A template that somebody asked for, by name, perhaps for one folder.
pub struct TemplateRequest<'a> {
    /// The template that it is about.
    pub template: &'a Template,
    /// Where. `None`: wherever it was recognised, else at the top.
    pub folder: Option<RepoPathBuf>,
}

/// What a draft is to do.
#[derive(Debug, Clone, Copy, Default)]
pub struct DraftOptions {
    /// Where the rules go.
    pub layout: Layout,
    /// Blocks that are there are brought up to date.
    pub refresh: bool,
    /// Blocks that are there move to where the layout has them.
    pub move_blocks: bool,
    /// The person's own lines that a template has, too, move into its block.
    pub take_over: bool,
    /// How much is said of each rule.
    pub explain: Explain,
}

/// What is to be written, and where.
#[derive(Default)]
pub struct Draft {
    /// The ignore files, by their folder.
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
    /// The labels of blocks whose folders are gone, where nobody asked to refresh them.
    pub left_behind: Vec<BString>,
    /// The labels of blocks that go because their folders are gone.
    pub removed: Vec<BString>,
    /// What a person must decide.
    pub conflicts: Vec<Conflict>,
    /// Rules that a block changed by a person doesn't have: taken out, or never written.
    pub left_out: Vec<LeftOut>,
}

/// How a draft changes a block of rules.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BlockChange {
    /// The folder of its ignore file.
    pub folder: RepoPathBuf,
    /// Label of the block, as in its first mark.
    pub label: BString,
    /// How many rules come in.
    pub added: usize,
    /// Number of rules that are removed.
    pub taken_out: usize,
}

/// A template's rule was changed by the person here and by the template, too.
pub struct Conflict {
    /// Label of the block, as in its first mark.
    pub label: BString,
    /// The rule as it was.
    pub was: BString,
    /// The template's rule now, which is not written.
    pub now: BString,
}

/// A template's rule that a block changed by a person doesn't have, and that isn't written again.
pub struct LeftOut {
    pub label: BString,
    pub pattern: BString,
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
        let around = survey.around.clone();
        let mut composer = Composer {
            snapshot,
            survey,
            options,
            files: BTreeMap::new(),
            memory: memory.clone(),
            stored: memory,
            around: around.unwrap_or(Arc::new(Surroundings::new(snapshot, snapshot.tree()?))),
            as_it_is: Verdicts::new(snapshot, Overlay::new())?,
            certain: HashSet::new(),
            taken_out: TakenOut::new(),
            draft: Composed::default(),
        };
        let phase = Phase::Draft.begin();
        composer.read_blocks()?;
        composer.find_left_behind()?;
        let mut open = wanted(survey, requests);
        for _ in 0..PASSES {
            let many = open.len();
            // What a rule covered that the net then made narrower, is open again.
            open = composer.add_projects(open)?;
            if requests.is_empty() {
                for known in &survey.known {
                    composer.add_known_place(known)?;
                }
            }
            composer.let_in_needed(&survey.projects)?;
            composer.let_work_through()?;
            if open.is_empty() || open.len() == many {
                break;
            }
        }
        if requests.is_empty() {
            composer.add_made_here()?;
        }
        let draft = composer.finished(memory_text);
        phase.seen(draft.added.len() as u64, 0);
        Ok(draft)
    }

    /// The ignore files as drafted.
    pub fn overlay(&self) -> Overlay {
        let held = self.files.iter();
        held.map(|(folder, file)| (folder.join(IGNORE_FILE).into(), file.after.clone()))
            .collect()
    }
}

impl Draft {
    /// How each block changes, in the order in which they are.
    pub fn block_changes(&self) -> Vec<BlockChange> {
        let mut changes = Vec::new();
        for (folder, file) in &self.files {
            let (before, after) = (blocks_of(&file.before), blocks_of(&file.after));
            let none = HashSet::new();
            let rules = |blocks: &[(BString, HashSet<BString>)], label: &BString| {
                let known = blocks.iter().find(|(known, _)| known == label);
                known.map_or(none.clone(), |(_, rules)| rules.clone())
            };
            let gone = before
                .iter()
                .filter(|(label, _)| !after.iter().any(|(known, _)| known == label));
            for (label, _) in after.iter().chain(gone) {
                let (was, is) = (rules(&before, label), rules(&after, label));
                changes.push(BlockChange {
                    folder: folder.clone(),
                    label: label.clone(),
                    added: is.difference(&was).count(),
                    taken_out: was.difference(&is).count(),
                });
            }
        }
        changes.retain(|change| change.added + change.taken_out > 0);
        changes
    }
}

/// The blocks that a text holds, each with its rules.
fn blocks_of(text: &[u8]) -> Vec<(BString, HashSet<BString>)> {
    let blocks = blocks_in(text).into_iter();
    let blocks = blocks.map(|block| {
        let rules = block
            .lines
            .iter()
            .filter(|line| !line.is_empty() && !line.starts_with(b"#"))
            .cloned();
        (block.label, rules.collect())
    });
    blocks.collect()
}

/// The first project that has no rules yet: neither did a draft write some, nor does what is in
/// ignore files ignore anything that its template covers.
///
/// # Errors
/// If an ignore file or the memory of earlier drafts can't be read.
pub fn first_uncovered_project<'p, 'a>(
    snapshot: &Snapshot,
    projects: &'p [Project<'a>],
) -> Result<Option<&'p Project<'a>>> {
    let (mut memory, _) = Memory::read(snapshot)?;
    let verdicts = Verdicts::new(snapshot, Overlay::new())?;
    for project in projects
        .iter()
        .filter(|one| !one.template.group.everywhere())
    {
        let folder = project.rules_folder();
        let mut is_known = false;
        for layout in [Layout::Top, Layout::Folders] {
            let file = home(project, layout);
            let path = file.join(IGNORE_FILE);
            if let Some(held) = snapshot.ignore_file(&file)? {
                let template = std::slice::from_ref(project.template);
                memory.read_blocks(path.as_bstr(), &blocks_in(&held.contents), template);
            }
            let known = memory.covers(path.as_bstr(), project.template, &below(&folder, &file));
            is_known |= known.is_some();
        }
        let chain = verdicts.rules_at(&folder.join("x"))?;
        let mut rules = project.template.rule.iter();
        let mut has_any = || rules.any(|rule| covers(&chain, &folder, &rule.pattern));
        if !project.template.rule.is_empty() && !is_known && !has_any() {
            return Ok(Some(project));
        }
    }
    Ok(None)
}

/// What a draft amounts to, while it is composed.
#[derive(Default)]
pub(crate) struct Composed {
    pub(crate) added: BTreeSet<BString>,
    retired: Vec<BString>,
    covered: usize,
    repeated: usize,
    stale: Vec<BString>,
    left_behind: Vec<BString>,
    removed: Vec<BString>,
    conflicts: Vec<Conflict>,
    left_out: Vec<LeftOut>,
}

/// So often projects are tried again that had nothing to write.
const PASSES: usize = 3;

/// A draft that is being composed.
pub(crate) struct Composer<'s, 'a> {
    pub(crate) snapshot: &'s Snapshot,
    pub(crate) survey: &'s Survey<'a>,
    pub(crate) options: DraftOptions,
    pub(crate) files: BTreeMap<RepoPathBuf, DraftedFile>,
    /// What is known of each block.
    memory: Memory,
    /// The part of it that the memory file holds.
    stored: Memory,
    pub(crate) around: Arc<Surroundings<'a>>,
    /// The verdicts without the draft.
    pub(crate) as_it_is: Verdicts<'s>,
    /// The lines that match only by names that a tool alone gives.
    pub(crate) certain: HashSet<BString>,
    /// What a person took out of blocks that move.
    taken_out: TakenOut,
    pub(crate) draft: Composed,
}

/// Where a project's block is.
enum Known {
    /// In the form of today.
    Block(String),
    /// In the first form.
    FirstForm(String),
}

impl<'a> Composer<'_, 'a> {
    /// Writes the blocks of projects; returns those that had nothing to write.
    fn add_projects(&mut self, projects: Vec<Project<'a>>) -> Result<Vec<Project<'a>>> {
        let mut fresh: BTreeMap<RepoPathBuf, Vec<Project<'a>>> = BTreeMap::new();
        let mut known: BTreeMap<(RepoPathBuf, String), Vec<Project<'a>>> = BTreeMap::new();
        let mut first_form = Vec::new();
        for project in projects {
            match self.known_block(&project)? {
                Some((file, Known::Block(label)))
                    if self.options.move_blocks && file != home(&project, self.options.layout) =>
                {
                    self.take_block_out(&file, &label, Some(&project))?;
                    let file = home(&project, self.options.layout);
                    fresh.entry(file).or_default().push(project);
                }
                Some((file, Known::Block(label))) => {
                    known.entry((file, label)).or_default().push(project);
                }
                Some((file, Known::FirstForm(label))) => first_form.push((file, label, project)),
                // The marker by which it was recognised further up may be ignored by now.
                None if (project.comes_along || project.is_gathered)
                    && self.is_drafted_above(&project) => {}
                None => {
                    let file = home(&project, self.options.layout);
                    fresh.entry(file).or_default().push(project);
                }
            }
        }
        let mut taken_out = std::mem::take(&mut self.taken_out);
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
            if self.options.refresh {
                self.renew(&file, &label, &projects)?;
            } else {
                self.note_stale(&file, &label, &projects);
            }
        }
        let mut open = Vec::new();
        for (file, projects) in fresh {
            for group in contradicted_last(groups(&file, projects.clone())) {
                if !self.write_anew(&file, &group, &taken_out)? {
                    open.extend(projects.iter().filter(|one| group.has(one)).cloned());
                }
            }
        }
        self.taken_out = taken_out;
        Ok(open)
    }

    /// Whether a block has the rules of the same template for a folder above.
    fn is_drafted_above(&self, project: &Project) -> bool {
        let folders = project.folder.folders_above().rev();
        let mut above = folders.chain([RepoPath::top()]);
        above.any(|above| {
            [RepoPath::top(), above].into_iter().any(|file| {
                let (path, below) = (file.join(IGNORE_FILE), below(above, file));
                let block = self.memory.covers(path.as_bstr(), project.template, &below);
                block.is_some()
            })
        })
    }

    /// The block that holds a project's rules already, and the folder of its file.
    fn known_block(&mut self, project: &Project) -> Result<Option<(RepoPathBuf, Known)>> {
        for layout in [Layout::Top, Layout::Folders] {
            let file = home(project, layout);
            let folder = project.rules_folder();
            let below = folder.below(&file).unwrap_or(RepoPath::top()).to_owned();
            let path = file.join(IGNORE_FILE);
            let name = &project.template.name;
            if let Some(block) = self.memory.covers(path.as_bstr(), project.template, &below) {
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

    /// A rule for a folder known by what is in it, or for what the project's own settings name.
    fn add_known_place(&mut self, known: &KnownPlace) -> Result<()> {
        let probe = if known.path.is_folder() {
            known.path.join("x")
        } else {
            known.path.clone()
        };
        let rules = self.rules_at(probe.folder())?;
        if rules.ignored_by(&probe, false).is_some() {
            return Ok(());
        }
        let whole = exactly(&known.path);
        let mut patterns = vec![whole.clone()];
        if !known.own.is_empty() {
            // Only what is in the folder can be re-included.
            patterns = vec![[whole.as_slice(), b"*"].concat().into()];
            let own = known.own.iter().map(|path| exactly(path));
            patterns.extend(own.map(|own| [b"!", own.as_slice()].concat().into()));
        }
        self.certain.extend(patterns.iter().cloned());
        let lines = patterns
            .into_iter()
            .map(|pattern| DraftLine {
                remake: known.remake.map(str::to_owned),
                ..DraftLine::certain(pattern, Heading::Built, known.reason.to_owned())
            })
            .collect();
        let label = format!("{MADE_BY}{}", known.template);
        self.push(RepoPath::top(), NewBlock::of_lines(label, lines))
    }

    /// Exceptions for needed files that the rules would ignore.
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
            // A file in a folder that is excluded can't be re-included by a rule of its own.
            if file.excluded_parent.is_none() && !is_known {
                let line = DraftLine::certain(pattern, Heading::Dependencies, reason);
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
            let file = DraftedFile::new(folder, contents, rules, self.snapshot.case());
            self.files.insert(folder.to_owned(), file);
        }
        // It is there by now.
        Ok(self
            .files
            .entry(folder.to_owned())
            .or_insert_with(|| DraftedFile::new(folder, &[], None, self.snapshot.case())))
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

    /// Takes in what the blocks of all ignore files tell of themselves.
    fn read_blocks(&mut self) -> Result<()> {
        let entries = self.snapshot.tree()?.entries.iter();
        let files = entries.filter(|entry| entry.path.name() == IGNORE_FILE);
        let folders: Vec<&RepoPath> = files.map(|entry| entry.path.folder()).collect();
        for folder in std::iter::once(RepoPath::top()).chain(folders) {
            let Some(file) = self.snapshot.ignore_file(folder)? else {
                continue;
            };
            let path = folder.join(IGNORE_FILE);
            let blocks = blocks_in(&file.contents);
            self.memory
                .read_blocks(path.as_bstr(), &blocks, self.survey.templates);
        }
        Ok(())
    }

    fn finished(mut self, memory_text: Option<Vec<u8>>) -> Draft {
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
            let (before, after) = (&file.before, file.after(explain));
            let after = self.memory.mark_blocks(path.as_bstr(), before, after);
            let before = file.before;
            if before != after {
                files.insert(folder, Edited { before, after });
            }
        }
        let memory = self
            .memory
            .without_told(&self.stored, self.survey.templates, |path| {
                let folder = RepoPath::new(path).folder();
                if let Some(file) = files.get(folder) {
                    return Some(file.after.clone());
                }
                let held = self.snapshot.ignore_file(folder).ok().flatten();
                held.map(|file| file.contents.to_vec())
            });
        let text = memory.text();
        let has_marks = || {
            memory_text
                .as_ref()
                .is_some_and(|held| held.contains_str("\n<<<<<<< "))
        };
        // Outside of a sparse checkout's folders, git would refuse to add it.
        let repository = self.snapshot.repository.as_ref();
        let has_place = repository.is_some_and(|repository| {
            !repository.is_sparse || self.snapshot.root.is_there(MEMORY_FILE.into())
        });
        let is_remembered = has_place && (memory != self.stored || has_marks());
        Draft {
            memory: is_remembered.then_some((memory_text, text)),
            files,
            added: self.draft.added.into_iter().collect(),
            retired: self.draft.retired,
            covered: self.draft.covered,
            repeated: self.draft.repeated,
            stale: self.draft.stale,
            left_behind: self.draft.left_behind,
            removed: self.draft.removed,
            conflicts: self.draft.conflicts,
            left_out: self.draft.left_out,
        }
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
    /// Requests for a template by name and those that come with it, perhaps for one folder.
    ///
    /// # Errors
    /// If there is no such template or folder.
    pub fn find(
        snapshot: &Snapshot,
        collection: &'a Collection,
        name: &str,
        folder: Option<&RepoPath>,
    ) -> Result<Vec<Self>> {
        let templates = collection.with(collection.find(name)?)?;
        // One that isn't there may come; one that is only a slip away from another is mistyped.
        let is_wrong = |folder: &RepoPath| match snapshot.root.kind(folder.bare()) {
            _ if folder.is_top() => false,
            Some(kind) => kind != FileKind::Folder,
            None => has_namesake(snapshot, folder),
        };
        if let Some(missing) = folder.filter(|folder| is_wrong(folder)) {
            return Err(Error::NoFolder {
                folder: missing.bare().to_owned(),
                top: snapshot.top.clone(),
            });
        }
        let folder = folder.map(RepoPath::as_folder);
        Ok(templates
            .into_iter()
            .map(|template| Self {
                template,
                folder: folder.clone(),
            })
            .collect())
    }
}

/// Whether a folder beside one that isn't there has almost its name.
fn has_namesake(snapshot: &Snapshot, folder: &RepoPath) -> bool {
    let bare = folder.bare();
    let name = bare.name().to_str_lossy().into_owned();
    let names = snapshot.root.list(bare.folder()).unwrap_or_default();
    names.iter().any(|(other, kind)| {
        let slips = strsim::damerau_levenshtein(&other.to_str_lossy(), &name);
        *kind == FileKind::Folder && slips <= SLIPS
    })
}

/// So many slips of the keys make another name of one.
const SLIPS: usize = 2;
