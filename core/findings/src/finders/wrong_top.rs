//! A repository or its ignore file in the wrong folder: in somebody's home, or a level too high.

use crate::{ByHand, Cause, Finding, Known, Level, Result, ScanContext};
use redshank_files::Root;
use redshank_rules::{IGNORE_FILE, RepoPath};
use redshank_worktree::Class;
use redshank_worktree::tree::State;
use std::collections::BTreeSet;
use std::path::Path;

/// The folder that git keeps a repository in.
const GIT: &str = ".git/";

pub(super) fn find(scan: &ScanContext, _known: &Known) -> Result<Vec<Finding>> {
    let top = &scan.snapshot.top;
    if scan.snapshot.repository.is_none() {
        return Ok(Vec::new());
    }
    let mut findings = Vec::new();
    let mut candidates = scan.tree.in_state(State::Candidate);
    // Some keep a few files of it on purpose, and ignore all else.
    if is_home(top) && candidates.next().is_some() {
        let cause = Cause::HomeRepository;
        let made = Finding::new(
            Class::Personal,
            "home",
            Level::Warning,
            RepoPath::new(GIT),
            cause,
        );
        findings.push(made.by_hand(ByHand::MoveRepository));
    }
    if let Some(folder) = only_project(scan) {
        let made = Finding::new(Class::Rule, "top", Level::Note, folder, Cause::TopTooHigh);
        findings.push(made.by_hand(ByHand::MoveRepository));
    }
    let rules = RepoPath::new(IGNORE_FILE);
    if !scan.snapshot.root.is_there(rules) && has_rules_above(top) {
        let made = Finding::new(
            Class::Rule,
            "above",
            Level::Note,
            rules,
            Cause::RulesTooHigh,
        );
        findings.push(made.by_hand(ByHand::MoveRulesIn));
    }
    Ok(findings)
}

/// Whether a folder is this person's home.
fn is_home(top: &Path) -> bool {
    let home = std::env::var_os("HOME").or_else(|| std::env::var_os("USERPROFILE"));
    let home = home.filter(|home| !home.is_empty());
    let home = home.and_then(|home| redshank_files::canonical(Path::new(&home)).ok());
    home.is_some_and(|home| home == *top)
}

/// The only thing at the top, if it is the folder of a project, with its own ignore file or README.
fn only_project<'s>(scan: &'s ScanContext) -> Option<&'s RepoPath> {
    let mut tops = BTreeSet::new();
    for entry in &scan.tree.entries {
        tops.insert(if entry.path.top_folder().is_top() {
            &*entry.path
        } else {
            entry.path.top_folder()
        });
        if tops.len() > 1 {
            return None;
        }
    }
    let folder = tops.first().copied().filter(|folder| folder.is_folder())?;
    let has = |name: &str| scan.tree.get(&folder.join(name)).is_some();
    let is_project = scan
        .survey
        .projects
        .iter()
        .any(|project| *project.folder == *folder);
    (is_project && (has(IGNORE_FILE) || has("README.md"))).then_some(folder)
}

/// Whether the folder above holds an ignore file and is in no repository.
fn has_rules_above(top: &Path) -> bool {
    let Some(above) = top.parent() else {
        return false;
    };
    let holds = |folder: &Path, name: &str| {
        Root::open(folder).is_ok_and(|root| root.is_there(RepoPath::new(name)))
    };
    holds(above, IGNORE_FILE)
        && !is_home(above)
        && !above.ancestors().any(|folder| holds(folder, ".git"))
}
