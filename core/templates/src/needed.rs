//! Files that a fresh clone needs, ignored by a rule.

use crate::rules_by_folder::RulesByFolder;
use crate::{Needed, Project, Result, Sign};
use bstr::ByteSlice;
use redshank_files::FileKind;
use redshank_rules::ignore_file::NewRule;
use redshank_rules::{Case, Rule, exactly, fit};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_rules::{RuleScope, Ruling};
use redshank_worktree::tree::{EntryKind, State, Tree};
use redshank_worktree::{Overlay, Snapshot, Verdicts};

/// A needed file that a rule ignores.
pub struct SwallowedFile<'a> {
    /// Path relative to the repository's top.
    pub path: RepoPathBuf,
    /// The reason; `app/text` has its sentence.
    pub needed: &'a Needed,
    /// The rule that ignores it.
    pub ruling: Ruling,
    /// The folder above it that the rule excludes, if it's not the file itself; with a slash at its
    /// end.
    pub excluded_parent: Option<RepoPathBuf>,
    /// The rule that would re-include it, for the ignore file at the top.
    pub exception: NewRule,
    /// The folder of the project that needs it.
    pub folder: RepoPathBuf,
}

impl SwallowedFile<'_> {
    /// The folder whose ignore file must hold the exception, and the exception for it: behind the
    /// rule that ignores the file, for a deeper file is stronger.
    pub fn placed(&self) -> (RepoPathBuf, NewRule) {
        let base = match self.ruling.source().scope {
            RuleScope::Folder => self.ruling.source().base.clone(),
            RuleScope::Team | RuleScope::Clone | RuleScope::Personal => RepoPathBuf::default(),
        };
        let pattern = match self.folder.below(&base) {
            Some(folder) => fit(&format!("!{}", self.needed.pattern), folder),
            None => {
                let path = self.path.below(&base).unwrap_or(&self.path);
                [b"!", exactly(path).as_slice()].concat().into()
            }
        };
        let rule = NewRule {
            pattern,
            ..self.exception.clone()
        };
        (base, rule)
    }
}

/// The needed files of these projects that are there, not tracked, and ignored, with ignore files
/// as in `overlay`.
///
/// # Errors
/// If the index or an ignore file can't be read.
pub fn swallowed<'a>(
    snapshot: &Snapshot,
    tree: &Tree,
    projects: &[Project<'a>],
    overlay: Overlay,
) -> Result<Vec<SwallowedFile<'a>>> {
    let verdicts = Verdicts::new(snapshot, overlay)?;
    // What must not go out, nobody's clone may need.
    let settings = snapshot.settings()?;
    let mut found = Vec::new();
    for project in projects {
        for needed in &project.template.needed {
            let is_needed = is_needed(snapshot, tree, project, needed);
            for path in present(snapshot, tree, project, needed) {
                if settings.reserves(&path) {
                    continue;
                }
                let answer = verdicts.query(&path)?;
                let excluded_parent = answer.excluded_parent(&path).map(RepoPath::to_owned);
                if let (State::Ignored, Some(ruling)) = (answer.state, answer.ruling) {
                    // A library's is ignored on purpose, by a rule that names it.
                    let named = ruling.rule().text.trim_with(|sign| sign == '/');
                    if !is_needed && path.name() == named.as_bstr() {
                        continue;
                    }
                    let pattern = fit(&format!("!{}", needed.pattern), &project.folder);
                    found.push(SwallowedFile {
                        excluded_parent,
                        path,
                        needed,
                        ruling,
                        exception: NewRule {
                            pattern,
                            reason: format!("needed: {}", needed.reason),
                            remake: None,
                        },
                        folder: project.folder.clone(),
                    });
                }
            }
        }
    }
    Ok(found)
}

/// What the projects of a tree need, to be asked about many paths.
pub struct NeededPaths(RulesByFolder);

impl NeededPaths {
    /// What these projects need.
    pub fn collect(projects: &[Project]) -> Self {
        Self(
            projects
                .iter()
                .flat_map(|project| {
                    let folder = project.folder.clone();
                    let needed = project.template.needed.iter();
                    let rules = needed
                        .map(|needed| Rule::parse(needed.pattern.as_bytes(), 1, Case::Sensitive));
                    rules.map(|rule| (folder.clone(), rule)).collect::<Vec<_>>()
                })
                .collect(),
        )
    }

    /// Whether one of the projects needs this file.
    pub fn has(&self, path: &RepoPath) -> bool {
        self.0.any(path, |rule, below| rule.matches(below, false))
    }
}

/// Whether the project is one that needs them.
fn is_needed(snapshot: &Snapshot, tree: &Tree, project: &Project, needed: &Needed) -> bool {
    let shows = |sign: &Sign| sign.shows(snapshot, tree, &project.folder);
    (needed.when.is_empty() || needed.when.iter().any(shows)) && !needed.unless.iter().any(shows)
}

/// The untracked files that a need covers. A need without wildcards is looked up on disk, where
/// ignored folders hide nothing.
fn present(
    snapshot: &Snapshot,
    tree: &Tree,
    project: &Project,
    needed: &Needed,
) -> Vec<RepoPathBuf> {
    if !needed.pattern.contains(['*', '?', '[', '\\']) {
        let path = project.folder.join(needed.pattern.trim_start_matches('/'));
        let is_there = snapshot.root.kind(&path) == Some(FileKind::File);
        return is_there.then_some(path).into_iter().collect();
    }
    let rule = Rule::parse(needed.pattern.as_bytes(), 1, Case::Sensitive);
    let files = tree.below(&project.folder).filter(|entry| {
        let below = entry.path.below(&project.folder);
        entry.kind == EntryKind::File
            && entry.state != State::Tracked
            && below.is_some_and(|path| rule.matches(path, false))
    });
    files.map(|entry| entry.path.clone()).collect()
}
