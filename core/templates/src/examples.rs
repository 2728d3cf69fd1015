//! Proving a template by its own examples.

use super::Template;
use bstr::BString;
use redshank_rules::{Case, fit};
use redshank_rules::{Chain, RuleList, Source};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_worktree::settings::Choices;
use std::sync::Arc;

/// An example that does not come out as its template says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Failure {
    /// The pattern whose example it is.
    pub pattern: String,
    /// Path that is the example.
    pub example: String,
    /// Whether it should have been ignored.
    pub expected_ignored: bool,
    /// The folder that the project was supposed in: empty for the top.
    pub folder: RepoPathBuf,
    /// The other template that needs it.
    pub needed_by: Option<String>,
}

/// Whether a template's rules, at the top, ignore a path. A folder's ends in a slash.
pub(super) fn ignores(template: &Template, path: &RepoPath) -> bool {
    let rules = fitted(template, RepoPath::top());
    rules.ignored_by(path.bare(), path.is_folder()).is_some()
}

/// A template's rules, fitted to a folder.
fn fitted(template: &Template, folder: &RepoPath) -> Chain {
    let lines: Vec<BString> = template
        .rule
        .iter()
        .map(|rule| fit(&rule.pattern, folder))
        .collect();
    let source = Source::of_folder(RepoPathBuf::default());
    let list = RuleList::parse(source, &bstr::join("\n", &lines), Case::Sensitive);
    Chain::new([Arc::new(list)])
}

/// Where the examples are tried: at the top, one folder down, and in a folder whose name must be
/// quoted.
const PLACES: [&str; 3] = ["", "exhibit/", "north [old]/a b/"];

/// Tries every example of a template, at the top and fitted to sub-folders. Returns the failures
/// and how many tries there were.
pub fn prove(template: &Template) -> (Vec<Failure>, usize) {
    let (mut failures, mut tries) = prove_as_it_is(template);
    for (name, variant) in template.variant_names().zip(&template.variant) {
        let mut chosen = template.clone();
        chosen.choose(&Choices {
            variants: vec![name],
            ..Choices::default()
        });
        let (failed, tried) = prove_as_it_is(&chosen);
        // An exception of the variant may well let in what the template ignores.
        let own = |failure: &Failure| {
            variant
                .rule
                .iter()
                .any(|rule| rule.pattern == failure.pattern)
        };
        failures.extend(
            failed
                .into_iter()
                .filter(|failure| !failure.expected_ignored || own(failure)),
        );
        tries += tried;
    }
    (failures, tries)
}

/// Tries a template's rules on the files by which its neighbours in the same folder are recognised,
/// and on those that they need. Returns the failures and how many tries there were.
pub fn prove_beside(template: &Template, neighbours: &[Template]) -> (Vec<Failure>, usize) {
    let mut failures = Vec::new();
    let mut tries = 0;
    let chain = fitted(template, RepoPath::top());
    let is_beside =
        |other: &&Template| other.name != template.name && !template.outranks.contains(&other.name);
    for other in neighbours.iter().filter(is_beside) {
        for example in files_of(other) {
            tries += 1;
            if let Some(ruling) = chain.ignored_by(example.as_bytes().into(), false) {
                failures.push(Failure {
                    pattern: ruling.rule().text.to_string(),
                    example,
                    expected_ignored: false,
                    folder: RepoPathBuf::default(),
                    needed_by: Some(other.name.clone()),
                });
            }
        }
    }
    (failures, tries)
}

/// Names of files by which a template is recognised, and of those that it needs; without those
/// that others make under the same name: there the guard looks at what they hold.
fn files_of(template: &Template) -> Vec<String> {
    // What an editor or a system leaves is what its own template ignores, and others may, too.
    if template.group.everywhere() {
        return Vec::new();
    }
    let markers = template.recognise.iter().filter(|marker| !marker.gather);
    let markers = markers.map(|marker| &marker.file);
    let needed = template.needed.iter().map(|needed| &needed.pattern);
    let names = markers.chain(needed).map(|file| {
        let name = file.trim_start_matches('/').replace("**/", "");
        name.replace('*', "gauge")
    });
    names
        .filter(|name| *name != "Makefile" && !name.starts_with("bin/"))
        .collect()
}

fn prove_as_it_is(template: &Template) -> (Vec<Failure>, usize) {
    let mut failures = Vec::new();
    let mut tries = 0;
    for folder in PLACES.map(RepoPath::new) {
        let chain = fitted(template, folder);
        for rule in &template.rule {
            let examples = rule
                .ignored
                .iter()
                .map(|path| (path, true))
                .chain(rule.kept.iter().map(|path| (path, false)));
            for (example, expected_ignored) in examples {
                tries += 1;
                let path = folder.join(example);
                let is_ignored = chain.ignored_by(path.bare(), path.is_folder()).is_some();
                if is_ignored != expected_ignored {
                    let (pattern, example) = (rule.pattern.clone(), example.clone());
                    failures.push(Failure {
                        pattern,
                        example,
                        expected_ignored,
                        folder: folder.to_owned(),
                        needed_by: None,
                    });
                }
            }
        }
    }
    (failures, tries)
}
