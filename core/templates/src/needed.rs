//! Files that a fresh clone needs, kept out by a rule.

use crate::{Needed, Project, Result};
use bstr::{BString, ByteSlice};
use redshank_files::FileKind;
use redshank_pattern::{Case, Rule, exactly, fit};
use redshank_worktree::ignore_file::NewRule;
use redshank_worktree::rules::{RuleScope, Ruling};
use redshank_worktree::tree::{EntryKind, State, Tree};
use redshank_worktree::{Overlay, Snapshot, Verdicts};

/// A needed file that a rule keeps out.
pub struct SwallowedFile<'a> {
    /// The file.
    pub path: BString,
    /// Why it's needed.
    pub needed: &'a Needed,
    /// The rule that keeps it out.
    pub ruling: Ruling,
    /// The folder above it that the rule shuts, if it's not the file itself; with a slash at its
    /// end.
    pub shut: Option<BString>,
    /// The rule that would let it in, for the ignore file at the top.
    pub exception: NewRule,
    /// The folder of the project that needs it.
    pub folder: BString,
}

impl SwallowedFile<'_> {
    /// The folder whose ignore file must hold the exception, and the exception for it: behind the
    /// rule that keeps the file out, for a deeper file is stronger.
    pub fn placed(&self) -> (BString, NewRule) {
        let base = match self.ruling.source().scope {
            RuleScope::Folder => self.ruling.source().base.clone(),
            RuleScope::Team | RuleScope::Clone | RuleScope::Personal => BString::default(),
        };
        let pattern = match self.folder.strip_prefix(base.as_slice()) {
            Some(folder) => fit(&format!("!{}", self.needed.pattern), folder.as_bstr()),
            None => [b"!", exactly(self.path[base.len()..].as_bstr()).as_slice()]
                .concat()
                .into(),
        };
        (
            base,
            NewRule {
                pattern,
                ..self.exception.clone()
            },
        )
    }
}

/// The needed files of these projects that are there, not tracked, and kept out, with ignore files
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
            for path in present(snapshot, tree, project, needed)
                .into_iter()
                .filter(|path| !settings.reserves(path.as_bstr()))
            {
                let answer = verdicts.query(path.as_bstr())?;
                if let (State::Ignored, Some(ruling)) = (answer.state, answer.ruling) {
                    let shut = answer.shut.map(|length| path[..=length].into());
                    let exception = NewRule {
                        pattern: fit(&format!("!{}", needed.pattern), project.folder.as_bstr()),
                        reason: format!("needed: {}", needed.reason),
                        remake: None,
                    };
                    let folder = project.folder.clone();
                    found.push(SwallowedFile {
                        path,
                        needed,
                        ruling,
                        shut,
                        exception,
                        folder,
                    });
                }
            }
        }
    }
    Ok(found)
}

/// The untracked files that a need speaks of. A need without wildcards is looked up on disk, where
/// ignored folders hide nothing.
fn present(snapshot: &Snapshot, tree: &Tree, project: &Project, needed: &Needed) -> Vec<BString> {
    let folder = project.folder.as_bstr();
    if !needed.pattern.contains(['*', '?', '[', '\\']) {
        let path: BString = [
            folder.as_bytes(),
            needed.pattern.trim_start_matches('/').as_bytes(),
        ]
        .concat()
        .into();
        let is_there = snapshot.root.kind(path.as_bstr()) == Some(FileKind::File);
        return is_there.then_some(path).into_iter().collect();
    }
    let rule = Rule::parse(needed.pattern.as_bytes(), 1, Case::Sensitive);
    let files = tree
        .below(folder)
        .filter(|entry| entry.kind == EntryKind::File && entry.state != State::Tracked);
    files
        .filter(|entry| rule.matches(entry.path[folder.len()..].as_bstr(), false))
        .map(|entry| entry.path.clone())
        .collect()
}
