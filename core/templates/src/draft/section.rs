//! The lines of a block: rules under short headings, the heaviest first, and few comments.

use crate::{Heading, TemplateRule};
use bstr::BString;
use redshank_worktree::ignore_file::{NewRule, Section};
use redshank_worktree::settings::Explain;

/// A rule that is to be written.
#[derive(Clone)]
pub(crate) struct DraftLine {
    pub(crate) pattern: BString,
    pub(crate) heading: Heading,
    pub(crate) reason: String,
    pub(crate) remake: Option<String>,
    /// Only a tool gives the name that it matches.
    pub(crate) is_certain: bool,
    /// The pattern that stood in its place in an earlier revision, fitted.
    pub(crate) replaces: Option<BString>,
}

impl DraftLine {
    pub(crate) fn new(pattern: BString, heading: Heading, rule: &TemplateRule) -> Self {
        Self {
            pattern,
            heading,
            reason: rule.reason.clone(),
            remake: rule.remake.clone(),
            is_certain: rule.is_certain(),
            replaces: None,
        }
    }
}

/// The lines of a block. Neighbours of one heading stand together; an exception stays behind what
/// it is an exception from.
pub(crate) fn section(label: String, mut lines: Vec<DraftLine>, explain: Explain) -> Section {
    let of_line = |line: &DraftLine| NewRule {
        pattern: line.pattern.clone(),
        reason: line.reason.clone(),
        remake: line.remake.clone(),
    };
    lines.sort_by_key(|line| line.heading);
    match explain {
        Explain::Full => Section::new(label, lines.iter().map(of_line)),
        Explain::None => Section {
            label,
            lines: lines.into_iter().map(|line| line.pattern).collect(),
        },
        Explain::Brief => Section {
            label,
            lines: under_headings(&lines),
        },
    }
}

/// The lines with as many headings as a third of all lines allows, marks included.
fn under_headings(lines: &[DraftLine]) -> Vec<BString> {
    let allowed = lines.len().saturating_sub(4) / 2;
    let by_heading: Vec<&[DraftLine]> = lines.chunk_by(|a, b| a.heading == b.heading).collect();
    if by_heading.len() <= allowed {
        let told = by_heading.into_iter().map(|group| (comment(group), group));
        return put_together(told);
    }
    let coarse = lines.chunk_by(|a, b| a.heading.is_remade() == b.heading.is_remade());
    let coarse: Vec<&[DraftLine]> = coarse.collect();
    if coarse.len() > 1 && coarse.len() <= allowed {
        let told = coarse.into_iter().map(|group| {
            let words = match group[0].heading.is_remade() {
                true => "# made again by tools",
                false => "# of one person or machine",
            };
            (words.into(), group)
        });
        return put_together(told);
    }
    lines.iter().map(|line| line.pattern.clone()).collect()
}

fn put_together<'l>(groups: impl Iterator<Item = (BString, &'l [DraftLine])>) -> Vec<BString> {
    let told = groups.flat_map(|(comment, group)| {
        let patterns = group.iter().map(|line| line.pattern.clone());
        std::iter::once(comment).chain(patterns)
    });
    told.collect()
}

/// A heading, with the command that makes it all again if there is one for all.
fn comment(group: &[DraftLine]) -> BString {
    let words = group[0].heading.words();
    let mut commands = group.iter().map(|line| line.remake.as_deref());
    let first = commands.next().flatten();
    match first.filter(|first| commands.all(|other| other == Some(first))) {
        Some(command) => format!("# {words}; again by: {command}")
            .replace(char::is_control, "?")
            .into(),
        None => format!("# {words}").into(),
    }
}
