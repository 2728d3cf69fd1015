//! The lines of a block: rules under short headings, the heaviest first, and few comments.

use crate::{Heading, Template, TemplateRule};
use bstr::BString;
use redshank_rules::RepoPath;
use redshank_rules::ignore_file::{NewRule, Section};
use redshank_rules::{Case, Rule};
use redshank_worktree::settings::Explain;
use std::collections::BTreeSet;

/// A rule that is to be written.
#[derive(Clone)]
pub(crate) struct DraftLine {
    pub(crate) pattern: BString,
    pub(crate) heading: Heading,
    pub(crate) reason: String,
    pub(crate) remake: Option<String>,
    /// Only a tool gives the name that it matches.
    pub(crate) is_certain: bool,
    /// The pattern that was in its place in an earlier revision, fitted.
    pub(crate) replaces: Option<BString>,
}

impl DraftLine {
    /// A line that is no template's, and that matches only what it was made for.
    pub(crate) fn certain(pattern: BString, heading: Heading, reason: String) -> Self {
        Self {
            pattern,
            heading,
            reason,
            remake: None,
            is_certain: true,
            replaces: None,
        }
    }

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

/// Under which heading a rule of a template is written: an exception under the last of those that
/// it is an exception from, so that it stays behind them.
pub(crate) fn heading_of(template: &Template, rule: &TemplateRule) -> Heading {
    let is_exception = |rule: &TemplateRule| rule.pattern.starts_with('!');
    if !is_exception(rule) {
        return rule.heading();
    }
    let parsed = |rule: &TemplateRule| Rule::parse(rule.pattern.as_bytes(), 0, Case::Sensitive);
    let probes = parsed(rule).probes();
    let is_from = |other: &TemplateRule| {
        let other = parsed(other);
        let mut probes = probes.iter().map(RepoPath::new);
        probes.any(|probe| {
            probe
                .parts()
                .any(|part| other.matches(part.bare(), part.is_folder()))
        })
    };
    let rules = template.rule.iter();
    let before = rules.take_while(|other| !std::ptr::eq(*other, rule));
    let wide: Vec<&TemplateRule> = before.filter(|one| !is_exception(one)).collect();
    let from = wide.iter().filter(|one| is_from(one));
    from.map(|one| one.heading())
        .max()
        .or_else(|| wide.last().map(|one| one.heading()))
        .unwrap_or(Heading::Built)
}

/// The lines of a block. Neighbours of one heading are together; an exception stays behind what
/// it is an exception from.
pub(crate) fn section(label: String, mut lines: Vec<DraftLine>, explain: Explain) -> Section {
    lines.sort_by_key(|line| line.heading);
    match explain {
        Explain::Full => Section::new(
            label,
            lines.iter().map(|line| NewRule {
                pattern: line.pattern.clone(),
                reason: line.reason.clone(),
                remake: line.remake.clone(),
            }),
        ),
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
            let words = if group[0].heading.is_remade() {
                AGAIN
            } else {
                PERSONAL
            };
            (words.into(), group)
        });
        return put_together(told);
    }
    lines.iter().map(|line| line.pattern.clone()).collect()
}

/// Every comment that a block of this template may hold, however much is said in it.
pub(crate) fn comments(template: &Template) -> Vec<BString> {
    let of_variants = template.variant.iter().flat_map(|variant| &variant.rule);
    let rules = template.rule.iter().chain(of_variants);
    let reasons = rules.clone().flat_map(|rule| {
        let rule = NewRule {
            pattern: BString::default(),
            reason: rule.reason.clone(),
            remake: rule.remake.clone(),
        };
        Section::new(String::new(), [rule]).lines
    });
    let commands: BTreeSet<Option<&str>> = rules
        .map(|rule| rule.remake.as_deref())
        .chain([None])
        .collect();
    let headings = Heading::ALL.into_iter().flat_map(|heading| {
        let commands = commands.iter();
        commands.map(move |command| heading_line(heading, *command))
    });
    let coarse = [AGAIN, PERSONAL].map(BString::from);
    reasons
        .chain(headings)
        .chain(coarse)
        .filter(|line| !line.is_empty())
        .collect()
}

const AGAIN: &str = "# made again by tools";
const PERSONAL: &str = "# personal, or of one machine";

fn put_together<'l>(groups: impl Iterator<Item = (BString, &'l [DraftLine])>) -> Vec<BString> {
    let told = groups.flat_map(|(comment, group)| {
        let patterns = group.iter().map(|line| line.pattern.clone());
        std::iter::once(comment).chain(patterns)
    });
    told.collect()
}

/// A heading, with the command that makes it all again if there is one for all.
fn comment(group: &[DraftLine]) -> BString {
    let heading = group[0].heading;
    let mut commands = group.iter().map(|line| line.remake.as_deref());
    let first = commands.next().flatten();
    let same = first.filter(|first| commands.all(|other| other == Some(first)));
    heading_line(heading, same)
}

fn heading_line(heading: Heading, command: Option<&str>) -> BString {
    let words = heading.words();
    match command {
        Some(command) => format!("# {words}; again by: {command}")
            .replace(char::is_control, "?")
            .into(),
        None => format!("# {words}").into(),
    }
}
