//! What is known of each open text, worked out beside the conversation with the editor.
//!
//! One thread holds a picture of the working tree. Whenever a text or the disk changes it looks
//! again at what is open, the newest state only, and hands over what it found, owned and complete,
//! so that no question of the editor waits for it.

use super::documents::{Document, Documents};
use super::offers::Offers;
use super::parts::Parts;
use bstr::{BString, ByteSlice};
use crossbeam_channel::{Receiver, Sender};
use redshank_findings::{Finding, secrets_of};
use redshank_rules::fit;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_rules::{RuleScope, Source};
use redshank_secrets::masked;
use redshank_templates::{
    Collection, Draft, DraftOptions, Failure, Survey, Template, ignores_sources, prove, recognise,
};
use redshank_text as text;
use redshank_worktree::expectations;
use redshank_worktree::settings::{self, Settings};
use redshank_worktree::size::Bytes;
use redshank_worktree::tree::State;
use redshank_worktree::usage::{FileUsage, RuleStatus, RuleUsage};
use redshank_worktree::{Error, FileStats, Overlay, Snapshot, Verdicts, toml_file};
use std::cell::RefCell;
use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// What there is to do.
pub enum WorkerRequest {
    /// These texts are open now.
    Open(Documents),
    /// Something changed on disk.
    DiskChanged,
}

pub enum WorkerEvent {
    /// The picture of the tree.
    WorkspaceIndex(Arc<WorkspaceIndex>),
    /// What is known of a text, in this state of it.
    Document(String, Arc<Analysis>),
}

/// What every open text is looked at against.
#[derive(Default)]
pub struct WorkspaceIndex {
    pub top: PathBuf,
    /// The files that a commit of everything would take in, sorted, with their sizes.
    pub candidates: Vec<(RepoPathBuf, Bytes)>,
    /// What of these is at the top, and their types.
    pub parts: Parts,
    pub offers: Offers,
    /// For each path that rules decide about: the file of the rule, and its line from 0.
    pub rulings: HashMap<RepoPathBuf, (Arc<Path>, u32)>,
    /// Where rules for this clone alone go, and for this person.
    pub elsewhere: Vec<(RuleScope, PathBuf)>,
    /// What each ignore file would hold with the rules that fit the projects, and the file that
    /// remembers them.
    pub drafted: Vec<(PathBuf, String)>,
}

/// What is known of a text.
pub struct Analysis {
    /// The state of the text.
    pub version: i32,
    pub kind: Kind,
    /// The credentials in it.
    pub secrets: Vec<Finding>,
}

/// What a text is, with what is known of it as such.
pub enum Kind {
    Rules(RuleFile),
    Settings(Vec<Fault>),
    Template(Vec<Fault>),
    Other,
}

/// A line that something is wrong with.
pub struct Fault {
    pub line: u32,
    pub said: String,
}

/// A file of rules.
pub struct RuleFile {
    /// Where its patterns start.
    pub source: Source,
    /// Its rules, the first line first.
    pub rules: Vec<RuleFacts>,
}

/// What is known of a rule.
pub struct RuleFacts {
    /// Its line, from 0.
    pub line: u32,
    pub text: BString,
    pub negated: bool,
    /// What it amounts to.
    pub status: RuleStatus,
    /// What it decides about.
    pub catches: FileStats,
    /// The first of these paths.
    pub first: Vec<RepoPathBuf>,
    /// It ignores somebody's sources.
    pub takes_work: bool,
    /// What a template says of it: its name, the reason, and what makes the files again.
    pub reason: Option<(String, String, Option<String>)>,
}

/// At most this many of the paths that a rule decides about are kept by name.
const FIRST: usize = 200;

/// Works until the editor is gone.
pub fn work(top: &Path, jobs: &Receiver<WorkerRequest>, news: &Sender<WorkerEvent>) {
    let mut open = Documents::default();
    loop {
        match Snapshot::open(top) {
            // While it is on disk as in this picture.
            Ok(snapshot) => {
                if look(&snapshot, &mut open, jobs, news).is_none() {
                    return;
                }
            }
            // It may be gone for a moment.
            Err(error) => {
                tracing::warn!("{}", masked(&error.to_string()));
                match jobs.recv() {
                    Ok(WorkerRequest::Open(documents)) => open = documents,
                    Ok(WorkerRequest::DiskChanged) => {}
                    Err(_) => return,
                }
            }
        }
    }
}

