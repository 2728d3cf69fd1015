//! What there is to see, worked out beside the window so that no key waits for it.

use anyhow::Result;
use bstr::{BString, ByteSlice};
use crossbeam_channel::{Receiver, Sender};
use redshank_changes::journal::{IfEdited, Journal};
use redshank_changes::rehearse::{Learned, RunContext, learned};
use redshank_changes::{Edit, RuleTarget, write};
use redshank_findings::{Finding, ScanOptions, scan};
use redshank_rules::RuleScope;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_templates::{Collection, recognise};
use redshank_text as text;
use redshank_watch::{self as watch, Recorder};
use redshank_worktree::settings::GivenLimits;
use redshank_worktree::sums::{Comparison, FolderChange};
use redshank_worktree::tree::{Entry, State, Tree};
use redshank_worktree::usage::FileUsage;
use redshank_worktree::{Overlay, Snapshot, Verdicts};
use std::cmp::Reverse;
use std::collections::HashSet;
use std::path::Path;
use std::sync::Arc;

/// What the window wants.
pub enum WorkerRequest {
    /// What this would do.
    Try(Proposal),
    Write(Proposal),
    /// Take the last change back.
    Undo,
    /// Why a path is what it is, with what is typed.
    Explain(RepoPathBuf),
    /// Something changed on disk.
    DiskChanged,
}

/// A pattern, and where it would be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Proposal {
    /// As it is typed; empty for none.
    pub pattern: String,
    /// Who it is for.
    pub scope: RuleScope,
    /// The folder whose file it would be in, for that scope.
    pub folder: RepoPathBuf,
}

/// What the window gets.
pub enum WorkerEvent {
    /// What there is to see.
    View(Arc<View>),
    /// Why a path is what it is, a line each.
    Reason(RepoPathBuf, Vec<String>),
    /// What was found here.
    Findings(Arc<Vec<Finding>>),
    /// The rules for what came since the view was opened.
    Learned(Arc<Vec<Learned>>),
    /// What came of something that was asked for.
    Said(String),
}

/// The tree, as it is and as it would be.
pub struct View {
    /// The name of the top folder.
    pub name: String,
    /// The file that the pattern would be in.
    pub file: BString,
    /// The tree as it would be.
    pub after: Tree,
    /// Whether each of its paths changes sides, and how it is now.
    pub before: Vec<State>,
    /// What changes in each folder.
    pub sums: Comparison,
    /// That the pattern would do nothing, and why.
    pub in_vain: Option<String>,
    /// The paths that came since the view was opened.
    pub new: HashSet<RepoPathBuf>,
}

/// A row of the tree.
#[derive(Debug, Clone)]
pub struct Row {
    /// Which; a folder ends in a slash.
    pub path: RepoPathBuf,
    /// How deep it is below what is shown, from 0.
    pub depth: usize,
    /// What it amounts to.
    pub kind: RowKind,
    /// It came since the view was opened, or something in it did.
    pub is_new: bool,
}

/// What a row is.
#[derive(Debug, Clone)]
pub enum RowKind {
    /// A folder, and whether what is in it shows.
    Folder(FolderChange, bool),
    /// A file: how it is, how it would be, and its size in bytes.
    File(State, State, u64),
}

impl View {
    /// The rows that show, with these folders open.
    pub fn rows(&self, open: &HashSet<RepoPathBuf>) -> Vec<Row> {
        let mut rows = Vec::new();
        self.add_rows(RepoPath::top(), 0, open, &mut rows);
        rows
    }

    /// The files and folders of which that is true, whole paths, what changes first, then the
    /// heaviest.
    pub fn rows_that(&self, is_meant: &dyn Fn(&RepoPath) -> bool) -> Vec<Row> {
        let mut rows = Vec::new();
        let mut seen: HashSet<&RepoPath> = HashSet::new();
        for (at, entry) in self.after.entries.iter().enumerate() {
            for folder in entry.path.folders_above() {
                if !folder.is_top() && seen.insert(folder) && is_meant(folder) {
                    let change = self.sums.folder(folder);
                    rows.push(self.row(folder, RowKind::Folder(change, false)));
                }
            }
            if !entry.path.is_folder() && is_meant(&entry.path) {
                let kind = RowKind::File(self.before[at], entry.state, entry.size.0);
                rows.push(self.row(&entry.path, kind));
            }
        }
        rows.sort_by_key(|row| Reverse((row.is_new, row.changes(), row.weight())));
        rows
    }

