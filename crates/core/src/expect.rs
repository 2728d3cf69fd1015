//! Expectations: what must stay ignored, what must stay tracked, kept beside the rules and proven
//! by anyone.

use crate::audit::audit;
use crate::tree::{Answer, Depth, Oracle, Place, Scope, State, Tree};
use crate::{Result, settings};
use bstr::{BStr, BString, ByteSlice};
use redshank_pattern::Rule;
use schemars::JsonSchema;
use serde::Deserialize;
use std::collections::BTreeMap;

/// One expectation, as it stands in `redshank.toml`.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Expectation {
    /// A path relative to the top, existing or not; one that ends in a slash stands for a folder.
    pub path: Option<String>,
    /// A pattern as in an ignore file at the top: every path that it matches must be in that state.
    pub pattern: Option<String>,
    /// The state.
    pub state: Expected,
    /// Why.
    pub because: Option<String>,
}

/// A state that is expected.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Expected {
    /// A rule keeps it out.
    Ignored,
    /// git tracks it.
    Tracked,
    /// Not tracked and not ignored.
    Candidate,
    /// Tracked or a candidate: no rule keeps it out.
    Kept,
}

impl Expected {
    /// Its word.
    pub fn word(self) -> &'static str {
        match self {
            Self::Ignored => "ignored",
            Self::Tracked => "tracked",
            Self::Candidate => "candidate",
            Self::Kept => "kept",
        }
    }

    fn is(self, state: State) -> bool {
        match self {
            Self::Ignored => state == State::Ignored,
            Self::Tracked => state == State::Tracked,
            Self::Candidate => state == State::Candidate,
            Self::Kept => state != State::Ignored,
        }
    }
}

/// How an expectation came out.
pub struct Outcome<'a> {
    /// The expectation.
    pub expected: &'a Expectation,
    /// How many paths were looked at.
    pub paths: usize,
    /// The paths that are not as expected, with the answer on each.
    pub wrong: Vec<(BString, Answer)>,
}

/// Runs expectations against the rules.
///
/// # Errors
/// If the tree can't be walked or an ignore file can't be read.
pub fn prove<'a>(
    place: &Place,
    oracle: &Oracle,
    expectations: &'a [Expectation],
) -> Result<Vec<Outcome<'a>>> {
    let walked = if expectations
        .iter()
        .any(|expected| expected.pattern.is_some())
    {
        Tree::walk(
            place,
            &Scope {
                depth: Depth::IntoIgnored,
                sizes: false,
                ..Scope::default()
            },
        )?
    } else {
        Tree::default()
    };
    expectations
        .iter()
        .map(|expected| one(place, oracle, &walked, expected))
        .collect()
}

fn one<'a>(
    place: &Place,
    oracle: &Oracle,
    tree: &Tree,
    expected: &'a Expectation,
) -> Result<Outcome<'a>> {
    let mut paths: Vec<BString> = expected
        .path
        .iter()
        .map(|path| path.as_str().into())
        .collect();
    if let Some(pattern) = &expected.pattern {
        let rule = Rule::parse(pattern.as_bytes(), 1, place.case());
        let matched = tree
            .entries
            .iter()
            .filter(|entry| rule.reaches(entry.path.as_bstr()));
        paths.extend(matched.map(|entry| entry.path.clone()));
    }
    let mut wrong = Vec::new();
    for path in &paths {
        let answer = oracle.ask(path.as_bstr())?;
        if !expected.state.is(answer.state) {
            wrong.push((path.clone(), answer));
        }
    }
    Ok(Outcome {
        expected,
        paths: paths.len(),
        wrong,
    })
}

/// Expectations that today's state would meet, as text to add to the settings: an example for every
/// rule that catches something, and one path that is kept for every top folder.
///
/// # Errors
/// If the tree can't be walked.
pub fn recorded(place: &Place) -> Result<String> {
    let tree = Tree::walk(
        place,
        &Scope {
            depth: Depth::IntoIgnored,
            sizes: false,
            ..Scope::default()
        },
    )?;
    let mut text = String::new();
    let mut put = |path: &BStr, state: Expected, because: &str| {
        // A path that TOML can't hold as text is left to the person.
        if let Ok(path) = path.to_str() {
            let mut table = toml_edit::Table::new();
            table["path"] = toml_edit::value(path);
            table["state"] = toml_edit::value(state.word());
            table["because"] = toml_edit::value(because);
            text += &format!("\n[[expect]]\n{table}");
        }
    };
    for audited in audit(place)?
        .rules
        .iter()
        .filter(|audited| audited.catches.files > 0 && !audited.rule().negated)
    {
        let decided = |ruling: &crate::rules::Ruling| {
            ruling.source().shown == audited.list.source.shown
                && ruling.rule().line == audited.rule().line
        };
        let example = tree
            .in_state(State::Ignored)
            .find(|entry| entry.ruling.as_ref().is_some_and(decided));
        if let Some(entry) = example {
            put(
                entry.path.as_bstr(),
                Expected::Ignored,
                &format!("the rule `{}`", audited.rule().text),
            );
        }
    }
    let mut kept: BTreeMap<&BStr, &BStr> = BTreeMap::new();
    for entry in tree.to_commit() {
        kept.entry(crate::effect::top_folder(entry.path.as_bstr()))
            .or_insert(entry.path.as_bstr());
    }
    for path in kept.into_values().filter(|path| *path != settings::FILE) {
        put(path, Expected::Kept, "it is work");
    }
    Ok(text)
}
