//! Finding the last matching rule without trying them all.
//!
//! Each rule is filed under something that every text it matches must have: the whole text, how it starts, or how it
//! ends. A question looks up its own text under each of these and gets few rules; the rest is tried one by one. The last
//! rule wins: every drawer keeps its rules from the last to the first, and no rule before the best so far is tried.

use bstr::ByteSlice;
use foldhash::fast::FixedState;
use redshank_pattern::{Case, Key, Rule};
use std::collections::HashMap;

/// Below this number of rules, trying one by one is quicker than looking up.
const WORTH_INDEXING: usize = 6;

type Filed = HashMap<Box<[u8]>, Vec<u32>, FixedState>;

pub(super) struct Index {
    fold: bool,
    names: Drawers,
    paths: Drawers,
}

/// The rules that are matched against one kind of text, each list from the last rule to the first.
#[derive(Default)]
struct Drawers {
    whole: Filed,
    starts: Affixes,
    ends: Affixes,
    rest: Vec<u32>,
}

/// Rules filed by a start or an end of their text, by its length.
#[derive(Default)]
struct Affixes(Vec<(usize, Filed)>);

impl Index {
    pub(super) fn of(rules: &[Rule], case: Case) -> Self {
        let mut index = Self { fold: case == Case::Blind, names: Drawers::default(), paths: Drawers::default() };
        let few = rules.len() < WORTH_INDEXING;
        for (at, rule) in (0..rules.len() as u32).zip(rules).rev() {
            let drawers = if rule.anchored { &mut index.paths } else { &mut index.names };
            match rule.glob().key() {
                Key::Never => {}
                _ if few => drawers.rest.push(at),
                Key::Whole(text) => drawers.whole.entry(text.into()).or_default().push(at),
                Key::Start(text) => drawers.starts.file(text, at),
                Key::End(text) if text.is_empty() => drawers.rest.push(at),
                Key::End(text) => drawers.ends.file(&text, at),
                Key::Any => drawers.rest.push(at),
            }
        }
        index
    }

    /// The last rule that matches: `path` is below the list's folder, `name` its last part.
    pub(super) fn last(&self, rules: &[Rule], path: &[u8], name: &[u8], is_folder: &dyn Fn() -> bool) -> Option<u32> {
        let mut best = Best { rules, is_folder, at: None };
        if self.fold {
            self.names.search(&mut best, name, &name.to_ascii_lowercase());
            self.paths.search(&mut best, path, &path.to_ascii_lowercase());
        } else {
            self.names.search(&mut best, name, name);
            self.paths.search(&mut best, path, path);
        }
        best.at
    }
}

impl Affixes {
    fn file(&mut self, text: &[u8], at: u32) {
        let place = self.0.iter().position(|(length, _)| *length == text.len()).unwrap_or_else(|| {
            self.0.push((text.len(), Filed::default()));
            self.0.len() - 1
        });
        self.0[place].1.entry(text.into()).or_default().push(at);
    }
}

impl Drawers {
    /// `folded` is the text in the form that the drawers are filed under.
    fn search(&self, best: &mut Best, text: &[u8], folded: &[u8]) {
        if let Some(found) = self.whole.get(folded) {
            best.improve(found, text);
        }
        for (length, filed) in self.starts.0.iter().filter(|(length, _)| *length <= folded.len()) {
            if let Some(found) = filed.get(&folded[..*length]) {
                best.improve(found, text);
            }
        }
        for (length, filed) in self.ends.0.iter().filter(|(length, _)| *length <= folded.len()) {
            if let Some(found) = filed.get(&folded[folded.len() - length..]) {
                best.improve(found, text);
            }
        }
        best.improve(&self.rest, text);
    }
}

/// The last match so far.
struct Best<'a> {
    rules: &'a [Rule],
    is_folder: &'a dyn Fn() -> bool,
    at: Option<u32>,
}

impl Best<'_> {
    /// Tries rules from the last to the first, down to the best so far.
    fn improve(&mut self, candidates: &[u32], text: &[u8]) {
        let better = candidates.iter().take_while(|at| self.at.is_none_or(|best| **at > best));
        let found = better.copied().find(|at| {
            let rule = &self.rules[*at as usize];
            rule.glob().matches(text.as_bytes()) && (!rule.folders_only || (self.is_folder)())
        });
        self.at = found.or(self.at);
    }
}
