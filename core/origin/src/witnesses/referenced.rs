//! Who refers to a file: a text that a person wrote has its name in it, or only pages that a tool
//! made link to it.

use super::Subject;
use super::format::is_media;
use super::language::{Group, language};
use crate::Surroundings;
use crate::evidence::{Detail, Evidence, Witness};

pub(super) fn testify(around: &Surroundings, subject: &Subject, evidence: &mut Vec<Evidence>) {
    let declared = around.declared();
    let entries = &around.tree().entries;
    if let Some(page) = around.linked().page_of(subject.path) {
        let file = entries[page as usize].path.clone();
        let detail = Detail::NamedBy { file, line: 0 };
        evidence.push(Evidence::new(Witness::Referenced, "by-made-page", detail));
        return;
    }
    // A build that makes it names it as well; a document that shows a picture needs it.
    let is_made = declared.makes(subject.path);
    let mentions = declared.mentions(subject.path.name()).iter();
    let texts = mentions.map(|at| &*entries[*at as usize].path);
    let mut texts = texts.filter(|text| {
        !is_made || is_media(subject.path) && matches!(language(text), Some((_, Group::Prose)))
    });
    if let Some(text) = texts.find(|text| *text != subject.path) {
        let row = if is_made {
            "by-document"
        } else if text.folder() == subject.path.folder() {
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
