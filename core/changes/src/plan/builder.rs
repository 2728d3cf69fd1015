//! A plan that is being made.

use super::contract::{Breach, Claims};
use super::file_edits::FileEdits;
use super::{LargeFiles, Plan, PlanOptions, Step, StepKind, StepReason, removal};
use crate::disk::io_error_at;
use crate::journal::{Area, Changes, Content, ModeChange};
use crate::{Error, Result, sample};
use bstr::{BStr, BString, ByteSlice};
use redshank_files::FileKind;
use redshank_findings::{ByHand, Cause, Exposure, Finding, KeepOut, Remedy, storage_line};
use redshank_origin::is_source_name;
use redshank_rules::attribute_file::split_line;
use redshank_rules::ignore_file::NewRule;
use redshank_rules::{Breadth, Rule, exactly};
use redshank_rules::{IGNORE_FILE, Ruling};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_secrets::is_environment;
use redshank_templates::Survey;
use redshank_worktree::effect::Effect;
use redshank_worktree::size::Bytes;
use redshank_worktree::tree::{Entry, EntryKind, State, Tree};
use redshank_worktree::{Answer, Class, FileStats, Overlay, Snapshot, Verdicts};
use std::collections::{BTreeMap, BTreeSet};

/// git's file of attributes (gitattributes(5)).
const ATTRIBUTES: &str = ".gitattributes";

/// Who may read a file, who may run it, and that it runs as another user, as chmod(2) has it.
const MAY_READ: u32 = 0o444;
const MAY_RUN: u32 = 0o111;
const AS_ANOTHER: u32 = 0o7000;

/// A type of files counts that makes up one in so many of a folder's bytes.
const HEAVY_PART: u64 = 10;

/// The environment file, whose keys others need.
const ENVIRONMENT: &str = ".env";

pub(super) struct PlanBuilder<'a> {
    snapshot: &'a Snapshot,
    tree: &'a Tree,
    remove: Option<&'a Survey<'a>>,
    large: Option<LargeFiles>,
    edits: FileEdits<'a>,
    untracked: BTreeSet<RepoPathBuf>,
    moved: BTreeSet<RepoPathBuf>,
    modes: Vec<ModeChange>,
    /// Files that a clone needs, so that nothing around them is moved out of the way.
    needed: Vec<RepoPathBuf>,
    /// What the findings are about.
    claims: Claims,
    /// Whether rules that stood may match more than before.
    widened: bool,
    steps: Vec<Step>,
}

impl<'a> PlanBuilder<'a> {
    pub(super) fn new(
        snapshot: &'a Snapshot,
        options: PlanOptions<'a>,
        needed: Vec<RepoPathBuf>,
    ) -> Result<Self> {
        let repository = snapshot.repository.as_ref();
        if options
            .large
            .is_some_and(|large| matches!(large, LargeFiles::StoreType | LargeFiles::StoreFolder))
            && !repository.is_some_and(|repository| repository.stores_large_files)
        {
            return Err(Error::NoStorage);
        }
        Ok(Self {
            snapshot,
            tree: snapshot.tree()?,
            remove: options.remove,
            large: options.large,
            edits: FileEdits::new(snapshot),
            untracked: BTreeSet::new(),
            moved: BTreeSet::new(),
            modes: Vec::new(),
            needed,
            claims: Claims::default(),
            widened: false,
            steps: Vec::new(),
        })
    }

    /// Adds the steps that fix a finding; `false` if only a person can fix it.
    pub(super) fn fix(&mut self, finding: &Finding) -> Result<bool> {
        self.claims.add(finding);
        let Some(remedies) = self.chosen(finding) else {
            return self.apply(finding, &finding.remedy);
        };
        let mut is_fixed = !remedies.is_empty();
        for remedy in &remedies {
            is_fixed &= self.apply(finding, remedy)?;
        }
        Ok(is_fixed)
    }

    fn apply(&mut self, finding: &Finding, remedy: &Remedy) -> Result<bool> {
        match remedy {
            Remedy::KeepOut(keep_out) => self.keep_out(finding, keep_out)?,
            Remedy::LetIn { folder, rule } => self.let_in(finding, folder, rule)?,
            Remedy::Fix {
                file,
                line,
                from,
                with,
            } => {
                self.edits.fix(file, *line, with.clone())?;
                self.widened = true;
                let (from, with) = (from.clone(), with.clone());
                self.step_on_rule(finding, StepKind::Fix { from, with });
            }
            Remedy::Attribute { line, is_storage } => {
                self.add_attribute(finding, line, *is_storage)?;
            }
            Remedy::Mode { is_executable } => return self.set_mode(finding, *is_executable),
            Remedy::ByHand(_) => return Ok(false),
        }
        Ok(true)
    }

