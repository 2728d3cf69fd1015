//! The work beside the conversation with the editor.
//!
//! One thread for each working tree holds a picture of it. Whenever a text or the disk changes it
//! looks again at what is open, the newest state only, and hands over what it found, owned and
//! complete, so that no question of the editor waits for it. Code actions are asked of it, too: a
//! fix is only offered once it was tried.

use super::actions::Actions;
use super::analysis::{Analysis, Kind};
use super::documents::Documents;
use super::here::{EditorView, Here};
use super::picture::WorkspaceIndex;
use super::renames::Renamed;
use crossbeam_channel::{Receiver, Sender};
use lsp_server::RequestId;
use lsp_types::CodeActionParams;
use redshank_findings::secrets_of;
use redshank_rules::RepoPath;
use redshank_secrets::masked;
use redshank_templates::{Collection, recognise};
use redshank_worktree::Snapshot;
use redshank_worktree::settings;
use serde_json::{Value, json};
use std::cell::{OnceCell, RefCell};
use std::collections::HashMap;
use std::path::Path;
use std::sync::Arc;

/// What there is to do.
pub enum WorkerRequest {
    /// These texts are open now.
    Open(Documents),
    /// Something changed on disk.
    DiskChanged,
    /// What can be done at a place of a text.
    Actions(RequestId, CodeActionParams),
    /// What rules to change when files and folders get other names.
    Renames(RequestId, Vec<Renamed>),
}

pub enum WorkerEvent {
    /// The picture of the tree.
    WorkspaceIndex(Arc<WorkspaceIndex>),
    /// What is known of a text, in this state of it.
    Document(String, Arc<Analysis>),
    /// The answer to a question.
    Answer(RequestId, Value),
}

/// A question that is answered from the picture of the tree.
enum Question {
    Actions(CodeActionParams),
    Renames(Vec<Renamed>),
}

impl Question {
    /// The answer where there is no picture.
    fn nothing(&self) -> Value {
        match self {
            Self::Actions(_) => json!([]),
            Self::Renames(_) => Value::Null,
        }
    }
}

/// What the thread of a working tree knows and is asked.
struct Desk<'a> {
    jobs: &'a Receiver<WorkerRequest>,
    news: &'a Sender<WorkerEvent>,
    view: &'a EditorView,
    open: Documents,
    /// Questions that wait for a picture.
    asked: Vec<(RequestId, Question)>,
}

/// The editor is gone.
struct Gone;

/// Works until the editor is gone.
pub fn work(
    top: &Path,
    view: &EditorView,
    jobs: &Receiver<WorkerRequest>,
    news: &Sender<WorkerEvent>,
) {
    let mut desk = Desk {
        jobs,
        news,
        view,
        open: Documents::default(),
        asked: Vec::new(),
    };
    loop {
        let ended = match Snapshot::open(top) {
            // While it is on disk as in this picture.
            Ok(snapshot) => desk.look(&snapshot),
            // It may be gone for a moment.
            Err(error) => {
                tracing::warn!("{}", masked(&error.to_string()));
                desk.wait_without_tree()
            }
        };
        if ended.is_err() {
            return;
        }
    }
}

/// Looks for secrets in texts that are in no working tree, until the editor is gone.
pub fn work_without_tree(jobs: &Receiver<WorkerRequest>, news: &Sender<WorkerEvent>) {
    let mut known: HashMap<String, i32> = HashMap::new();
    for job in jobs {
        let sent = match job {
            WorkerRequest::Open(documents) => documents.iter().try_for_each(|document| {
                let uri = document.uri.to_string();
                if known.insert(uri.clone(), document.version) == Some(document.version) {
                    return Ok(());
                }
                let path = redshank_files::path_bytes(&document.path);
                let name = RepoPath::new(RepoPath::new(&*path).name());
                let secrets = secrets_of(name, document.text.as_bytes());
                let analysis = Analysis {
                    version: document.version,
                    kind: Kind::Other,
                    secrets: secrets.unwrap_or_default(),
                };
                news.send(WorkerEvent::Document(uri, Arc::new(analysis)))
            }),
            WorkerRequest::Actions(id, _) => news.send(WorkerEvent::Answer(id, json!([]))),
            WorkerRequest::Renames(id, _) => news.send(WorkerEvent::Answer(id, Value::Null)),
            WorkerRequest::DiskChanged => Ok(()),
        };
        if sent.is_err() {
            return;
        }
    }
}

