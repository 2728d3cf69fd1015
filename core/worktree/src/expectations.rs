//! Expectations: what must stay ignored, what must stay tracked, kept beside the rules and proven
//! by anyone.

use crate::attributes::Attributes;
use crate::settings::{self, Expectation, Expected};
use crate::tree::State;
use crate::usage::rule_usage;
use crate::{Answer, Overlay, Result, Snapshot, Verdicts};
use bstr::ByteSlice;
use redshank_rules::Rule;
use redshank_rules::attribute_file::{AttributeLine, Setting, Value};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_rules::{RuleScope, Ruling};
use std::collections::BTreeMap;
use std::time::{Duration, Instant};

impl Expected {
    fn is(self, state: State) -> bool {
        match self {
            Self::Ignored => state == State::Ignored,
            Self::Tracked => state == State::Tracked,
            Self::Candidate => state == State::Candidate,
            Self::Kept => state != State::Ignored,
        }
    }
}

/// What a path is, where something else was expected.
pub enum Actual {
    /// The verdict on it.
    Verdict(Answer),
    /// The attribute's value for everybody, and the line that gives it; `None` where none does.
    Attribute(Option<(Value, AttributeLine)>),
}

/// How an expectation came out.
pub struct Outcome<'a> {
    /// The expectation, as redshank.toml has it.
    pub expected: &'a Expectation,
    /// How many paths were looked at.
    pub paths: usize,
    /// The paths that are not as expected, with what each is instead.
    pub wrong: Vec<(RepoPathBuf, Actual)>,
    /// A path that is as expected by a rule that only this person or this clone has, with it: for
    /// everybody else the expectation fails.
    pub only_here: Option<(RepoPathBuf, Ruling)>,
    /// How long it took to prove.
    pub took: Duration,
}

/// Runs expectations against the rules; the attribute files of the overlay are taken as if they held
/// that.
///
/// # Errors
/// If the tree can't be walked or an ignore file can't be read.
pub fn prove<'a>(
    snapshot: &Snapshot,
    verdicts: &Verdicts,
    overlay: &Overlay,
    expectations: &'a [Expectation],
) -> Result<Vec<Outcome<'a>>> {
    let mut attributes = None;
    expectations
        .iter()
        .map(|expected| {
            let begun = Instant::now();
            if let Some(attribute) = &expected.attribute {
                let known = match &mut attributes {
                    Some(known) => known,
                    None => attributes.insert(Attributes::of_everyone(snapshot, overlay.clone())?),
                };
                return prove_attribute(snapshot, known, expected, attribute);
            }
            let paths = paths_of(snapshot, expected)?;
            let mut wrong = Vec::new();
            let mut only_here = None;
            for path in &paths {
                let answer = verdicts.query(path)?;
                if !expected.state.is_some_and(|state| state.is(answer.state)) {
                    wrong.push((path.clone(), Actual::Verdict(answer)));
                } else if let Some(ruling) =
                    answer.ruling.filter(|_| answer.state != State::Tracked)
                    && is_of_one(&ruling)
                {
                    only_here.get_or_insert_with(|| (path.clone(), ruling));
                }
            }
            Ok(Outcome {
                expected,
                paths: paths.len(),
                wrong,
                only_here,
                took: begun.elapsed(),
            })
        })
        .collect()
}

/// Proves that paths have an attribute, by the lines that everybody has.
fn prove_attribute<'a>(
    snapshot: &Snapshot,
    attributes: &mut Attributes,
    expected: &'a Expectation,
    attribute: &str,
) -> Result<Outcome<'a>> {
    let begun = Instant::now();
    let paths = paths_of(snapshot, expected)?;
    let wanted = Setting::parse(attribute.as_bytes());
    let mut wrong = Vec::new();
    for path in &paths {
        let given = attributes.given(path);
        let found = wanted
            .as_ref()
            .and_then(|wanted| given.get(wanted.name.as_bstr()));
        let value = found.map_or(&Value::Unspecified, |(value, _)| value);
        if wanted.as_ref().is_none_or(|wanted| wanted.value != *value) {
            let found = found.map(|(value, line)| ((*value).clone(), (*line).clone()));
            wrong.push((path.clone(), Actual::Attribute(found)));
        }
    }
    Ok(Outcome {
        expected,
        paths: paths.len(),
        wrong,
        only_here: None,
        took: begun.elapsed(),
    })
}

/// Whether a rule is only this clone's or this person's.
fn is_of_one(ruling: &Ruling) -> bool {
    matches!(
        ruling.source().scope,
        RuleScope::Clone | RuleScope::Personal
    )
}

/// The paths that an expectation is about; the tree is only walked for a pattern.
fn paths_of(snapshot: &Snapshot, expected: &Expectation) -> Result<Vec<RepoPathBuf>> {
    let mut paths: Vec<RepoPathBuf> = expected
        .path
        .iter()
        .map(|path| path.as_str().into())
        .collect();
    if let Some(pattern) = &expected.pattern {
        let rule = Rule::parse(pattern.as_bytes(), 1, snapshot.case());
        let entries = snapshot.whole_tree()?.entries.iter();
        let matched = entries.filter(|entry| rule.reaches(&entry.path));
        paths.extend(matched.map(|entry| entry.path.clone()));
    }
    Ok(paths)
}

/// Expectations that today's state would meet and that the settings don't hold yet: an example for
/// every rule that catches something, and one path that is work for every top folder; which of
/// those that would be committed are work, the caller says. A path that TOML can't hold as text is
/// left to the person.
///
/// # Errors
/// If the tree can't be walked, or the settings can't be read.
pub fn recorded(
    snapshot: &Snapshot,
    is_work: &dyn Fn(&RepoPath) -> bool,
) -> Result<Vec<Expectation>> {
    let tree = snapshot.whole_tree()?;
    let mut recorded = Vec::new();
    for usage in rule_usage(snapshot)?.rules {
        let is_of_one = matches!(
            usage.list.source.scope,
            RuleScope::Clone | RuleScope::Personal
        );
        if usage.catches.files == 0 || usage.rule().negated || is_of_one {
            continue;
        }
        let example = tree.in_state(State::Ignored).find(|entry| {
            let ruling = entry.ruling.as_ref();
            ruling.is_some_and(|ruling| ruling.id() == usage.id())
        });
        let because = format!("the rule `{}`", usage.rule().text);
        recorded.extend(example.map(|entry| (&entry.path, Expected::Ignored, because)));
    }
    let mut kept: BTreeMap<&RepoPath, &RepoPathBuf> = BTreeMap::new();
    for entry in tree.to_commit() {
        let top = entry.path.top_folder();
        if !kept.contains_key(top) && entry.path != settings::FILE && is_work(&entry.path) {
            kept.insert(top, &entry.path);
        }
    }
    let kept = kept.into_values();
    recorded.extend(kept.map(|path| (path, Expected::Kept, "source file".to_owned())));
    let known = &snapshot.settings()?.expect;
    let new = recorded.into_iter().filter_map(|(path, state, because)| {
        let path = path
            .to_str()
            .ok()
            .filter(|path| !known.iter().any(|one| one.path.as_deref() == Some(path)))?;
        Some(Expectation {
            path: Some(path.to_owned()),
            pattern: None,
            state: Some(state),
            attribute: None,
            because: Some(because),
        })
    });
    Ok(new.collect())
}
