//! What a block tells of its own history, so that nothing needs to be remembered beside it.
//!
//! Its marks name the templates, their places and revisions, and a checksum of the lines as they
//! were written. While the checksum is right, nobody changed a line. Once it isn't, the lines of
//! these revisions are known from the templates that come with the program: each rule says since
//! when it is there, and a template names the patterns that it once had.

use super::blocks::written;
use super::memory::{Memory, Remembered, remembered};
use super::places::fit_to;
use super::section::comments;
use crate::{Template, TemplateRule, TemplateSource};
use bstr::{BStr, BString, ByteSlice};
use redshank_rules::ignore_file::{Block, Mark, blocks, with_mark};
use std::collections::{BTreeMap, BTreeSet, HashSet};

/// Reads a block's history from its marks and lines; `None` if they don't tell it.
pub(super) fn from_block(file: &BStr, block: &Block, templates: &[Template]) -> Option<Remembered> {
    let mark = block.mark.as_ref()?;
    let label = block.label.to_str().ok()?;
    let (names, places) = label.split_once(" in ").unwrap_or((label, "/"));
    let names: Vec<&str> = names.split(", ").collect();
    if names.len() != mark.revisions.len() {
        return None;
    }
    let revisions: BTreeMap<String, u32> = names
        .into_iter()
        .map(str::to_owned)
        .zip(mark.revisions.iter().copied())
        .collect();
    let places: Vec<String> = places.split(" and ").map(str::to_owned).collect();
    let lines = if is_unchanged(block) {
        remembered(&block.lines)
    } else {
        lines_of_revisions(&revisions, &places, &block.lines, templates)?
    };
    Some(Remembered {
        file: file.to_string(),
        label: label.to_owned(),
        templates: revisions,
        places,
        lines,
    })
}

/// Whether a block holds just what was written into it.
pub(super) fn is_unchanged(block: &Block) -> bool {
    let checksum = block.mark.as_ref().and_then(|mark| mark.checksum.as_ref());
    checksum.is_some_and(|sum| *sum == Mark::checksum_of(&block.lines))
}

/// Every line that these revisions may have written into a block; `None` if one of the templates
/// doesn't come with the program, so that its earlier revisions are unknown.
fn lines_of_revisions(
    revisions: &BTreeMap<String, u32>,
    places: &[String],
    here: &[BString],
    templates: &[Template],
) -> Option<Vec<String>> {
    let places: Vec<BString> = places.iter().map(|place| place.as_str().into()).collect();
    let mut lines = BTreeSet::new();
    for (name, revision) in revisions {
        let template = templates.iter().find(|template| template.name == *name)?;
        if template.origin != TemplateSource::BuiltIn {
            return None;
        }
        let was_there = |rule: &&TemplateRule| rule.since.unwrap_or(1) <= *revision;
        let of_rules = |rules: &[TemplateRule]| -> Vec<BString> {
            let rules = rules.iter().filter(was_there);
            rules.flat_map(|rule| written(rule, &places)).collect()
        };
        let optional: HashSet<&str> = template
            .variant
            .iter()
            .flat_map(|variant| &variant.rule)
            .map(|rule| rule.pattern.as_str())
            .collect();
        let own = template.rule.iter().chain(&template.unchosen);
        let own = own.filter(|rule| !optional.contains(rule.pattern.as_str()));
        lines.extend(
            own.filter(was_there)
                .flat_map(|rule| written(rule, &places)),
        );
        for variant in &template.variant {
            // Without any of its rules, the variant wasn't chosen when the block was written.
            let of_variant = of_rules(&variant.rule);
            if of_variant.iter().any(|line| here.contains(line)) {
                lines.extend(of_variant);
            }
        }
        let replaced = template
            .rule
            .iter()
            .filter_map(|rule| rule.replaces.as_ref());
        for earlier in replaced.chain(&template.retired) {
            lines.extend(places.iter().map(|place| fit_to(earlier, place.as_bstr())));
        }
        lines.extend(comments(template));
    }
    Some(remembered(&lines))
}

impl Memory {
    /// Adds what the blocks of an ignore file tell of themselves, where it isn't remembered.
    pub(super) fn read_blocks(&mut self, file: &BStr, blocks: &[Block], templates: &[Template]) {
        for block in blocks.iter().filter(|block| block.is_of_templates()) {
            if self.get(file, block.label.as_bstr()).is_none() {
                self.block.extend(from_block(file, block, templates));
            }
        }
    }

    /// Marks the blocks of an ignore file that were written or changed.
    pub(super) fn mark_blocks(&self, file: &BStr, before: &[u8], mut after: Vec<u8>) -> Vec<u8> {
        let was = blocks(before);
        for block in blocks(&after) {
            let Some(known) = self.get(file, block.label.as_bstr()) else {
                continue;
            };
            let mark = mark(known, &block);
            let same = was.iter().find(|was| was.label == block.label);
            let is_marked = same.filter(|was| was.lines == block.lines).map(|was| {
                let held = was.mark.as_ref();
                held == block.mark.as_ref()
                    && held.is_none_or(|held| held.revisions == mark.revisions)
            });
            if is_marked != Some(true) {
                after = with_mark(&after, &block, &mark);
            }
        }
        after
    }

    /// Only what must be kept in the file: what was in it, and what a block wouldn't tell of itself
    /// after a person's next change.
    pub(super) fn without_told(
        &self,
        stored: &Self,
        templates: &[Template],
        text_of: impl Fn(&BStr) -> Option<Vec<u8>>,
    ) -> Self {
        let is_told = |known: &&Remembered| {
            let (file, label) = (known.file.as_bytes().as_bstr(), known.label.as_bytes());
            if stored.get(file, label.as_bstr()).is_some() {
                return false;
            }
            let blocks = text_of(file).map_or(Vec::new(), |text| blocks(&text));
            let block = blocks.into_iter().find(|block| block.label == label);
            block.is_none_or(|block| tells(&block, known, templates))
        };
        let kept = self.block.iter().filter(|known| !is_told(known));
        Self {
            block: kept.cloned().collect(),
        }
    }
}

fn mark(known: &Remembered, block: &Block) -> Mark {
    let label = block.label.to_str_lossy();
    let names = label.split_once(" in ").map_or(&*label, |(names, _)| names);
    let revisions = names.split(", ");
    let ours: HashSet<&str> = known.lines.iter().map(String::as_str).collect();
    let here: Vec<String> = remembered(&block.lines);
    let is_ours = here.iter().map(String::as_str).collect::<HashSet<_>>() == ours;
    Mark {
        revisions: revisions
            .filter_map(|name| known.templates.get(name).copied())
            .collect(),
        checksum: is_ours.then(|| Mark::checksum_of(&block.lines)),
    }
}

/// Whether a block, even after a change by a person, tells as much as is known of it.
fn tells(block: &Block, known: &Remembered, templates: &[Template]) -> bool {
    let changed = Block {
        mark: block.mark.clone().map(|mark| Mark {
            checksum: None,
            ..mark
        }),
        ..block.clone()
    };
    let Some(told) = from_block(known.file.as_bytes().as_bstr(), &changed, templates) else {
        return false;
    };
    let ours: HashSet<&String> = told.lines.iter().collect();
    let here = remembered(&block.lines);
    let mut all = known.lines.iter().chain(&here);
    told.templates == known.templates
        && told.places == known.places
        && all.all(|line| ours.contains(line) == known.lines.contains(line))
}
