//! What a change of rules by other hands does: of ignore files, attribute files, and the settings
//! and templates of Redshank.

mod side;

pub use side::ReviewSide;

use crate::attributes::AttributeEffect;
use crate::expectations::prove;
use crate::settings::{Acceptance, Expectation};
use crate::tree::{EntryKind, State};
use crate::{Error, Overlay, Result, Snapshot, Verdicts};
use bstr::{BStr, BString, ByteSlice};
use redshank_rules::{ATTRIBUTE_FILE, IGNORE_FILE, RepoPath, RepoPathBuf, Ruling};
use side::{is_read, is_settings};
use std::collections::{BTreeMap, BTreeSet, HashMap};

/// The rule that decides about a path.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct DecidingRule {
    /// Its file, relative to the top.
    pub file: BString,
    /// Line number, from 1.
    pub line: u32,
    /// Its text.
    pub pattern: BString,
}

/// A file that changes sides.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MovedPath {
    /// Relative to the top.
    pub path: RepoPathBuf,
    /// The rule that ignores it, after the change or before; `None` where git needs no rule.
    pub rule: Option<DecidingRule>,
    /// git tracks it, here or on the later side.
    pub is_tracked: bool,
}

/// How what a rule decides about changes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RuleChange {
    /// It is new.
    New,
    /// It was there, decided about nothing, and now does.
    Began,
    /// It is still there, and decides about nothing any more.
    Idle,
    /// It is gone.
    Gone,
}

/// A rule whose work changes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ChangedRule {
    /// The rule; of one that is gone, where it was.
    pub rule: DecidingRule,
    /// How it changes.
    pub change: RuleChange,
    /// How many files it decided about before.
    pub before: u64,
    /// How many it decides about after.
    pub after: u64,
}

/// What a change of the settings does.
#[derive(Debug, Default)]
pub struct SettingsReview {
    /// Expectations that hold by the rules before and not by those after, or that are new and don't
    /// hold.
    pub broken: Vec<Expectation>,
    /// Expectations that are gone.
    pub dropped: Vec<Expectation>,
    /// Findings that are accepted and weren't.
    pub accepted: Vec<Acceptance>,
    /// Why the later settings can't be read, if they can't.
    pub fault: Option<String>,
}

/// What other rules do to the files of the working tree, by git's verdicts on rules alone.
#[derive(Debug, Default)]
pub struct RuleReview {
    /// The ignore files that differ, sorted.
    pub changed: Vec<RepoPathBuf>,
    /// The attribute files that differ, sorted.
    pub changed_attributes: Vec<RepoPathBuf>,
    /// The files of settings, templates and policy that differ, sorted.
    pub changed_settings: Vec<RepoPathBuf>,
    /// Files that become ignored, sorted.
    pub ignored: Vec<MovedPath>,
    /// Files that are no longer ignored, sorted.
    pub included: Vec<MovedPath>,
    /// Rules whose work changes: by file and line.
    pub rules: Vec<ChangedRule>,
    /// Attributes that change, by name.
    pub attributes: AttributeEffect,
    /// What becomes of expectations and accepted findings.
    pub settings: SettingsReview,
}

impl RuleReview {
    /// Those of the newly ignored files that git tracks: for them the rules do nothing.
    pub fn tracked(&self) -> impl Iterator<Item = &MovedPath> {
        self.ignored.iter().filter(|moved| moved.is_tracked)
    }

    /// Whether no file of rules or settings differs.
    pub fn is_empty(&self) -> bool {
        let all = [
            &self.changed,
            &self.changed_attributes,
            &self.changed_settings,
        ];
        all.iter().all(|paths| paths.is_empty())
    }
}

impl DecidingRule {
    fn of(ruling: &Ruling) -> Self {
        Self {
            file: ruling.source().shown.clone(),
            line: ruling.rule().line,
            pattern: ruling.rule().text.clone(),
        }
    }

