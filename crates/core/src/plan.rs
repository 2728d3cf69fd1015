//! From findings to a plan: which rules to write and what to stop tracking, each step with its reason.

use crate::disk::read_if_there;
use crate::effect::{Amount, Effect};
use crate::findings::{Class, Finding, Remedy, is_environment};
use crate::ignore_file::{NewRule, Section, with_section};
use crate::journal::Changes;
use crate::rules::IGNORE_FILE;
use crate::sample;
use crate::size::Bytes;
use crate::tree::{Entry, Overlay, Place, State, Tree};
use crate::{Error, Result};
use bstr::{BStr, BString, ByteSlice};
use std::collections::{BTreeMap, BTreeSet, HashSet};

/// What one step does.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Act {
    /// Adds a rule that keeps files out.
    Ignore(BString),
    /// Adds a rule that lets a file in.
    LetIn(BString),
    /// Takes files out of git's index; they stay on disk.
    StopTracking,
    /// Writes a sample without values beside an environment file.
    Sample(BString),
}

/// One step.
#[derive(Debug, Clone)]
pub struct Step {
    /// What it does.
    pub act: Act,
    /// For which path; a folder ends in a slash.
    pub path: BString,
    /// Why.
    pub reason: String,
    /// The id of the finding that it mends.
    pub finding: String,
    /// How much it concerns.
    pub amount: Amount,
}

/// What is to be done about findings.
pub struct Plan {
    /// In order.
    pub steps: Vec<Step>,
    /// What only a person can mend.
    pub left: Vec<Finding>,
    /// The changes that the steps come to.
    pub changes: Changes,
    /// What they do to the next commit.
    pub effect: Effect,
}

impl Plan {
    /// Makes a plan for findings of a tree. A rule that stands already, or that another step adds, is not added again.
    ///
    /// # Errors
    /// If the ignore file can't be read, or a path to stop tracking is in conflict.
    pub fn of(place: &Place, tree: &Tree, findings: Vec<Finding>) -> Result<Self> {
        let mut making = Making::start(place, tree)?;
        let mut left = Vec::new();
        let (let_in, others): (Vec<_>, Vec<_>) =
            findings.into_iter().partition(|finding| matches!(finding.remedy, Remedy::LetIn(_)));
        // Exceptions come last: they must stand below the rules that they except from.
        for finding in others.into_iter().chain(let_in) {
            for place in &finding.also {
                if let Remedy::KeepOut(rule) = place.remedy.clone() {
                    making.keep_out(place, rule)?;
                }
            }
            match finding.remedy.clone() {
                Remedy::KeepOut(rule) => making.keep_out(&finding, rule)?,
                Remedy::LetIn(rule) => making.add_rule(&finding, Act::LetIn(rule.pattern.clone()), rule),
                Remedy::ByHand(_) => left.push(finding),
            }
        }
        making.finish(left)
    }
}

/// A plan being made.
struct Making<'a> {
    place: &'a Place,
    tree: &'a Tree,
    before: Vec<u8>,
    rules: Vec<NewRule>,
    known: HashSet<BString>,
    untracked: BTreeSet<BString>,
    samples: BTreeMap<BString, Vec<u8>>,
    steps: Vec<Step>,
}

impl<'a> Making<'a> {
    fn start(place: &'a Place, tree: &'a Tree) -> Result<Self> {
        let before = place.ignore_file(b"".into())?.unwrap_or_default();
        let (rules, known) = (Vec::new(), HashSet::new());
        let (untracked, samples) = (BTreeSet::new(), BTreeMap::new());
        Ok(Self { place, tree, before, rules, known, untracked, samples, steps: Vec::new() })
    }