    fn row(&self, path: &RepoPath, kind: RowKind) -> Row {
        Row {
            path: path.to_owned(),
            depth: 0,
            kind,
            is_new: self
                .new
                .iter()
                .any(|new| new.is_within(path) || **new == *path),
        }
    }

    fn add_rows(
        &self,
        folder: &RepoPath,
        depth: usize,
        open: &HashSet<RepoPathBuf>,
        rows: &mut Vec<Row>,
    ) {
        let entries = &self.after.entries;
        let mut here: Vec<Row> = Vec::new();
        let mut at = entries.partition_point(|entry| *entry.path < *folder);
        while let Some(entry) = entries
            .get(at)
            .filter(|entry| entry.path.starts_with(folder))
        {
            let below = entry.path.below(folder).unwrap_or(RepoPath::top());
            let part = below.top_folder();
            if part.is_top() || part == below {
                let kind = RowKind::File(self.before[at], entry.state, entry.size.0);
                here.push(Row {
                    path: entry.path.clone(),
                    depth,
                    is_new: self.new.contains(&entry.path),
                    kind,
                });
                at += 1;
                continue;
            }
            let inner = folder.join(part);
            let many = entries[at..].partition_point(|entry| entry.path.is_within(&inner));
            here.push(Row {
                depth,
                is_new: self.new.iter().any(|path| path.is_within(&inner)),
                kind: RowKind::Folder(self.sums.folder(&inner), open.contains(&inner)),
                path: inner,
            });
            at += many.max(1);
        }
        here.sort_by_key(|row| Reverse((row.is_new, row.changes(), row.weight())));
        for row in here {
            let inner = match row.kind {
                RowKind::Folder(_, true) => Some(row.path.clone()),
                _ => None,
            };
            rows.push(row);
            if let Some(inner) = inner {
                self.add_rows(&inner, depth + 1, open, rows);
            }
        }
    }
}

impl Row {
    /// Whether it, or something in it, changes sides.
    pub fn changes(&self) -> bool {
        match &self.kind {
            RowKind::Folder(change, _) => change.before != change.after,
            RowKind::File(before, after, _) => before != after,
        }
    }

    /// How heavy it is, in bytes, then files.
    fn weight(&self) -> (u64, u64) {
        match &self.kind {
            RowKind::Folder(change, _) => {
                let most = change.before.size.max(change.after.size).0;
                (most, change.before.files.max(change.after.files))
            }
            RowKind::File(State::Ignored, State::Ignored, _) => (0, 0),
            RowKind::File(_, _, size) => (*size, 1),
        }
    }
}

/// What lasts while the tree changes.
struct Worker<'l> {
    top: &'l Path,
    limits: GivenLimits,
    /// What is written and by whom; from the first picture on, which waits for nothing else.
    recorder: Option<Recorder>,
    /// The paths that were there at first.
    first: Option<HashSet<RepoPathBuf>>,
    proposal: Proposal,
    /// The last pictures are held, so that the window, which has the older one until it draws the
    /// newer, is never the one to take a tree apart.
    held: [Option<Arc<View>>; 2],
    jobs: &'l Receiver<WorkerRequest>,
    news: &'l Sender<WorkerEvent>,
}

/// Works until the window is gone. It tells itself that the disk has changed.
pub fn work(
    top: &Path,
    limits: GivenLimits,
    (jobs, own): (&Receiver<WorkerRequest>, &Sender<WorkerRequest>),
    news: &Sender<WorkerEvent>,
) {
    let mut lookout = Worker {
        top,
        limits,
        recorder: None,
        first: None,
        proposal: Proposal {
            pattern: String::new(),
            scope: RuleScope::Team,
            folder: RepoPathBuf::default(),
        },
        held: [None, None],
        jobs,
        news,
    };
    while let Some(()) = lookout.look(own) {}
}