    /// What somebody chose to do about what is too large, where that is not what its remedy says.
    fn chosen(&self, finding: &Finding) -> Option<Vec<Remedy>> {
        let large = self.large?;
        let is_folder = matches!(
            finding.cause,
            Cause::HeavyFolder { .. } | Cause::ManyFiles { .. }
        );
        if !is_folder && !matches!(finding.cause, Cause::TooLarge { .. }) {
            return None;
        }
        let store = |pattern: BString| Remedy::Attribute {
            line: storage_line(pattern.as_bstr()),
            is_storage: true,
        };
        let path = &finding.path;
        let inside = |folder: BString| store([folder.as_slice(), b"**"].concat().into());
        Some(match (large, is_folder) {
            (LargeFiles::Keep, _) => vec![Remedy::ByHand(ByHand::NothingIfMeant)],
            (LargeFiles::Ignore, _) => vec![Remedy::KeepOut(KeepOut {
                rule: NewRule {
                    pattern: exactly(path),
                    reason: "too large for git".to_owned(),
                    remake: None,
                },
                is_for_storage: false,
            })],
            (LargeFiles::StoreType, true) => {
                self.heavy_types(path).into_iter().map(store).collect()
            }
            (LargeFiles::StoreType, false) => {
                let of_type = Breadth::Type.pattern(path);
                vec![store(of_type.unwrap_or_else(|| exactly(path)))]
            }
            (LargeFiles::StoreFolder, true) => vec![inside(exactly(path))],
            (LargeFiles::StoreFolder, false) => {
                let folder = Breadth::Folder.pattern(path);
                vec![folder.map_or_else(|| store(exactly(path)), inside)]
            }
        })
    }

    /// Counts the files of steps that store them: each once, for the first step that matches it.
    pub(super) fn count_stored(&mut self) {
        let case = self.snapshot.case();
        let mut stored: Vec<(Rule, &mut FileStats)> = Vec::new();
        for step in &mut self.steps {
            if let StepKind::Attribute {
                line,
                is_storage: true,
            } = &step.kind
                && let Some((pattern, _)) = split_line(line)
            {
                step.stats = FileStats::default();
                stored.push((Rule::parse(&pattern, 1, case), &mut step.stats));
            }
        }
        for entry in self.tree.to_commit_files() {
            let mut steps = stored.iter_mut();
            if let Some((_, stats)) = steps.find(|(rule, _)| rule.matches(&entry.path, false)) {
                **stats += entry.stats();
            }
        }
    }

    /// The types of files that make up most of a folder, as patterns; sources aren't among them.
    fn heavy_types(&self, folder: &RepoPath) -> Vec<BString> {
        let mut types: BTreeMap<BString, Bytes> = BTreeMap::new();
        let mut whole = Bytes(0);
        for entry in self.tree.to_commit_files() {
            if entry.path.is_within(folder) && !is_source_name(&entry.path) {
                whole.0 += entry.size.0;
                if let Some(pattern) = Breadth::Type.pattern(&entry.path) {
                    types.entry(pattern).or_default().0 += entry.size.0;
                }
            }
        }
        types.retain(|_, size| size.0.saturating_mul(HEAVY_PART) >= whole.0);
        types.into_keys().collect()
    }

    /// A line of the attributes by which git keeps line endings as LF in the repository, unless one
    /// says so, or otherwise, already.
    pub(super) fn keep_line_ends(&mut self) -> Result<()> {
        let Some(repository) = &self.snapshot.repository else {
            return Ok(());
        };
        let probe: [&BStr; 1] = ["x".into()];
        if !repository.attribute("text", &probe)?.is_empty() {
            return Ok(());
        }
        // What attributes cover already stays as it is.
        let crlf = repository.with_crlf()?;
        let paths: Vec<&BStr> = crlf.iter().map(|path| path.as_bstr()).collect();
        let declared = repository.attribute("text", &paths)?;
        let files = paths
            .iter()
            .filter(|path| !declared.contains_key(**path))
            .count() as u64;
        let line: BString = "* text=auto".into();
        let rule = NewRule {
            pattern: line.clone(),
            reason: "LF line endings in the repository for everybody".to_owned(),
            remake: None,
        };
        if self.edits.put_first(ATTRIBUTES.into(), rule)? {
            self.steps.push(Step {
                kind: StepKind::Attribute {
                    line,
                    is_storage: false,
                },
                path: RepoPathBuf::default(),
                reason: StepReason::LineEnds { files },
                findings: Vec::new(),
                stats: FileStats::default(),
            });
        }
        Ok(())
    }