    /// What tells it from other rules, whatever line it is in.
    fn key(&self) -> (&BStr, &BStr) {
        (self.file.as_bstr(), self.pattern.as_bstr())
    }
}

/// The verdicts by the rules of one side, and how many files each rule decided about.
struct Judged<'a> {
    verdicts: Verdicts<'a>,
    decided: HashMap<(BString, BString), u64>,
}

impl<'a> Judged<'a> {
    fn new(snapshot: &'a Snapshot, overlay: Overlay) -> Result<Self> {
        Ok(Self {
            verdicts: Verdicts::of_other_rules(snapshot, overlay)?,
            decided: HashMap::new(),
        })
    }

    /// Whether a path is ignored, and the rule that decides.
    fn judge(&mut self, path: &RepoPath) -> Result<(bool, Option<DecidingRule>)> {
        let answer = self.verdicts.query(path)?;
        let rule = answer.ruling.as_ref().map(DecidingRule::of);
        if let Some(rule) = &rule {
            let key = (rule.file.clone(), rule.pattern.clone());
            *self.decided.entry(key).or_default() += 1;
        }
        Ok((answer.state == State::Ignored, rule))
    }

    fn files_of(&self, rule: &DecidingRule) -> u64 {
        let key = (rule.file.clone(), rule.pattern.clone());
        self.decided.get(&key).copied().unwrap_or(0)
    }
}

impl RuleReview {
    /// Compares the rules of two sides over the files that are here, and those that either side
    /// tracks.
    ///
    /// # Errors
    /// If the tree can't be walked, or git refuses.
    pub fn compare(snapshot: &Snapshot, base: &ReviewSide, head: &ReviewSide) -> Result<Self> {
        let tree = snapshot.whole_tree()?;
        let here = tree.entries.iter().map(|entry| entry.path.as_bstr());
        let here = here.filter(|path| is_read(path));
        // What only one of the three has, holds nothing in the others.
        let names: BTreeSet<&BStr> = [base, head]
            .into_iter()
            .flat_map(|side| side.files.contents.keys())
            .map(|path| path.as_bstr())
            .chain(here)
            .collect();
        let overlay = |side: &ReviewSide| -> Overlay {
            let held = names.iter().map(|path| {
                let held = side.held(path).cloned().unwrap_or_default();
                ((*path).to_owned(), held)
            });
            held.collect()
        };
        let mut review = Self::default();
        for path in names
            .iter()
            .filter(|path| base.held(path) != head.held(path))
        {
            let path = RepoPath::new(path);
            let list = match path.name() {
                name if is_settings(path.as_bstr()) && name != IGNORE_FILE => {
                    &mut review.changed_settings
                }
                name if name == ATTRIBUTE_FILE => &mut review.changed_attributes,
                _ => &mut review.changed,
            };
            list.push(path.to_owned());
        }
        if !review.changed.is_empty() {
            review.compare_rules(snapshot, [(base, overlay(base)), (head, overlay(head))])?;
        }
        if !review.changed_attributes.is_empty() {
            review.attributes = AttributeEffect::between(snapshot, overlay(base), overlay(head))?;
        }
        if !review.is_empty() {
            let overlays = [overlay(base), overlay(head)];
            review.settings = SettingsReview::compare(snapshot, [base, head], overlays)?;
        }
        Ok(review)
    }

