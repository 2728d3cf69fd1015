use crate::Case;
use crate::{RepoPath, RepoPathBuf};
use crate::{RuleList, Source};
use serde::Deserialize;

/// Names that a table covers: patterns as in an ignore file at the top, of which the last one
/// that matches counts. Upper and lower case are the same.
#[derive(Deserialize)]
#[serde(from = "Vec<String>")]
pub struct PatternSet(RuleList);

impl PatternSet {
    /// Whether the path itself is one of them.
    pub fn has(&self, path: &RepoPath) -> bool {
        let (bare, name_at) = (path.bare(), path.name_at());
        let last = self.0.last_match(bare, name_at, &|| path.is_folder());
        last.is_some_and(|at| !self.0.rules()[at as usize].negated)
    }

    /// One that has every path that any of these has, and perhaps more: to be asked first where
    /// most paths are in none.
    pub fn of_all<'s>(sets: impl IntoIterator<Item = &'s Self>) -> Self {
        let rules = sets.into_iter().flat_map(|set| set.0.rules());
        let patterns = rules.filter(|rule| !rule.negated);
        patterns
            .map(|rule| rule.text.to_string())
            .collect::<Vec<_>>()
            .into()
    }

    /// The uppermost part of the path that is one of them: a folder on the way, or the path itself.
    pub fn topmost<'p>(&self, path: &'p RepoPath) -> Option<&'p RepoPath> {
        path.parts().find(|part| self.has(part))
    }
}

impl From<Vec<String>> for PatternSet {
    fn from(patterns: Vec<String>) -> Self {
        let source = Source::of_folder(RepoPathBuf::default());
        Self(RuleList::parse(
            source,
            patterns.join("\n").as_bytes(),
            Case::Blind,
        ))
    }
}

impl Default for PatternSet {
    fn default() -> Self {
        Vec::new().into()
    }
}
