//! Rules that the repository's choices took out of its templates: what they match is somebody's
//! business, whatever it is.

use crate::Project;
use redshank_rules::{Case, RepoPath, RepoPathBuf, Rule};

/// The declined rules of the projects of a tree, to be asked about many paths.
pub struct Declined(Vec<(RepoPathBuf, Rule)>);

impl Declined {
    /// Those of these projects.
    pub fn collect(projects: &[Project]) -> Self {
        let rules = projects.iter().flat_map(|project| {
            let rules = project.template.unchosen.iter();
            rules.map(|rule| {
                let rule = Rule::parse(rule.pattern.as_bytes(), 1, Case::Sensitive);
                (project.rules_folder(), rule)
            })
        });
        Self(rules.collect())
    }

    /// Whether one of them matches a path, or a folder above it.
    pub fn has(&self, path: &RepoPath) -> bool {
        self.0.iter().any(|(folder, rule)| {
            path.below(folder).is_some_and(|below| {
                let mut parts = below.parts();
                parts.any(|part| rule.matches(part.bare(), part.is_folder()))
            })
        })
    }
}