    fn compare_rules(
        &mut self,
        snapshot: &Snapshot,
        sides: [(&ReviewSide, Overlay); 2],
    ) -> Result<()> {
        let [(base, before), (head, after)] = sides;
        let (mut before, mut after) = (
            Judged::new(snapshot, before)?,
            Judged::new(snapshot, after)?,
        );
        let mut paths: BTreeMap<&RepoPath, bool> = BTreeMap::new();
        for entry in snapshot.whole_tree()?.entries.iter() {
            if matches!(entry.kind, EntryKind::File | EntryKind::Link) {
                paths.insert(&entry.path, entry.state == State::Tracked);
            }
        }
        for path in &base.files.paths {
            paths.entry(RepoPath::new(path)).or_insert(false);
        }
        for path in &head.files.paths {
            *paths.entry(RepoPath::new(path)).or_default() = true;
        }
        for (path, is_tracked) in paths {
            let (was, because) = before.judge(path)?;
            let (is, rule) = after.judge(path)?;
            let (list, rule) = match (was, is) {
                (false, true) => (&mut self.ignored, rule),
                (true, false) => (&mut self.included, because),
                _ => continue,
            };
            list.push(MovedPath {
                path: path.to_owned(),
                rule,
                is_tracked,
            });
        }
        self.rules = changed_rules(snapshot, [(base, &before), (head, &after)]);
        Ok(())
    }
}

/// The rules whose work changes.
fn changed_rules(
    snapshot: &Snapshot,
    [(base, before), (head, after)]: [(&ReviewSide, &Judged); 2],
) -> Vec<ChangedRule> {
    let (old, new) = (base.rules(snapshot), head.rules(snapshot));
    let known = |rules: &BTreeSet<DecidingRule>| -> BTreeSet<(BString, BString)> {
        let keys = rules.iter().map(DecidingRule::key);
        keys.map(|(file, pattern)| (file.to_owned(), pattern.to_owned()))
            .collect()
    };
    let (old_keys, new_keys) = (known(&old), known(&new));
    let has = |keys: &BTreeSet<(BString, BString)>, rule: &DecidingRule| {
        keys.contains(&(rule.file.clone(), rule.pattern.clone()))
    };
    let mut changed = Vec::new();
    for rule in &new {
        let (was, is) = (before.files_of(rule), after.files_of(rule));
        let change = match (has(&old_keys, rule), was, is) {
            (false, ..) => RuleChange::New,
            (true, 0, 1..) => RuleChange::Began,
            (true, 1.., 0) => RuleChange::Idle,
            _ => continue,
        };
        changed.push(ChangedRule {
            rule: rule.clone(),
            change,
            before: was,
            after: is,
        });
    }
    let gone = old.iter().filter(|rule| !has(&new_keys, rule));
    changed.extend(gone.map(|rule| ChangedRule {
        rule: rule.clone(),
        change: RuleChange::Gone,
        before: before.files_of(rule),
        after: 0,
    }));
    changed
}

impl SettingsReview {
    fn compare(
        snapshot: &Snapshot,
        [base, head]: [&ReviewSide; 2],
        [before, after]: [Overlay; 2],
    ) -> Result<Self> {
        let new = match head.settings(snapshot) {
            Ok(settings) => settings,
            Err(Error::Git(error)) => return Err(error.into()),
            Err(error) => {
                return Ok(Self {
                    fault: Some(error.to_string()),
                    ..Self::default()
                });
            }
        };
        // Old settings that can't be read say nothing.
        let old = base.settings(snapshot).unwrap_or_default();
        let fails = |overlay: Overlay| -> Result<Vec<bool>> {
            let verdicts = Verdicts::new(snapshot, overlay.clone())?;
            let outcomes = prove(snapshot, &verdicts, &overlay, &new.expect)?;
            let failed = outcomes.iter().map(|outcome| !outcome.wrong.is_empty());
            Ok(failed.collect())
        };
        let (failed, fail) = (fails(before)?, fails(after)?);
        let broken = new.expect.iter().zip(failed.iter().zip(&fail));
        let broken = broken.filter(|(expected, (failed, fails))| {
            **fails && !(**failed && old.expect.contains(expected))
        });
        let dropped = old.expect.iter().filter(|one| !new.expect.contains(one));
        Ok(Self {
            broken: broken.map(|(expected, _)| expected.clone()).collect(),
            dropped: dropped.cloned().collect(),
            accepted: new
                .accept
                .iter()
                .filter(|one| !old.accept.iter().any(|old| old.finding == one.finding))
                .cloned()
                .collect(),
            fault: None,
        })
    }
}
