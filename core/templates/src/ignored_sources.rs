//! Source files that a rule ignores, or would.

use crate::Survey;
use crate::tools_names::is_tools_name;
use bstr::{BStr, ByteSlice};
use rayon::prelude::*;
use redshank_origin::{Surroundings, is_aside, is_output_name, is_shared_name};
use redshank_rules::{Case, RepoPath, RepoPathBuf, Rule, RuleScope, Ruling};
use redshank_worktree::tree::{Entry, EntryKind, State, Tree};
use std::collections::HashSet;

/// Folders of sources that a rule ignores by a name which tools give as well, and for each rule for
/// a whole type (`*.js`), the first source file that it ignores. With the rule.
pub fn ignored_sources<'t>(survey: &Survey, tree: &'t Tree) -> Vec<(&'t RepoPath, &'t Ruling)> {
    let Some(around) = &survey.around else {
        return Vec::new();
    };
    let ignored: Vec<&Entry> = tree.in_state(State::Ignored).collect();
    let found = ignored.into_par_iter().filter_map(|entry| {
        let ruling = entry
            .ruling
            .as_ref()
            .filter(|ruling| ruling.source().scope != RuleScope::Personal)?;
        let rule = ruling.rule().text.to_str_lossy();
        if is_tools_name(&rule) || survey.matches.speaks_of(&entry.path) {
            return None;
        }
        let is_source = match entry.kind {
            EntryKind::Folder => {
                is_shared_name(entry.path.name())
                    && !is_aside(&entry.path)
                    && is_of_sources(around, &entry.path)
            }
            EntryKind::File => {
                let is_type = rule.starts_with("*.") && !rule[2..].contains(['*', '?', '[', '/']);
                is_type && !is_aside(&entry.path) && is_source(around, &entry.path)
            }
            EntryKind::Link | EntryKind::Repository => false,
        };
        is_source.then_some((&*entry.path, ruling))
    });
    let mut found: Vec<(&RepoPath, &Ruling)> = found.collect();
    let mut reported = HashSet::new();
    found.retain(|(path, ruling)| path.is_folder() || reported.insert(ruling.id()));
    found
}

/// So many files of a folder are looked at first.
const A_FEW: usize = 48;

/// Whether a folder holds sources and nothing that a tool made.
fn is_of_sources(around: &Surroundings, folder: &RepoPath) -> bool {
    // Most folders show within a few files what they are.
    let mut share = around.share_of(folder, A_FEW);
    if share.made == 0 && share.authored.is_empty() && share.unknown >= A_FEW as u64 / 2 {
        share = around.share(folder);
    }
    // Pages and scripts in a folder called so are what bundlers write.
    let is_open = share.perhaps > 0 && !is_output_name(folder.name());
    share.made == 0 && (!share.authored.is_empty() || is_open)
}

/// Whether somebody may have written a file: people write such, and nothing shows that it is made.
fn is_source(around: &Surroundings, path: &RepoPath) -> bool {
    around.judge(path, None).may_be_authored()
}

/// The sources that a rule of this pattern ignores with a folder: those that somebody surely wrote,
/// which may be none where it only holds what people write such files as. Nothing if it ignores
/// none.
pub fn sources_ignored_by(
    survey: &Survey,
    folder: &RepoPath,
    pattern: &BStr,
) -> Option<Vec<RepoPathBuf>> {
    let around = survey.around.as_ref()?;
    let is_of_sources = !is_tools_name(&pattern.to_str_lossy()) && is_of_sources(around, folder);
    is_of_sources.then(|| around.share(folder).authored)
}

/// Whether a rule, in the ignore file of that folder, would ignore sources.
pub fn would_ignore_sources(
    survey: &Survey,
    tree: &Tree,
    folder: &RepoPath,
    pattern: &[u8],
) -> bool {
    let rule = Rule::parse(pattern, 1, Case::Sensitive);
    let mut seen = HashSet::new();
    let mut places = tree.below(folder).filter_map(|entry| {
        let below = RepoPath::new(entry.path.below(folder)?);
        let met = below
            .parts()
            .find(|part| rule.matches(part.bare(), part.is_folder()))?;
        let place = &entry.path[..entry.path.len() - below.len() + met.len()];
        seen.insert(place.to_owned()).then(|| RepoPath::new(place))
    });
    places.any(|place| survey.matches.on(place).is_none() && is_authored(survey, place))
}

/// Whether somebody wrote what is at a path, or something in it.
pub fn is_authored(survey: &Survey, place: &RepoPath) -> bool {
    let Some(around) = &survey.around else {
        return false;
    };
    if place.is_folder() {
        !around.share(place).authored.is_empty()
    } else {
        is_source(around, place)
    }
}

/// Files by whose names an empty folder is kept (no tool reads them; people call them so).
pub fn is_keep_file(name: &BStr) -> bool {
    [".keep", ".gitkeep", ".empty", ".placeholder", ".hgkeep"]
        .iter()
        .any(|known| name == known)
}
