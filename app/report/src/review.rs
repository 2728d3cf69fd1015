//! What a change of rules does.

use super::{AttributeChangeOut, root};
use bstr::{BString, ByteSlice};
use redshank_rules::RepoPathBuf;
use redshank_secrets::masked;
use redshank_worktree::settings::Expectation;
use redshank_worktree::{ChangedRule, DecidingRule, MovedPath, RuleChange, RuleReview};
use serde::Serialize;
use std::collections::BTreeMap;
use std::path::Path;

/// `review --format json`. A path that isn't UTF-8 has its bytes replaced where they aren't.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "redshank.review/1"))]
pub struct ReviewOut {
    /// Always `redshank.review/1`.
    pub schema: &'static str,
    /// The repository's top folder, an absolute path.
    pub root: String,
    /// The commit with the rules before.
    pub base: String,
    /// The commit with the rules after, or that is merged; none for what is staged or on disk.
    pub head: Option<String>,
    /// What the rules after are from.
    pub after: ReviewAfter,
    /// The ignore files that differ.
    pub changed: Vec<String>,
    /// The attribute files that differ.
    pub changed_attributes: Vec<String>,
    /// The files of settings, templates and policy that differ.
    pub changed_settings: Vec<String>,
    /// The files of rules or settings in which a merge would leave parts open.
    pub conflicts: Vec<String>,
    /// Files that become ignored.
    pub ignored: Vec<String>,
    /// Files that are no longer ignored.
    pub included: Vec<String>,
    /// Those of `ignored` that git tracks: for them the rules do nothing.
    pub tracked: Vec<String>,
    /// The rules that ignore the files of `ignored`, with how many each.
    pub by: Vec<ReviewRuleOut>,
    /// Rules whose work changes.
    pub rules: Vec<ChangedRuleOut>,
    /// Attributes that change for files that are tracked or would be.
    pub attributes: Vec<AttributeChangeOut>,
    /// Expectations that hold by the rules before and not by those after, or are new and don't hold.
    pub broken: Vec<ReviewExpectationOut>,
    /// Expectations that are gone.
    pub dropped: Vec<ReviewExpectationOut>,
    /// Findings that are accepted and weren't.
    pub accepted: Vec<ReviewAcceptedOut>,
    /// Why the settings after can't be read, if they can't.
    pub fault: Option<String>,
}

/// What the rules after a change are from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub enum ReviewAfter {
    /// A commit.
    Commit,
    /// What is staged.
    Staged,
    /// What is on disk.
    Disk,
    /// What a merge would make.
    Merge,
}

/// A rule that ignores files which it didn't before.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ReviewRuleOut {
    /// Its file, relative to the top.
    pub file: String,
    /// Line number, from 1.
    pub line: u32,
    /// Its text.
    pub pattern: String,
    /// How many files it newly ignores.
    pub files: u64,
    /// How many of them git tracks.
    pub tracked: u64,
}

/// A rule whose work changes.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ChangedRuleOut {
    /// Its file, relative to the top.
    pub file: String,
    /// Line number, from 1; of a rule that is gone, where it was.
    pub line: u32,
    /// Its text.
    pub pattern: String,
    /// `new`, `began`, `idle` or `gone`.
    pub change: &'static str,
    /// How many files it decided about before.
    pub before: u64,
    /// How many it decides about after.
    pub after: u64,
}

/// An expectation of the settings.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ReviewExpectationOut {
    /// Its path or pattern.
    pub subject: String,
    /// What it expects: a state, or an attribute.
    pub expected: String,
    /// Its reason.
    pub because: Option<String>,
}

/// A finding that is accepted.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ReviewAcceptedOut {
    /// Its id.
    pub finding: String,
    /// The rule, as the settings have it.
    pub rule: String,
    /// The path, as the settings have it.
    pub path: String,
    /// The reason.
    pub because: String,
}

/// The word for a rule's change in documents.
pub fn rule_change(change: RuleChange) -> &'static str {
    match change {
        RuleChange::New => "new",
        RuleChange::Began => "began",
        RuleChange::Idle => "idle",
        RuleChange::Gone => "gone",
    }
}

impl From<&Expectation> for ReviewExpectationOut {
    fn from(expectation: &Expectation) -> Self {
        let subject = expectation.path.as_ref().or(expectation.pattern.as_ref());
        Self {
            subject: subject.cloned().unwrap_or_default(),
            expected: expectation.expected().to_owned(),
            because: expectation.because.as_deref().map(masked),
        }
    }
}

impl From<&ChangedRule> for ChangedRuleOut {
    fn from(changed: &ChangedRule) -> Self {
        Self {
            file: lossy(&changed.rule.file),
            line: changed.rule.line,
            pattern: lossy(&changed.rule.pattern),
            change: rule_change(changed.change),
            before: changed.before,
            after: changed.after,
        }
    }
}

fn lossy(bytes: &BString) -> String {
    bytes.to_str_lossy().into_owned()
}

/// The rules that ignore files which they didn't before, each with those files.
pub fn by_rule(review: &RuleReview) -> BTreeMap<&DecidingRule, Vec<&MovedPath>> {
    let mut by: BTreeMap<&DecidingRule, Vec<&MovedPath>> = BTreeMap::new();
    for moved in &review.ignored {
        if let Some(rule) = &moved.rule {
            by.entry(rule).or_default().push(moved);
        }
    }
    by
}

impl ReviewOut {
    /// Builds the document of a review.
    pub fn new(
        top: &Path,
        base: &str,
        head: Option<&str>,
        after: ReviewAfter,
        review: &RuleReview,
        conflicts: &[RepoPathBuf],
    ) -> Self {
        let paths = |paths: &[RepoPathBuf]| {
            let paths = paths.iter().map(|path| path.to_str_lossy());
            paths.map(std::borrow::Cow::into_owned).collect()
        };
        let moved = |moved: &mut dyn Iterator<Item = &MovedPath>| {
            moved
                .map(|moved| moved.path.to_str_lossy().into_owned())
                .collect()
        };
        let by = by_rule(review).into_iter().map(|(rule, files)| {
            let tracked = files.iter().filter(|moved| moved.is_tracked).count();
            ReviewRuleOut {
                file: lossy(&rule.file),
                line: rule.line,
                pattern: lossy(&rule.pattern),
                files: files.len() as u64,
                tracked: tracked as u64,
            }
        });
        let settings = &review.settings;
        let accepted = settings.accepted.iter().map(|one| ReviewAcceptedOut {
            finding: one.finding.clone(),
            rule: one.rule.clone(),
            path: one.path.clone(),
            because: masked(&one.because),
        });
        Self {
            schema: "redshank.review/1",
            root: root(top),
            base: base.to_owned(),
            head: head.map(str::to_owned),
            after,
            changed: paths(&review.changed),
            changed_attributes: paths(&review.changed_attributes),
            changed_settings: paths(&review.changed_settings),
            conflicts: paths(conflicts),
            ignored: moved(&mut review.ignored.iter()),
            included: moved(&mut review.included.iter()),
            tracked: moved(&mut review.tracked()),
            by: by.collect(),
            rules: review.rules.iter().map(ChangedRuleOut::from).collect(),
            attributes: review
                .attributes
                .changes
                .iter()
                .map(AttributeChangeOut::from)
                .collect(),
            broken: settings.broken.iter().map(Into::into).collect(),
            dropped: settings.dropped.iter().map(Into::into).collect(),
            accepted: accepted.collect(),
            fault: settings.fault.clone(),
        }
    }
}