/// Looks at what is open, until the disk changes; nothing once the editor is gone.
fn look(
    snapshot: &Snapshot,
    open: &mut Documents,
    jobs: &Receiver<WorkerRequest>,
    news: &Sender<WorkerEvent>,
) -> Option<()> {
    let collection = chosen(snapshot);
    let tree = snapshot.whole_tree().ok();
    let survey = tree
        .zip(collection.as_ref())
        .map(|(tree, collection)| recognise(snapshot, tree, collection));
    let here = Here {
        snapshot,
        survey: survey.as_ref(),
        collection: collection.as_ref(),
        work: RefCell::default(),
    };
    let mut known: HashMap<String, i32> = HashMap::new();
    // What is open comes first: it is what the person looks at.
    here.look_at(open, &mut known, news)?;
    news.send(WorkerEvent::WorkspaceIndex(Arc::new(here.picture())))
        .ok()?;
    loop {
        let mut is_disk_changed = false;
        // Only the newest state counts.
        for job in std::iter::once(jobs.recv().ok()?).chain(jobs.try_iter()) {
            match job {
                WorkerRequest::Open(documents) => *open = documents,
                WorkerRequest::DiskChanged => is_disk_changed = true,
            }
        }
        if is_disk_changed {
            return Some(());
        }
        here.look_at(open, &mut known, news)?;
    }
}

fn chosen(snapshot: &Snapshot) -> Option<Collection> {
    let collection = Collection::load(snapshot).ok()?;
    match snapshot.settings() {
        Ok(settings) => collection.chosen(&settings.draft).ok(),
        Err(_) => Some(collection),
    }
}

/// A picture of the working tree with what is recognised in it.
struct Here<'a> {
    snapshot: &'a Snapshot,
    survey: Option<&'a Survey<'a>>,
    collection: Option<&'a Collection>,
    /// What the guard said of folders that a pattern ignores; it reads files.
    work: RefCell<HashMap<(RepoPathBuf, BString), bool>>,
}

