use crate::{Case, Rule};
use crate::{RuleList, Source};
use std::sync::Arc;

/// The rules of one source while more come in behind them: adding one costs about the same however
/// many there are. They are kept in lists of which each is at least twice as long as the next, so
/// that a question goes through few.
pub struct GrowingList {
    source: Source,
    case: Case,
    lists: Vec<Arc<RuleList>>,
}

impl GrowingList {
    /// A list without rules.
    pub fn new(source: Source, case: Case) -> Self {
        Self {
            source,
            case,
            lists: Vec::new(),
        }
    }

    /// Adds rules behind those that are there.
    pub fn extend(&mut self, rules: impl IntoIterator<Item = Rule>) {
        let mut rules: Vec<Rule> = rules.into_iter().collect();
        while let Some(last) = self
            .lists
            .pop_if(|last| last.rules().len() < 2 * rules.len())
        {
            rules.splice(0..0, last.rules().iter().cloned());
        }
        if !rules.is_empty() {
            let list = RuleList::from_rules(self.source.clone(), rules, self.case);
            self.lists.push(Arc::new(list));
        }
    }

    /// The lists, the weakest first.
    pub fn lists(&self) -> impl Iterator<Item = Arc<RuleList>> {
        self.lists.iter().cloned()
    }
}