    fn keep_out(&mut self, finding: &Finding, keep_out: &KeepOut) -> Result<()> {
        let rule = &keep_out.rule;
        let kind = StepKind::Ignore {
            pattern: rule.pattern.clone(),
            is_for_storage: keep_out.is_for_storage,
        };
        if !self.joins(finding, &kind)
            && !self.is_excluded(&finding.path)?
            && self.edits.add(IGNORE_FILE.into(), rule.clone())?
        {
            let reason = StepReason::Said(rule.reason.clone());
            self.step(finding, kind, reason, stats_of(finding));
            self.widened = true;
        }
        if finding.class() == Class::Secret {
            self.add_sample(&finding.path, Some(&finding.id))?;
        }
        if finding.state == State::Tracked {
            self.stop_tracking(finding);
        }
        if let (Some(_), Class::Generated, Some(remake)) =
            (self.remove, finding.class(), &rule.remake)
            && self.is_excluded(&finding.path)?
        {
            self.remove(&finding.path, remake, Some(&finding.id))?;
        }
        Ok(())
    }

    /// Lets a finding join a step that fixes it, too. Several findings may stand for one file; it
    /// counts once.
    fn joins(&mut self, finding: &Finding, kind: &StepKind) -> bool {
        let Some(step) = self.steps.iter_mut().find(|step| step.kind == *kind) else {
            return false;
        };
        if step.path != finding.path {
            step.stats += stats_of(finding);
        }
        step.findings.push(finding.id.clone());
        true
    }

    fn stop_tracking(&mut self, finding: &Finding) {
        let below = self.tree.below(&finding.path);
        let tracked: Vec<&Entry> = below
            .filter(|entry| entry.state == State::Tracked)
            .filter(|entry| finding.path.is_folder() || entry.path == finding.path)
            .filter(|entry| !self.untracked.contains(&entry.path))
            .collect();
        if !tracked.is_empty() {
            let stats = FileStats::sum(tracked.iter().copied());
            let reason = StepReason::TrackedFiles;
            self.step(finding, StepKind::StopTracking, reason, stats);
            let paths = tracked.into_iter().map(|entry| entry.path.clone());
            self.untracked.extend(paths);
        }
    }

    /// The same beside environment files that rules ignore already.
    pub(super) fn add_samples(&mut self) -> Result<()> {
        let entries = self.tree.to_commit();
        let folders: BTreeSet<&RepoPath> = entries.map(|entry| entry.path.folder()).collect();
        for folder in folders {
            let path: RepoPathBuf = folder.join(ENVIRONMENT);
            let is_file = self.snapshot.root.kind(&path) == Some(FileKind::File);
            let entry = self.tree.get(&path);
            let is_open = entry.is_none_or(|entry| entry.state == State::Ignored);
            if is_file && is_open && self.is_excluded(&path)? {
                self.add_sample(&path, None)?;
            }
        }
        Ok(())
    }

    /// Beside an environment file that is ignored, others need its keys.
    fn add_sample(&mut self, path: &RepoPath, finding: Option<&String>) -> Result<()> {
        let exists = |path: &RepoPath| self.snapshot.root.is_there(path);
        let name = sample::name(path);
        if !is_environment(path) || self.edits.writes_anew(&name) || sample::has_one(path, &exists)
        {
            return Ok(());
        }
        let text = self.snapshot.read_if_there(path)?.unwrap_or_default();
        if let Some(made) = sample::sample(&text) {
            let stats = FileStats::one(Bytes(made.text.len() as u64));
            self.steps.push(Step {
                kind: StepKind::Sample(name.clone()),
                path: path.to_owned(),
                reason: StepReason::Keys {
                    of: path.to_owned(),
                    left_out: made.left_out,
                },
                findings: finding.into_iter().cloned().collect(),
                stats,
            });
            self.edits.put(name, made.text);
        }
        Ok(())
    }