impl Desk<'_> {
    /// Takes in the next requests, of which only the newest state counts; returns whether the disk
    /// changed.
    fn take_requests(&mut self) -> Result<bool, Gone> {
        let mut is_disk_changed = false;
        let first = self.jobs.recv().map_err(|_| Gone)?;
        for job in std::iter::once(first).chain(self.jobs.try_iter()) {
            match job {
                WorkerRequest::Open(documents) => self.open = documents,
                WorkerRequest::DiskChanged => is_disk_changed = true,
                WorkerRequest::Actions(id, params) => {
                    self.asked.push((id, Question::Actions(params)));
                }
                WorkerRequest::Renames(id, files) => {
                    self.asked.push((id, Question::Renames(files)));
                }
            }
        }
        Ok(is_disk_changed)
    }

    fn send(&self, event: WorkerEvent) -> Result<(), Gone> {
        self.news.send(event).map_err(|_| Gone)
    }

    fn wait_without_tree(&mut self) -> Result<(), Gone> {
        for (id, question) in std::mem::take(&mut self.asked) {
            self.send(WorkerEvent::Answer(id, question.nothing()))?;
        }
        self.take_requests().map(|_| ())
    }

    /// Looks at what is open, until the disk changes.
    fn look(&mut self, snapshot: &Snapshot) -> Result<(), Gone> {
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
        let mut known = HashMap::new();
        // What is open comes first: it is what the person looks at.
        self.look_at_open(&here, &mut known)?;
        let picture = Arc::new(here.picture());
        self.send(WorkerEvent::WorkspaceIndex(Arc::clone(&picture)))?;
        loop {
            for (id, question) in std::mem::take(&mut self.asked) {
                let actions = Actions {
                    here: &here,
                    picture: &picture,
                    known: &known,
                    open: &self.open,
                    view: self.view,
                    verdicts: OnceCell::new(),
                };
                let answer = match question {
                    Question::Actions(params) => json!(actions.at(&params)),
                    Question::Renames(files) => json!(actions.renamed(&files)),
                };
                self.send(WorkerEvent::Answer(id, answer))?;
            }
            if self.take_requests()? {
                return Ok(());
            }
            self.look_at_open(&here, &mut known)?;
        }
    }

    /// Looks at the texts that are new in this picture, or changed.
    fn look_at_open(
        &self,
        here: &Here,
        known: &mut HashMap<String, Arc<Analysis>>,
    ) -> Result<(), Gone> {
        let is_rules = |path: &Path| here.snapshot.source_of(path).is_some();
        let version = |known: &HashMap<String, Arc<Analysis>>, uri: &str| {
            known.get(uri).map(|analysis| analysis.version)
        };
        let rules_changed = self.open.iter().any(|document| {
            let is_known = version(known, document.uri.as_str()) == Some(document.version);
            !is_known && is_rules(&document.path)
        });
        for document in self.open.iter() {
            let uri = document.uri.to_string();
            let is_known = version(known, &uri) == Some(document.version);
            let is_of_rules = is_rules(&document.path) || document.path.ends_with(settings::FILE);
            // Rules in one file decide what those in another come to.
            if is_known && !(rules_changed && is_of_rules) {
                continue;
            }
            let analysis = Arc::new(here.analysis(document, &self.open));
            known.insert(uri.clone(), Arc::clone(&analysis));
            self.send(WorkerEvent::Document(uri, analysis))?;
        }
        Ok(())
    }
}

fn chosen(snapshot: &Snapshot) -> Option<Collection> {
    let collection = Collection::load(snapshot).ok()?;
    match snapshot.settings() {
        Ok(settings) => collection.chosen(&settings.draft).ok(),
        Err(_) => Some(collection),
    }
}