impl Worker<'_> {
    /// Looks, until the disk changes; nothing once the window is gone.
    fn look(&mut self, own: &Sender<WorkerRequest>) -> Option<()> {
        let snapshot = match Snapshot::open(self.top) {
            Ok(snapshot) => snapshot,
            Err(error) => {
                self.news.send(WorkerEvent::Said(error.to_string())).ok()?;
                // It may be gone for a moment.
                self.jobs.recv().ok()?;
                return Some(());
            }
        };
        self.tell(&snapshot)?;
        if self.recorder.is_none() {
            let recorder = Recorder::start(self.top, &snapshot.files_beside());
            let changed = own.clone();
            watch::when_quiet(recorder.changed().clone(), move || {
                changed.send(WorkerRequest::DiskChanged).is_ok()
            });
            self.recorder = Some(recorder);
            // Something may have come before it was watched.
            return Some(());
        }
        let mut owes_more = true;
        loop {
            // Anyone who types has to wait for nothing that takes longer.
            if owes_more && self.jobs.is_empty() {
                owes_more = false;
                if let Ok((learned, found)) = self.beside(&snapshot) {
                    self.news
                        .send(WorkerEvent::Learned(Arc::new(learned)))
                        .ok()?;
                    self.news
                        .send(WorkerEvent::Findings(Arc::new(found)))
                        .ok()?;
                }
            }
            let (mut tries, mut explains, mut is_disk_changed) = (None, None, false);
            // Of what can be overtaken, only the newest counts.
            for job in std::iter::once(self.jobs.recv().ok()?).chain(self.jobs.try_iter()) {
                match job {
                    WorkerRequest::Try(new) => tries = Some(new),
                    WorkerRequest::Explain(path) => explains = Some(path),
                    WorkerRequest::DiskChanged => is_disk_changed = true,
                    WorkerRequest::Write(new) => {
                        let said = written(&snapshot, &new);
                        let said = said.unwrap_or_else(|error| format!("{error:#}"));
                        // What was typed up to here is written now. What comes behind it is for
                        // the disk as it is then.
                        self.proposal = Proposal {
                            pattern: String::new(),
                            ..new
                        };
                        self.news.send(WorkerEvent::Said(said)).ok()?;
                        return Some(());
                    }
                    WorkerRequest::Undo => {
                        self.news.send(WorkerEvent::Said(undone(&snapshot))).ok()?;
                        self.proposal = tries.unwrap_or_else(|| self.proposal.clone());
                        return Some(());
                    }
                }
            }
            let is_tried = tries.is_some();
            if let Some(new) = tries {
                self.proposal = new;
            }
            if is_disk_changed {
                return Some(());
            }
            if is_tried {
                self.tell(&snapshot)?;
            }
            if let Some(path) = explains {
                let reason = reason(&snapshot, &self.proposal, &path);
                let lines = reason.unwrap_or_else(|error| vec![format!("{error:#}")]);
                self.news.send(WorkerEvent::Reason(path, lines)).ok()?;
            }
        }
    }

    /// Tells what there is to see.
    fn tell(&mut self, snapshot: &Snapshot) -> Option<()> {
        let found = match seen(snapshot, &self.proposal, &mut self.first) {
            Ok(look) => {
                let look = Arc::new(look);
                self.held.rotate_right(1);
                self.held[0] = Some(Arc::clone(&look));
                WorkerEvent::View(look)
            }
            Err(error) => WorkerEvent::Said(format!("{error:#}")),
        };
        self.news.send(found).ok()
    }

    /// What takes longer: rules for what came, and what is found.
    fn beside(&self, snapshot: &Snapshot) -> Result<(Vec<Learned>, Vec<Finding>)> {
        let collection = Collection::load(snapshot)?.chosen(&snapshot.settings()?.draft)?;
        let survey = recognise(snapshot, snapshot.tree()?, &collection);
        let tree = snapshot.whole_tree()?;
        let first = self.first.as_ref();
        let (old, new): (Vec<&Entry>, Vec<&Entry>) = tree
            .entries
            .iter()
            .partition(|entry| first.is_none_or(|first| first.contains(&entry.path)));
        let learned = match &self.recorder {
            Some(recorder) if !new.is_empty() => learned(&RunContext {
                tree,
                survey: &survey,
                came: &new,
                left: &HashSet::new(),
                known: old
                    .iter()
                    .flat_map(|entry| entry.path.folders_above())
                    .collect(),
                earlier: &[],
                seen: &recorder.seen(),
                is_command: false,
            }),
            _ => Vec::new(),
        };
        let options = ScanOptions {
            limits: self.limits,
            ..ScanOptions::default()
        };
        Ok((learned, scan(snapshot, &survey, &options)?.findings))
    }
}