impl Here<'_> {
    /// Looks at the texts that are new in this picture, or changed; nothing once the editor is
    /// gone.
    fn look_at(
        &self,
        open: &Documents,
        known: &mut HashMap<String, i32>,
        news: &Sender<WorkerEvent>,
    ) -> Option<()> {
        let rules_changed = open.iter().any(|document| {
            let is_known = known.get(document.uri.as_str()) == Some(&document.version);
            !is_known && self.snapshot.source_of(&document.path).is_some()
        });
        for document in open.iter() {
            let uri = document.uri.to_string();
            let is_of_rules = self.snapshot.source_of(&document.path).is_some()
                || document.path.ends_with(settings::FILE);
            let is_known = known.get(&uri) == Some(&document.version);
            // Rules in one file decide what those in another come to.
            if is_known && !(rules_changed && is_of_rules) {
                continue;
            }
            let analysis = Arc::new(self.analysis(document, open));
            known.insert(uri.clone(), document.version);
            news.send(WorkerEvent::Document(uri, analysis)).ok()?;
        }
        Some(())
    }

    fn analysis(&self, document: &Document, open: &Documents) -> Analysis {
        let path = self.path_of(document);
        let kind = match self.snapshot.source_of(&document.path) {
            Some(source) => self.rules(source, open).map(Kind::Rules),
            None if path.as_bstr() == settings::FILE => {
                Some(Kind::Settings(self.settings(document, open)))
            }
            None if is_template(&path) => Some(Kind::Template(template(document))),
            None => None,
        };
        let secrets = secrets_of(&path, document.text.as_bytes());
        Analysis {
            version: document.version,
            kind: kind.unwrap_or(Kind::Other),
            secrets: secrets.unwrap_or_default(),
        }
    }

    /// The path of a text from the top; for one elsewhere, its name.
    fn path_of(&self, document: &Document) -> RepoPathBuf {
        let below = document.path.strip_prefix(&self.snapshot.top);
        let name = document.path.file_name().map(Path::new);
        let path = below.ok().or(name).unwrap_or(Path::new(""));
        RepoPathBuf::from(path.to_string_lossy().as_bytes().as_bstr())
    }

    /// The files of rules as they are on the editor's screen.
    fn overlay(&self, open: &Documents) -> Overlay {
        let sources = open.iter().filter_map(|document| {
            let source = self.snapshot.source_of(&document.path)?;
            Some((source.shown, document.text.as_bytes().to_vec()))
        });
        sources.collect()
    }

    fn rules(&self, source: Source, open: &Documents) -> Option<RuleFile> {
        let usage = FileUsage::compute(self.snapshot, &source, self.overlay(open)).ok()?;
        let reasons = self.reasons(&source);
        let mut caught: HashMap<usize, Vec<RepoPathBuf>> = HashMap::new();
        for entry in &usage.tree.entries {
            let ruling = entry
                .ruling
                .as_ref()
                .filter(|it| it.source().shown == source.shown);
            if let Some(at) = ruling.and_then(|ruling| at_line(&usage.rules, ruling.rule().line)) {
                let first = caught.entry(at).or_default();
                if first.len() < FIRST {
                    first.push(entry.path.clone());
                }
            }
        }
        let facts = usage.rules.iter().enumerate().map(|(at, rule)| {
            let first = caught.remove(&at).unwrap_or_default();
            let reason = reasons.get(&rule.rule().text).cloned();
            RuleFacts {
                line: rule.rule().line.saturating_sub(1),
                text: rule.rule().text.clone(),
                negated: rule.rule().negated,
                status: rule.status.clone(),
                catches: rule.catches,
                takes_work: self.takes_work(rule, &first),
                first,
                reason,
            }
        });
        Some(RuleFile {
            rules: facts.collect(),
            source,
        })
    }

    /// Whether a rule ignores a folder of somebody's sources, by a name that tools use as well.
    fn takes_work(&self, rule: &RuleUsage, caught: &[RepoPathBuf]) -> bool {
        let (Some(survey), base) = (self.survey, &rule.list.source.base) else {
            return false;
        };
        if rule.rule().negated {
            return false;
        }
        let text = rule.rule().text.as_bstr();
        let folders = caught.iter().filter_map(|path| {
            let below = path.below(base)?;
            let part = below
                .parts()
                .find(|part| rule.rule().matches(part.bare(), part.is_folder()))
                .filter(|part| part.is_folder())?;
            Some(base.join(part))
        });
        let folders: HashSet<RepoPathBuf> = folders.collect();
        folders.into_iter().any(|folder| {
            let mut known = self.work.borrow_mut();
            *known
                .entry((folder.clone(), text.to_owned()))
                .or_insert_with(|| ignores_sources(survey, &folder, text))
        })
    }

    /// What templates say of patterns, as they are written for the projects here.
    fn reasons(&self, source: &Source) -> HashMap<BString, (String, String, Option<String>)> {
        let mut reasons = HashMap::new();
        let projects = self.survey.iter().flat_map(|survey| &survey.projects);
        for project in projects {
            let folder = project.rules_folder();
            let Some(below) = folder.below(&source.base) else {
                continue;
            };
            for rule in &project.template.rule {
                let said = (
                    project.template.name.clone(),
                    rule.reason.clone(),
                    rule.remake.clone(),
                );
                let plain = BString::from(rule.pattern.as_str());
                reasons
                    .entry(fit(&rule.pattern, below))
                    .or_insert(said.clone());
                reasons.entry(plain).or_insert(said);
            }
        }
        reasons
    }

    fn settings(&self, document: &Document, open: &Documents) -> Vec<Fault> {
        let settings = match Settings::parse(&document.text, &document.path) {
            Ok(settings) => settings,
            Err(error) => return vec![fault_of(&error)],
        };
        let mut faults = Vec::new();
        let heads = |heading: &str, nth: usize| {
            let mut lines = document.text.lines().enumerate();
            let nth = lines
                .by_ref()
                .filter(|(_, line)| line.trim() == heading)
                .nth(nth);
            nth.map_or(0, |(line, _)| line as u32)
        };
        let blank = settings.accept.iter().enumerate();
        for (nth, _) in blank.filter(|(_, one)| one.because.trim().is_empty()) {
            faults.push(Fault {
                line: heads("[[accept]]", nth),
                said: "give a reason in `because`; until then it isn't accepted".to_owned(),
            });
        }
        let Ok(verdicts) = Verdicts::new(self.snapshot, self.overlay(open)) else {
            return faults;
        };
        let outcomes = expectations::prove(self.snapshot, &verdicts, &settings.expect);
        let outcomes = outcomes.unwrap_or_default();
        let failed = outcomes.iter().enumerate();
        for (nth, outcome) in failed.filter(|(_, outcome)| !outcome.wrong.is_empty()) {
            let (path, answer) = &outcome.wrong[0];
            let more = match outcome.wrong.len() {
                1 => String::new(),
                many => format!(" (and {} more)", many - 1),
            };
            let is = match answer.state {
                State::Ignored => "ignored",
                State::Tracked => "tracked",
                State::Candidate => "a candidate",
            };
            let by = answer.ruling.as_ref().map_or(String::new(), |ruling| {
                format!(", by {}", text::ruling(ruling))
            });
            faults.push(Fault {
                line: heads("[[expect]]", nth),
                said: format!(
                    "expected to be {}, but {path} is {is}{by}{more}",
                    outcome.expected.state.word()
                ),
            });
        }
        faults
    }

    fn picture(&self) -> WorkspaceIndex {
        let tree = self.snapshot.tree();
        let candidates = tree.iter().flat_map(|tree| tree.in_state(State::Candidate));
        let personal = self
            .snapshot
            .personal()
            .filter(|personal| !personal.by_repository);
        let clone = self.snapshot.repository.iter();
        let clone = clone.map(|repository| (RuleScope::Clone, repository.clone_file().0));
        let personal = personal.map(|personal| (RuleScope::Personal, personal.path.clone()));
        let candidates = candidates.map(|entry| (entry.path.clone(), entry.size));
        let candidates: Vec<(RepoPathBuf, Bytes)> = candidates.collect();
        WorkspaceIndex {
            top: self.snapshot.top.clone(),
            parts: Parts::collect(&candidates, RepoPath::top()),
            offers: self
                .collection
                .map(|collection| Offers::collect(collection, self.survey))
                .unwrap_or_default(),
            candidates,
            rulings: self.rulings(),
            elsewhere: clone.chain(personal).collect(),
            drafted: self.drafted().unwrap_or_default(),
        }
    }

    /// Which rule decides about each path.
    fn rulings(&self) -> HashMap<RepoPathBuf, (Arc<Path>, u32)> {
        let mut files: HashMap<BString, Arc<Path>> = HashMap::new();
        let tree = self.snapshot.whole_tree();
        let entries = tree.iter().flat_map(|tree| &tree.entries);
        let rulings = entries.filter_map(|entry| {
            let ruling = entry.ruling.as_ref()?;
            let source = ruling.source();
            let file = || Arc::from(self.snapshot.file_of(source));
            let file = files.entry(source.shown.clone()).or_insert_with(file);
            let line = ruling.rule().line.saturating_sub(1);
            Some((entry.path.clone(), (Arc::clone(file), line)))
        });
        rulings.collect()
    }

    /// What a draft would write.
    fn drafted(&self) -> Option<Vec<(PathBuf, String)>> {
        let settings = self.snapshot.settings().ok()?;
        let options = DraftOptions {
            layout: settings.draft.layout,
            explain: settings.draft.explain,
            ..DraftOptions::default()
        };
        let draft = Draft::compose(self.snapshot, self.survey?, &[], options).ok()?;
        let text = |bytes: Vec<u8>| String::from_utf8(bytes).ok();
        let files = draft.files.into_iter().filter_map(|(folder, file)| {
            let source = Source::of_folder(folder);
            Some((self.snapshot.file_of(&source), text(file.after)?))
        });
        let memory = draft.memory.into_iter().filter_map(|(_, after)| {
            let path = self.snapshot.path(redshank_templates::MEMORY_FILE.into());
            Some((path, text(after)?))
        });
        Some(files.chain(memory).collect())
    }
}

