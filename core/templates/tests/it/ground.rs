//! A repository in a temporary folder, to be drafted for.

use bstr::ByteSlice;
use redshank_git::Git;
use redshank_rules::RepoPath;
use redshank_templates::{
    Collection, Draft, DraftOptions, MEMORY_FILE, TemplateRequest, recognise,
};
use redshank_worktree::Snapshot;
use std::path::PathBuf;

pub(crate) struct Ground {
    _folder: tempfile::TempDir,
    pub(crate) top: PathBuf,
}

impl Ground {
    pub(crate) fn new(files: &[(&str, &str)]) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let top = folder.path().canonicalize().unwrap();
        Git::at(&top).args(["init", "-q"]).output().unwrap();
        let ground = Self {
            _folder: folder,
            top,
        };
        files
            .iter()
            .for_each(|(path, contents)| ground.write(path, contents));
        ground
    }

    pub(crate) fn write(&self, path: &str, contents: &str) {
        let path = self.top.join(path);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, contents).unwrap();
    }

    /// The projects, as `template@folder`, and the folders known by what is in them.
    pub(crate) fn found(&self) -> (Vec<String>, Vec<String>) {
        let snapshot = Snapshot::open(&self.top).unwrap();
        let collection = Collection::built_in().unwrap();
        let survey = recognise(&snapshot, snapshot.tree().unwrap(), &collection);
        let projects = survey
            .projects
            .iter()
            .map(|project| format!("{}@{}", project.template.name, project.folder));
        let folders = survey.known.iter().map(|known| known.path.to_string());
        (projects.collect(), folders.collect())
    }

    pub(crate) fn draft(&self) -> Draft {
        self.draft_with(
            &Collection::built_in().unwrap(),
            &[],
            DraftOptions::default(),
        )
    }

    pub(crate) fn draft_with(
        &self,
        collection: &Collection,
        requests: &[TemplateRequest],
        options: DraftOptions,
    ) -> Draft {
        let snapshot = Snapshot::open(&self.top).unwrap();
        let survey = recognise(&snapshot, snapshot.tree().unwrap(), collection);
        Draft::compose(&snapshot, &survey, requests, options).unwrap()
    }

    /// Writes a draft; returns what the ignore file at the top holds then.
    pub(crate) fn takes(&self, draft: &Draft) -> String {
        for (folder, file) in &draft.files {
            self.write(&format!("{folder}.gitignore"), file.after.to_str().unwrap());
        }
        if let Some((_, after)) = &draft.memory {
            self.write(MEMORY_FILE, after.to_str().unwrap());
        }
        std::fs::read_to_string(self.top.join(".gitignore")).unwrap_or_default()
    }

    /// Those of these paths that a template of the projects here covers, as they are judged
    /// wherever git has them.
    pub(crate) fn spoken_of(&self, paths: &[String]) -> Vec<String> {
        let snapshot = Snapshot::open(&self.top).unwrap();
        let collection = Collection::built_in().unwrap();
        let survey = recognise(&snapshot, snapshot.tree().unwrap(), &collection);
        let is_it = |path: &&String| survey.matches.speaks_of(RepoPath::new(path.as_bytes()));
        paths.iter().filter(is_it).cloned().collect()
    }

    pub(crate) fn ignored_by_git(&self, path: &str) -> bool {
        Git::at(&self.top)
            .args(["check-ignore", "--no-index", "-q", "--", path])
            .output()
            .is_ok()
    }
}
