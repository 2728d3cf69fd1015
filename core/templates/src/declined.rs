//! Rules that a person declined: what they match is that person's business, whatever it is.

use crate::rules_by_folder::RulesByFolder;
use crate::{Survey, TemplateRule};
use redshank_rules::{Case, RepoPath, RepoPathBuf, Rule};

/// The declined rules of the projects of a tree, to be asked about many paths.
pub struct Declined(RulesByFolder);

impl Declined {
    /// The rules that the repository's choices took out of templates, and those of templates that
    /// were left out.
    pub fn collect(survey: &Survey) -> Self {
        let parsed = |folder: RepoPathBuf, rule: &TemplateRule| {
            let rule = Rule::parse(rule.pattern.as_bytes(), 1, Case::Sensitive);
            (folder, rule)
        };
        let unchosen = survey.projects.iter().flat_map(|project| {
            let rules = project.template.unchosen.iter();
            rules.map(|rule| parsed(project.rules_folder(), rule))
        });
        let left_out = survey.left_out.iter().flat_map(|project| {
            let rules = project.template.rule.iter();
            rules.map(|rule| parsed(project.rules_folder(), rule))
        });
        // An exception that was taken out lets its files be ignored: it protects nothing.
        let rules = unchosen.chain(left_out);
        Self(rules.filter(|(_, rule)| !rule.negated).collect())
    }

    /// Whether one of them matches a path, or a folder above it.
    pub fn has(&self, path: &RepoPath) -> bool {
        self.0.any(path, |rule, below| {
            let mut parts = below.parts();
            parts.any(|part| rule.matches(part.bare(), part.is_folder()))
        })
    }
}
