//! Proving a template by its own examples.

use super::{Template, fit};
use crate::rules::{Chain, RuleList, Source};
use bstr::{BStr, BString, ByteSlice};
use redshank_pattern::Case;

/// An example that does not come out as its template says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Failure {
    /// The pattern whose example it is.
    pub pattern: String,
    /// The example.
    pub example: String,
    /// Whether it should have been ignored.
    pub expected_ignored: bool,
    /// The folder that the project was supposed in: empty for the top.
    pub folder: BString,
}

/// Where the examples are tried: at the top, one folder down, and in a folder whose name must be quoted.
const PLACES: [&str; 3] = ["", "exhibit/", "north [old]/a b/"];

/// Tries every example of a template, at the top and fitted to sub-folders. Gives the failures and how many tries there
/// were.
pub fn prove(template: &Template) -> (Vec<Failure>, usize) {
    let mut failures = Vec::new();
    let mut tries = 0;
    for folder in PLACES.map(BStr::new) {
        let lines: Vec<BString> = template.rule.iter().map(|rule| fit(&rule.pattern, folder)).collect();
        let source = Source::of_folder(BString::default());
        let chain = Chain::new([RuleList::parse(source, &bstr::join("\n", &lines), Case::Sensitive)]);
        for rule in &template.rule {
            let examples =
                rule.ignored.iter().map(|path| (path, true)).chain(rule.kept.iter().map(|path| (path, false)));
            for (example, expected_ignored) in examples {
                tries += 1;
                let path = [folder.as_bytes(), example.as_bytes()].concat();
                let bare = path.strip_suffix(b"/").unwrap_or(&path);
                if chain.shuts(bare.into(), path.ends_with(b"/")).is_some() != expected_ignored {
                    let (pattern, example) = (rule.pattern.clone(), example.clone());
                    failures.push(Failure { pattern, example, expected_ignored, folder: folder.into() });
                }
            }
        }
    }
    (failures, tries)
}
