//! The picture of a working tree that every open text is looked at against.

use super::here::Here;
use super::offers::Offers;
use super::parts::Parts;
use bstr::{BString, ByteSlice};
use redshank_rules::{RepoPath, RepoPathBuf, RuleScope, Source};
use redshank_templates::{Draft, DraftOptions, MEMORY_FILE, TEAM_FOLDER, Template};
use redshank_worktree::size::Bytes;
use redshank_worktree::tree::State;
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

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
    pub drafted: Vec<DraftedText>,
    /// For each template that fits a project here, where to read on.
    pub templates: HashMap<String, TemplateOrigin>,
}

/// Where a template comes from.
pub struct TemplateOrigin {
    /// The repository's own file of it, or the file by which its project was recognised.
    pub file: PathBuf,
    /// What that is, in a few words.
    pub about: String,
}

/// A file as a draft would write it.
pub struct DraftedText {
    pub path: PathBuf,
    /// What it holds on disk; nothing for one that isn't there.
    pub before: Option<String>,
    pub after: String,
}

impl Here<'_> {
    pub fn picture(&self) -> WorkspaceIndex {
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
            templates: self.templates(),
        }
    }

    /// Where the templates of the projects here come from.
    fn templates(&self) -> HashMap<String, TemplateOrigin> {
        let projects = self.survey.iter().flat_map(|survey| &survey.projects);
        let mut all = HashMap::new();
        for project in projects {
            let Template { name, title, .. } = project.template;
            let own = format!("{TEAM_FOLDER}/{name}.toml");
            let is_own = self.snapshot.root.is_there(RepoPath::new(&own));
            let (file, about) = if is_own {
                (
                    RepoPathBuf::from(own.as_str()),
                    "the repository's own template",
                )
            } else {
                (
                    project.evidence.clone(),
                    "the project is recognised by this",
                )
            };
            all.entry(name.clone()).or_insert_with(|| TemplateOrigin {
                file: self.snapshot.path(file.as_bstr()),
                about: format!("{title}: {about}"),
            });
        }
        all
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
    fn drafted(&self) -> Option<Vec<DraftedText>> {
        let settings = self.snapshot.settings().ok()?;
        let options = DraftOptions {
            layout: settings.draft.layout,
            explain: settings.draft.explain,
            ..DraftOptions::default()
        };
        let draft = Draft::compose(self.snapshot, self.survey?, &[], options).ok()?;
        let text = |bytes: Vec<u8>| String::from_utf8(bytes).ok();
        let files = draft.files.into_iter().map(|(folder, file)| {
            let is_there = self.snapshot.ignore_file(&folder).ok()?.is_some();
            let before = is_there.then(|| text(file.before.clone()));
            Some(DraftedText {
                path: self.snapshot.file_of(&Source::of_folder(folder)),
                before: before.map_or(Some(None), |before| before.map(Some))?,
                after: text(file.after)?,
            })
        });
        let memory = draft.memory.into_iter().map(|(before, after)| {
            Some(DraftedText {
                path: self.snapshot.path(MEMORY_FILE.into()),
                before: before.map_or(Some(None), |before| text(before).map(Some))?,
                after: text(after)?,
            })
        });
        // All of it, or nothing.
        files.chain(memory).collect()
    }
}
