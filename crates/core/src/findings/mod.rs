//! Findings: what should be tracked and isn't, or is (or would be) and shouldn't.
//!
//! A finder takes the tree with its verdicts and gives findings as plain data. It prints nothing and changes nothing. A new
//! finder is one file here and one line in [`find`].

mod claimed;
mod exposure;
mod finding;
pub mod needed;
mod oversized;
mod secret;
mod tracked_anyway;

pub use finding::{Class, Exposure, Finding, Level, Remedy};
pub use secret::Secret;

use crate::Result;
use crate::settings::Settings;
use crate::size::Bytes;
use crate::templates::{Survey, Template, recognise};
use crate::tree::{Oracle, Overlay, Place, Scope, Tree, Unread};
use std::cmp::Reverse;
use std::collections::HashMap;

/// What the finders look at.
pub struct Look<'a> {
    /// Where.
    pub place: &'a Place,
    /// The tree, stopped at ignored folders, with sizes.
    pub tree: &'a Tree,
    /// The projects in it.
    pub survey: &'a Survey<'a>,
    /// The repository's settings.
    pub settings: &'a Settings,
    /// Verdicts on single paths.
    pub oracle: &'a Oracle<'a>,
}

/// What the finders found.
#[derive(Default)]
pub struct Found {
    /// Sorted by what to do first.
    pub findings: Vec<Finding>,
    /// What could not be read, and so was not looked into.
    pub unread: Vec<Unread>,
}

/// Runs every finder on a place.
///
/// # Errors
/// If the tree, the settings or the index can't be read.
pub fn find_in(place: &Place, templates: &[Template]) -> Result<Found> {
    let settings = Settings::read(&place.top)?;
    let tree = Tree::walk(place, &Scope::default())?;
    let survey = recognise(place, &tree, templates);
    find(place, &tree, &survey, &settings)
}

/// Runs every finder on a tree that was walked already.
///
/// # Errors
/// If the index can't be read.
pub fn find(place: &Place, tree: &Tree, survey: &Survey, settings: &Settings) -> Result<Found> {
    let oracle = Oracle::new(place, Overlay::new())?;
    let look = Look { place, tree, survey, settings, oracle: &oracle };
    let mut found = Found { findings: Vec::new(), unread: tree.unread.clone() };
    let claimed = claimed::find(&look, &mut found)?;
    secret::find(&look, &claimed, &mut found)?;
    oversized::find(&look, &claimed, &mut found);
    needed::find(&look, &mut found)?;
    tracked_anyway::find(&look, &claimed, &mut found)?;
    exposure::fill_in(place, &mut found)?;
    sort(&mut found.findings);
    Ok(found)
}

/// What to do first comes first: by level, class and how far it got; within a class the rule with most bytes, whose
/// findings stay together.
fn sort(findings: &mut [Finding]) {
    let mut weights: HashMap<String, Bytes> = HashMap::new();
    for finding in findings.iter() {
        *weights.entry(finding.rule.clone()).or_default() += finding.size.unwrap_or_default();
    }
    findings.sort_by(|a, b| {
        let key = |f: &Finding| (f.level, f.class, Reverse(f.exposure), Reverse(weights.get(&f.rule).copied()));
        let within = |f: &Finding| (f.rule.clone(), Reverse(f.size), f.path.clone(), f.line);
        key(a).cmp(&key(b)).then_with(|| within(a).cmp(&within(b)))
    });
}