    fn let_in(&mut self, finding: &Finding, folder: &RepoPath, rule: &NewRule) -> Result<()> {
        if self.edits.add(&folder.join(IGNORE_FILE), rule.clone())? {
            let kind = StepKind::LetIn(rule.pattern.clone());
            let reason = StepReason::Said(rule.reason.clone());
            self.step(finding, kind, reason, stats_of(finding));
        }
        Ok(())
    }

    /// Lets a file be run by whoever may read it, or by nobody.
    fn set_mode(&mut self, finding: &Finding, is_executable: bool) -> Result<bool> {
        let found = self.snapshot.root.meta_if_there(&finding.path);
        let found = found.map_err(io_error_at(&self.snapshot.path(&finding.path)))?;
        let Some(found) = found.filter(|found| found.kind == FileKind::File) else {
            return Ok(false);
        };
        // What runs as another user is a person's decision.
        if found.mode & AS_ANOTHER != 0 {
            return Ok(false);
        }
        let to_run = (found.mode & MAY_READ) >> 2;
        self.modes.push(ModeChange {
            path: finding.path.clone().into(),
            before: found.mode,
            after: if is_executable {
                found.mode | to_run
            } else {
                found.mode & !MAY_RUN
            },
        });
        let reason = StepReason::Finding(finding.cause.clone());
        let kind = StepKind::Mode { is_executable };
        self.step(finding, kind, reason, stats_of(finding));
        Ok(true)
    }

    /// A step that is about a rule, and concerns no files.
    fn step_on_rule(&mut self, finding: &Finding, kind: StepKind) {
        let reason = StepReason::Finding(finding.cause.clone());
        self.step(finding, kind, reason, FileStats::default());
    }

    fn add_attribute(&mut self, finding: &Finding, line: &NewRule, is_storage: bool) -> Result<()> {
        let kind = StepKind::Attribute {
            line: line.pattern.clone(),
            is_storage,
        };
        if !self.joins(finding, &kind)
            && !self
                .edits
                .has_line(ATTRIBUTES.into(), line.pattern.as_bstr())?
            && self.edits.add(ATTRIBUTES.into(), line.clone())?
        {
            let reason = StepReason::Said(line.reason.clone());
            self.step(finding, kind, reason, stats_of(finding));
        }
        Ok(())
    }

    /// Moves something out of the way, unless something else in it would go, too.
    fn remove(&mut self, path: &RepoPath, remake: &str, finding: Option<&String>) -> Result<()> {
        let bare = path.bare();
        if self
            .moved
            .iter()
            .any(|moved| *moved == path || path.is_within(moved))
            || !self.snapshot.root.is_there(bare)
            || self.needed.iter().any(|needed| needed.is_within(path))
            || self.tree.below(path).any(|entry| {
                entry.state == State::Tracked
                    && (entry.path == path || entry.path.is_within(path))
                    && !self.untracked.contains(&entry.path)
            })
        {
            return Ok(());
        }
        if let Some(stats) = removal::stats(&self.snapshot.root, bare)? {
            self.moved.insert(path.to_owned());
            let remake = remake.to_owned();
            self.steps.push(Step {
                kind: StepKind::Remove {
                    remake: remake.clone(),
                },
                path: path.to_owned(),
                reason: StepReason::Remake { command: remake },
                findings: finding.into_iter().cloned().collect(),
                stats,
            });
        }
        Ok(())
    }

    fn step(&mut self, finding: &Finding, kind: StepKind, reason: StepReason, stats: FileStats) {
        let (path, findings) = (finding.path.clone(), vec![finding.id.clone()]);
        self.steps.push(Step {
            kind,
            path,
            reason,
            findings,
            stats,
        });
    }

    /// Whether the rules that everyone has, with the ones to be added, ignore a path.
    fn is_excluded(&self, path: &RepoPath) -> Result<bool> {
        let chain = self.edits.rules_at(path.folder())?;
        Ok(chain.ignored_by(path.bare(), path.is_folder()).is_some())
    }