    fn keep_out(&mut self, finding: &Finding, rule: NewRule) -> Result<()> {
        let same = Act::Ignore(rule.pattern.clone());
        if let Some(step) = self.steps.iter_mut().find(|step| step.act == same) {
            // Several findings may stand for one file; it counts once.
            if step.path != finding.path {
                step.amount += Amount { files: finding.files, size: finding.size.unwrap_or_default() };
            }
        } else if !self.is_shut(finding.path.as_bstr())? {
            self.add_rule(finding, Act::Ignore(rule.pattern.clone()), rule);
        }
        if finding.class == Class::Secret {
            self.add_sample(finding)?;
        }
        if finding.state == State::Tracked {
            let below = self.tree.below(finding.path.as_bstr());
            let tracked: Vec<&Entry> = below
                .filter(|entry| entry.state == State::Tracked)
                .filter(|entry| finding.path.ends_with(b"/") || entry.path == finding.path)
                .filter(|entry| !self.untracked.contains(&entry.path))
                .collect();
            if !tracked.is_empty() {
                let amount = Amount::of(tracked.iter().copied());
                self.step(finding, Act::StopTracking, "rules do nothing for tracked files".to_owned(), amount);
                self.untracked.extend(tracked.into_iter().map(|entry| entry.path.clone()));
            }
        }
        Ok(())
    }

    /// Beside an environment file that is kept out, others need its keys.
    fn add_sample(&mut self, finding: &Finding) -> Result<()> {
        let path = finding.path.as_bstr();
        let exists = |path: &BStr| std::fs::symlink_metadata(self.place.path(path)).is_ok();
        let name = sample::name(path);
        if !is_environment(path) || self.samples.contains_key(&name) || sample::has_one(path, &exists) {
            return Ok(());
        }
        let text = read_if_there(&self.place.path(path))?.unwrap_or_default();
        if let Some(text) = sample::of(&text) {
            let amount = Amount { files: 1, size: Bytes(text.len() as u64) };
            let reason = format!("the keys of {path} without their values, for others to fill in");
            self.step(finding, Act::Sample(name.clone()), reason, amount);
            self.samples.insert(name, text);
        }
        Ok(())
    }

    fn add_rule(&mut self, finding: &Finding, act: Act, rule: NewRule) {
        if self.known.insert(rule.pattern.clone()) {
            let amount = Amount { files: finding.files, size: finding.size.unwrap_or_default() };
            self.step(finding, act, rule.reason.clone(), amount);
            self.rules.push(rule);
        }
    }

    fn step(&mut self, finding: &Finding, act: Act, reason: String, amount: Amount) {
        let (path, finding) = (finding.path.clone(), finding.id.clone());
        self.steps.push(Step { act, path, reason, finding, amount });
    }

    /// Whether the rules that everyone has, with the ones to be added, keep a path out.
    fn is_shut(&self, path: &BStr) -> Result<bool> {
        let bare = path.strip_suffix(b"/").unwrap_or(path).as_bstr();
        let folder = bare.rfind_byte(b'/').map_or(b"".as_bstr(), |slash| bare[..=slash].as_bstr());
        let chain = self.place.shared_rules(folder, &self.overlay())?;
        Ok(chain.shuts(bare, bare.len() < path.len()).is_some())
    }

    fn after(&self) -> Vec<u8> {
        if self.rules.is_empty() {
            return self.before.clone();
        }
        with_section(&self.before, &Section::new("tidy".to_owned(), self.rules.clone()), None)
    }

    fn overlay(&self) -> Overlay {
        if self.rules.is_empty() { Overlay::new() } else { Overlay::from([(IGNORE_FILE.into(), self.after())]) }
    }

    fn finish(self, left: Vec<Finding>) -> Result<Plan> {
        let untracked: Vec<BString> = self.untracked.iter().cloned().collect();
        if let (Some(repository), false) = (&self.place.repository, untracked.is_empty()) {
            let index = repository.index()?;
            let conflicted = |path: &&BString| index.get(path.as_bstr()).is_some_and(|entry| entry.conflicted());
            if let Some(path) = untracked.iter().find(conflicted) {
                return Err(Error::Conflicted { path: path.clone() });
            }
        }
        let mut effect = Effect::of(self.place, self.tree, self.overlay(), &untracked)?;
        for text in self.samples.values() {
            effect.after += Amount { files: 1, size: Bytes(text.len() as u64) };
        }
        let writes = self.overlay().into_iter().chain(self.samples).collect();
        Ok(Plan { steps: self.steps, left, changes: Changes { writes, moved: Vec::new(), untracked }, effect })
    }
}