/// Which of the rules is in a line, from 1.
fn at_line(rules: &[RuleUsage], line: u32) -> Option<usize> {
    rules
        .binary_search_by_key(&line, |rule| rule.rule().line)
        .ok()
}

fn is_template(path: &RepoPath) -> bool {
    let name = path.name();
    path.starts_with_str(redshank_templates::TEAM_FOLDER) && name.ends_with(b".toml")
}

fn template(document: &Document) -> Vec<Fault> {
    let template: Template = match toml_file::read(&document.text, &document.path) {
        Ok(template) => template,
        Err(error) => return vec![fault_of(&error)],
    };
    let line_of = |failure: &Failure| {
        let quoted = format!("\"{}\"", failure.example);
        let mut lines = document.text.lines();
        lines.position(|line| line.contains(&quoted)).unwrap_or(0) as u32
    };
    let (failures, _) = prove(&template);
    let faults = failures.iter().map(|failure| Fault {
        line: line_of(failure),
        said: text::example(failure),
    });
    let mut faults: Vec<Fault> = faults.collect();
    // An example is tried in several places; one complaint will do.
    faults.dedup_by(|a, b| (a.line, &a.said) == (b.line, &b.said));
    faults
}

fn fault_of(error: &Error) -> Fault {
    match error {
        Error::Malformed { line, said, .. } => Fault {
            line: line.saturating_sub(1) as u32,
            said: said.clone(),
        },
        error => Fault {
            line: 0,
            said: error.to_string(),
        },
    }
}