    /// Rules that match more than before may cover tracked files, which they do nothing for:
    /// exceptions say so.
    fn except_tracked(&mut self) -> Result<()> {
        let (was, is) = (
            Verdicts::new(self.snapshot, Overlay::new())?,
            Verdicts::new(self.snapshot, self.edits.overlay())?,
        );
        let keeps_out = |answer: &Answer| answer.ruling.as_ref().is_some_and(Ruling::ignores);
        let tracked = self.tree.in_state(State::Tracked);
        for entry in tracked.filter(|entry| entry.kind == EntryKind::File) {
            let path = &entry.path;
            if self.untracked.contains(path) {
                continue;
            }
            let answer = is.query(path)?;
            let is_new = keeps_out(&answer) && answer.excluded_parent(path).is_none();
            if is_new && !keeps_out(&was.query(path)?) {
                self.except(entry)?;
            }
        }
        Ok(())
    }

    fn except(&mut self, entry: &Entry) -> Result<()> {
        let pattern = [b"!", exactly(&entry.path).as_slice()].concat();
        let rule = NewRule {
            pattern: pattern.into(),
            reason: "tracked on purpose, though a rule matches it".to_owned(),
            remake: None,
        };
        if self.edits.add(IGNORE_FILE.into(), rule.clone())? {
            self.steps.push(Step {
                kind: StepKind::LetIn(rule.pattern),
                path: entry.path.clone(),
                reason: StepReason::Said(rule.reason),
                findings: Vec::new(),
                stats: entry.stats(),
            });
        }
        Ok(())
    }

    /// The plan, and what it does beyond its findings, if it does.
    pub(super) fn finish(mut self, left: Vec<Finding>) -> Result<(Plan, Option<Breach>)> {
        if self.widened {
            self.except_tracked()?;
        }
        for (path, remake) in self
            .remove
            .map(|survey| removal::kept_out(self.tree, survey))
            .unwrap_or_default()
        {
            self.remove(&path, remake, None)?;
        }
        let untracked: Vec<RepoPathBuf> = self.untracked.iter().cloned().collect();
        let overlay = self.edits.overlay();
        let mut effect = Effect::compute(self.snapshot, self.tree, overlay.clone(), &untracked)?;
        let breach = Breach::find(
            self.snapshot,
            &self.steps,
            &self.claims,
            &effect,
            overlay.clone(),
        )?;
        let changes = Changes {
            files: self.edits.changes(),
            moved: self.moved.into_iter().map(BString::from).collect(),
            modes: self.modes,
            untracked: untracked.into_iter().map(BString::from).collect(),
        };
        may_change(self.snapshot, &changes)?;
        let written = changes
            .files
            .iter()
            .filter(|change| change.area == Area::Worktree)
            .map(|change| {
                let size = match &change.after {
                    Content::Nothing => None,
                    Content::File(held) => Some(Bytes(held.len() as u64)),
                    Content::Link(target) => Some(Bytes(target.len() as u64)),
                };
                (RepoPath::new(&change.path), size)
            });
        effect.count_written(self.snapshot, self.tree, overlay, written)?;
        // What the plan ignores anyway needs no fix of its own, unless it got further than the
        // disk.
        let ignored: BTreeSet<&RepoPath> =
            effect.kept_out.iter().map(|entry| &*entry.path).collect();
        let is_fixed = |finding: &Finding| {
            finding.exposure <= Exposure::Staged
                && finding.places().all(|place| {
                    if place.path.is_folder() {
                        false
                    } else {
                        ignored.contains(&*place.path)
                    }
                })
        };
        let left = left
            .into_iter()
            .filter(|finding| !is_fixed(finding))
            .collect();
        let plan = Plan {
            steps: self.steps,
            left,
            changes,
            effect,
        };
        Ok((plan, breach))
    }
}

fn stats_of(finding: &Finding) -> FileStats {
    FileStats {
        files: finding.files,
        size: finding.size.unwrap_or_default(),
    }
}

/// # Errors
/// If a path is in conflict, or git is in the middle of something that touches it.
pub(crate) fn may_change(snapshot: &Snapshot, changes: &Changes) -> Result<()> {
    let Some(repository) = snapshot.repository.as_ref().filter(|_| !changes.is_empty()) else {
        return Ok(());
    };
    let index = snapshot.index()?;
    if let Some(path) = changes.paths().find(|path| {
        index
            .get(path.as_bstr())
            .is_some_and(|entry| entry.conflicted())
    }) {
        return Err(Error::Conflicted { path: path.clone() });
    }
    if let Some(in_progress) = repository.in_progress()?
        && let Some(path) = changes
            .paths()
            .find(|path| in_progress.paths.contains(*path))
    {
        return Err(Error::Unfinished {
            operation: in_progress.operation,
            path: path.clone(),
        });
    }
    Ok(())
}
