//! Rules of many folders, to be asked about many paths.

use redshank_rules::{RepoPath, RepoPathBuf, Rule};
use std::collections::HashMap;

/// Rules by the folder that they hold in.
#[derive(Default)]
pub(crate) struct RulesByFolder(HashMap<RepoPathBuf, Vec<Rule>>);

impl RulesByFolder {
    /// Whether a rule that holds there matches: it is asked with the path below its folder.
    pub(crate) fn any(&self, path: &RepoPath, is_match: impl Fn(&Rule, &RepoPath) -> bool) -> bool {
        if self.0.is_empty() {
            return false;
        }
        let mut folders = [RepoPath::top()].into_iter().chain(path.folders_above());
        folders.any(|folder| {
            let rules = self.0.get(folder);
            let below = path.below(folder).unwrap_or(path);
            rules.is_some_and(|rules| rules.iter().any(|rule| is_match(rule, below)))
        })
    }
}

impl FromIterator<(RepoPathBuf, Rule)> for RulesByFolder {
    fn from_iter<I: IntoIterator<Item = (RepoPathBuf, Rule)>>(rules: I) -> Self {
        let mut by_folder: HashMap<RepoPathBuf, Vec<Rule>> = HashMap::new();
        for (folder, rule) in rules {
            by_folder.entry(folder).or_default().push(rule);
        }
        Self(by_folder)
    }
}
