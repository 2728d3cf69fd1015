//! Who refers to a file: a text that a person wrote has its name in it.

use super::Subject;
use crate::Surroundings;
use crate::evidence::{Detail, Evidence, Witness};

pub(super) fn testify(around: &Surroundings, subject: &Subject, evidence: &mut Vec<Evidence>) {
    let declared = around.declared();
    // A build that makes it names it as well.
    if declared.makes(subject.path) {
        return;
    }
    let entries = &around.tree().entries;
    let mentions = declared.mentions(subject.path.name()).iter();
    let mut texts = mentions.map(|at| &*entries[*at as usize].path);
    if let Some(text) = texts.find(|text| *text != subject.path) {
        let row = if text.folder() == subject.path.folder() {
            "beside"
        } else {
            "by-name"
        };
        evidence.push(Evidence::new(
            Witness::Referenced,
            row,
            Detail::NamedBy {
                file: text.to_owned(),
                line: 0,
            },
        ));
    }
}
