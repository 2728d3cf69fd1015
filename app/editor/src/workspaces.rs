//! The working trees that texts are looked at in, each with a thread of its own.

use super::here::EditorView;
use super::picture::WorkspaceIndex;
use super::worker::{self, WorkerEvent, WorkerRequest};
use crossbeam_channel::{Sender, unbounded};
use redshank_watch::{self as watch, TreeWatcher};
use redshank_worktree::{Result, Worktree};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// A working tree.
struct Workspace {
    worktree: Worktree,
    jobs: Sender<WorkerRequest>,
    picture: Arc<WorkspaceIndex>,
    /// Where the system can't watch so much, only the editor tells of changes.
    _watcher: Option<TreeWatcher>,
}

/// The working trees, by their tops.
#[derive(Default)]
pub struct Workspaces {
    trees: BTreeMap<PathBuf, Workspace>,
    /// The tops of those that were added since somebody asked.
    new: Vec<PathBuf>,
}

impl Workspaces {
    /// Starts to look at the working tree that a folder is in; returns its top.
    ///
    /// # Errors
    /// If it can't be entered, or git refuses.
    pub fn add(
        &mut self,
        folder: &Path,
        view: &EditorView,
        found: &Sender<WorkerEvent>,
    ) -> Result<PathBuf> {
        let worktree = Worktree::find(folder)?;
        let top = worktree.top.clone();
        if self.trees.contains_key(&top) {
            return Ok(top);
        }
        let (jobs, todo) = unbounded();
        let changed = jobs.clone();
        let beside = worktree.files_beside();
        let watcher = watch::tree(&top, &beside, move || {
            changed.send(WorkerRequest::DiskChanged).is_ok()
        });
        let (here, view, news) = (top.clone(), view.clone(), found.clone());
        std::thread::spawn(move || worker::work(&here, &view, &todo, &news));
        let workspace = Workspace {
            worktree,
            jobs,
            picture: Arc::default(),
            _watcher: watcher,
        };
        self.trees.insert(top.clone(), workspace);
        self.new.push(top.clone());
        Ok(top)
    }

    /// The top of the working tree that a file is looked at in: that of the innermost repository
    /// around it, be it another repository or a submodule in one of the editor's folders; else the
    /// editor's folder. Nothing for a file that is in neither.
    pub fn home_of(
        &mut self,
        file: &Path,
        view: &EditorView,
        found: &Sender<WorkerEvent>,
    ) -> Option<PathBuf> {
        // This clone's own rules, and the person's.
        let known = self.trees.iter();
        let mut known =
            known.filter(|(_, one)| one.worktree.files_beside().iter().any(|it| it == file));
        if let Some((top, _)) = known.next() {
            return Some(top.clone());
        }
        let folder = file.is_absolute().then(|| file.parent()).flatten()?;
        let own = view
            .folders
            .iter()
            .filter(|(_, resolved)| file.starts_with(resolved))
            .map(|(_, resolved)| resolved);
        // A folder that is still to be made is in what is around it.
        let there = folder
            .ancestors()
            .find_map(|above| Worktree::find(above).ok())?;
        if there.repository.is_none() {
            let own = own.max_by_key(|folder| folder.as_os_str().len())?;
            return self.add(own, view, found).ok();
        }
        self.add(&there.top, view, found).ok()
    }

    /// The tops of the working trees that were added since this was called last.
    pub fn new_tops(&mut self) -> Vec<PathBuf> {
        std::mem::take(&mut self.new)
    }

    /// The top of the innermost working tree that a path is in.
    pub fn top_of(&self, path: &Path) -> Option<&Path> {
        let tops = self.trees.keys().filter(|top| path.starts_with(top));
        tops.max_by_key(|top| top.as_os_str().len())
            .map(PathBuf::as_path)
    }

    /// Who does what is asked about a working tree.
    pub fn jobs_of(&self, top: &Path) -> Option<&Sender<WorkerRequest>> {
        self.trees.get(top).map(|workspace| &workspace.jobs)
    }

    /// All look again.
    pub fn disk_changed(&self) {
        for workspace in self.trees.values() {
            // A thread that is gone looks at nothing.
            let _ = workspace.jobs.send(WorkerRequest::DiskChanged);
        }
    }

    /// Takes in a newer picture.
    pub fn learn(&mut self, picture: Arc<WorkspaceIndex>) {
        if let Some(workspace) = self.trees.get_mut(&picture.top) {
            workspace.picture = picture;
        }
    }

    pub fn picture_of(&self, top: &Path) -> Option<Arc<WorkspaceIndex>> {
        self.trees
            .get(top)
            .map(|workspace| Arc::clone(&workspace.picture))
    }

    /// The pictures of all.
    pub fn pictures(&self) -> impl Iterator<Item = &WorkspaceIndex> {
        self.trees.values().map(|workspace| &*workspace.picture)
    }
}