/// Undoes the last change, and says so.
fn undone(snapshot: &Snapshot) -> String {
    let undone = Journal::open(snapshot).and_then(|journal| journal.undo(None, IfEdited::Refuse));
    match undone {
        Ok(_) => "the last change is undone".to_owned(),
        Err(error) => error.to_string(),
    }
}

fn target(snapshot: &Snapshot, proposal: &Proposal) -> Result<RuleTarget> {
    Ok(RuleTarget::find(
        snapshot,
        proposal.scope,
        &proposal.folder,
    )?)
}

/// The files of rules with what is typed.
fn overlay(target: &RuleTarget, proposal: &Proposal) -> Overlay {
    if proposal.pattern.is_empty() {
        return Overlay::new();
    }
    let pattern = BString::from(proposal.pattern.as_str());
    Overlay::from([(target.source.shown.clone(), target.with(&[pattern]))])
}

fn seen(
    snapshot: &Snapshot,
    proposal: &Proposal,
    first: &mut Option<HashSet<RepoPathBuf>>,
) -> Result<View> {
    let target = target(snapshot, proposal)?;
    let whole = snapshot.whole_tree()?;
    let overlay = overlay(&target, proposal);
    let after = Verdicts::new(snapshot, overlay.clone())?.ruled_anew(whole)?;
    let sums = Comparison::new(whole, &after);
    let in_vain = if !proposal.pattern.is_empty()
        && sums.folder(RepoPath::top()).before == sums.folder(RepoPath::top()).after
    {
        let usage = FileUsage::compute(snapshot, &target.source, overlay)?;
        usage.rules.last().and_then(text::in_vain)
    } else {
        None
    };
    let paths = || whole.entries.iter().map(|entry| entry.path.clone());
    let known = first.get_or_insert_with(|| paths().collect());
    let new = paths().filter(|path| !known.contains(path)).collect();
    let name = snapshot.top.file_name().unwrap_or_default();
    Ok(View {
        name: name.to_string_lossy().into_owned(),
        file: target.source.shown,
        before: whole.entries.iter().map(|entry| entry.state).collect(),
        after,
        sums,
        in_vain,
        new,
    })
}

/// Writes what is typed, and says so.
fn written(snapshot: &Snapshot, proposal: &Proposal) -> Result<String> {
    let target = target(snapshot, proposal)?;
    if target.holds(proposal.pattern.as_str().into()) {
        let file = text::shown(target.source.shown.as_bstr());
        return Ok(format!("`{}` is already in {file}", proposal.pattern));
    }
    let after = target.with(&[proposal.pattern.as_str().into()]);
    write(snapshot, "live", &[Edit::of_rules(target, after)])?;
    Ok("written; Ctrl-R undoes it".to_owned())
}

fn reason(snapshot: &Snapshot, proposal: &Proposal, path: &RepoPath) -> Result<Vec<String>> {
    let target = target(snapshot, proposal)?;
    let verdicts = Verdicts::new(snapshot, overlay(&target, proposal))?;
    let answer = verdicts.query(path)?;
    let text = text::answer(&verdicts, path.as_bstr(), path, &answer)?;
    let plain = anstream::adapter::strip_str(&text).to_string();
    Ok(plain.lines().map(str::to_owned).collect())
}
