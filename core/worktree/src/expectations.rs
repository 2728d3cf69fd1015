//! Expectations: what must stay ignored, what must stay tracked, kept beside the rules and proven
//! by anyone.

use crate::tree::State;
use crate::usage::rule_usage;
use crate::{Answer, RepoPath, RepoPathBuf, Result, Snapshot, Verdicts, settings};
use bstr::ByteSlice;
use redshank_pattern::Rule;
use serde::Deserialize;
use std::collections::BTreeMap;
use toml_edit::{Table, value};

/// One expectation, as it stands in `redshank.toml`.
#[derive(Debug, Clone, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
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
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
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

impl Expectation {
    /// As the settings hold it.
    pub(crate) fn table(&self) -> Table {
        let mut table = Table::new();
        let texts = [("path", &self.path), ("pattern", &self.pattern)];
        for (key, text) in texts {
            if let Some(text) = text {
                table[key] = value(text);
            }
        }
        table["state"] = value(self.state.word());
        if let Some(because) = &self.because {
            table["because"] = value(because);
        }
        table
    }
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
    pub wrong: Vec<(RepoPathBuf, Answer)>,
}

/// Runs expectations against the rules.
///
/// # Errors
/// If the tree can't be walked or an ignore file can't be read.
pub fn prove<'a>(
    snapshot: &Snapshot,
    verdicts: &Verdicts,
    expectations: &'a [Expectation],
) -> Result<Vec<Outcome<'a>>> {
    let of_one = |expected: &'a Expectation| {
        let paths = paths_of(snapshot, expected)?;
        let mut wrong = Vec::new();
        for path in &paths {
            let answer = verdicts.query(path)?;
            if !expected.state.is(answer.state) {
                wrong.push((path.clone(), answer));
            }
        }
        Ok(Outcome {
            expected,
            paths: paths.len(),
            wrong,
        })
    };
    expectations.iter().map(of_one).collect()
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
        if usage.catches.files == 0 || usage.rule().negated {
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
    recorded.extend(kept.map(|path| (path, Expected::Kept, "it is work".to_owned())));
    let known = &snapshot.settings()?.expect;
    let is_known = |path: &str| known.iter().any(|one| one.path.as_deref() == Some(path));
    let new = recorded.into_iter().filter_map(|(path, state, because)| {
        let path = path.to_str().ok().filter(|path| !is_known(path))?;
        Some(Expectation {
            path: Some(path.to_owned()),
            pattern: None,
            state,
            because: Some(because),
        })
    });
    Ok(new.collect())
}
