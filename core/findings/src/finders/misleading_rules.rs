//! Rules that don't do what they seem to, and files that only look like ignore files.

use crate::{ByHand, Cause, Evidence, Finding, Known, Level, Remedy, Result, ScanContext};
use bstr::{BStr, BString, ByteSlice};
use redshank_rules::{IGNORE_FILE, RuleScope};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_templates::would_ignore_sources;
use redshank_worktree::tree::{EntryKind, State};
use redshank_worktree::usage::{RuleStatus, RuleUsage, Stray, StrayReason, rule_usage_in};
use redshank_worktree::{Class, tell_exceptions_in_vain};
use std::collections::HashSet;

pub(super) fn find(scan: &ScanContext, _known: &Known) -> Result<Vec<Finding>> {
    let mut report = rule_usage_in(scan.snapshot, scan.tree)?;
    tell_exceptions_in_vain(scan.snapshot, scan.tree, &mut report);
    // A person's own file is for all repositories; that a rule of it does nothing here means
    // nothing.
    let is_shared =
        |rule: &&RuleUsage| matches!(rule.list.source.scope, RuleScope::Team | RuleScope::Folder);
    let shared = report.rules.iter().filter(is_shared);
    // That something else was meant is only likely where it would take no work away.
    let is_unlikely = |rule: &&RuleUsage| match &rule.status {
        RuleStatus::Misread {
            corrected,
            sure: false,
            ..
        } => would_ignore_sources(scan.survey, scan.tree, &rule.list.source.base, corrected),
        _ => false,
    };
    let likely = shared.filter(|rule| !is_unlikely(rule));
    let mut findings: Vec<Finding> = likely.filter_map(on_rule).collect();
    let mut renamed = HashSet::new();
    let strays = report.strays.iter().filter(|stray| !is_source(scan, stray));
    findings.extend(strays.map(|stray| on_stray(scan, stray, &mut renamed)));
    Ok(findings)
}

/// What is wrong with a rule; that it has nothing to catch yet is fine.
fn on_rule(rule: &RuleUsage) -> Option<Finding> {
    let by_hand = |class, name, what| Some(misleading(rule, class, name).by_hand(what));
    match &rule.status {
        RuleStatus::Works
        | RuleStatus::CatchesNothing
        | RuleStatus::Overridden { .. }
        | RuleStatus::Duplicate { .. } => None,
        // Each of those files has its own finding.
        RuleStatus::OnlyTracked { .. } => None,
        RuleStatus::CannotWork { .. } => {
            by_hand(Class::Rule, "cannot-work", ByHand::NarrowShuttingRule)
        }
        RuleStatus::SwallowsItsFile => by_hand(Class::Needed, "ignore-file", ByHand::NarrowRule),
        RuleStatus::Impossible { .. } => by_hand(Class::Rule, "impossible", ByHand::FixPattern),
        RuleStatus::Misread {
            corrected,
            sure: true,
            ..
        } => {
            let text = rule.rule().text.as_bstr();
            let remedy = Remedy::Fix {
                file: rule.list.source.shown.clone().into(),
                line: rule.rule().line,
                from: text.to_owned(),
                with: corrected_lines(text, corrected.as_bstr()),
            };
            Some(misleading(rule, Class::Rule, "misread").with_remedy(remedy))
        }
        RuleStatus::Misread { corrected, .. } => {
            by_hand(Class::Rule, "misread", ByHand::SeeMeant(corrected.clone()))
        }
    }
}

/// The rule that was meant, below the comment that was behind it.
fn corrected_lines(text: &BStr, corrected: &BStr) -> BString {
    match text.find(" #") {
        Some(at) if text.starts_with(corrected.as_bytes()) => {
            [&text.as_bytes()[at + 1..], b"\n", corrected]
                .concat()
                .into()
        }
        _ => corrected.to_owned(),
    }
}

fn misleading(usage: &RuleUsage, class: Class, name: &str) -> Finding {
    let (file, cause) = (&usage.list.source.shown, Cause::Rule(usage.status.clone()));
    Finding::new(class, name, Level::Warning, RepoPath::new(file), cause)
        .with_cause(&usage.rule().text)
        .at_line(u64::from(usage.rule().line))
        .with_evidence(Evidence::Pattern(usage.excerpt()))
}

/// How large a file may be, in bytes, that is searched for a name.
const SEARCHED: u64 = 256 << 10;

/// Whether another file names it: a scaffold's template, which its program copies under the right
/// name.
fn is_source(scan: &ScanContext, stray: &Stray) -> bool {
    if stray.because != StrayReason::Misspelt {
        return false;
    }
    let name = stray.path.name();
    let is_of_name = |byte: Option<&u8>| {
        byte.is_some_and(|byte| byte.is_ascii_alphanumeric() || b"._-".contains(byte))
    };
    let finder = memchr::memmem::Finder::new(name.as_bytes());
    let names_it = |text: &[u8]| {
        finder.find_iter(text).any(|at| {
            let before = at.checked_sub(1).and_then(|at| text.get(at));
            !is_of_name(before) && !is_of_name(text.get(at + name.len()))
        })
    };
    let mut others = scan.tree.to_commit().filter(|entry| {
        entry.kind == EntryKind::File && entry.size.0 <= SEARCHED && entry.path != stray.path
    });
    others.any(|entry| {
        scan.snapshot
            .read(&entry.path)
            .is_ok_and(|text| names_it(&text))
    })
}

fn on_stray(scan: &ScanContext, stray: &Stray, renamed: &mut HashSet<RepoPathBuf>) -> Finding {
    let path = &stray.path;
    let entry = scan.tree.get(path);
    let meant = path.folder().join(IGNORE_FILE);
    let is_sure = stray.because == StrayReason::Misspelt
        && !scan.snapshot.root.is_there(&meant)
        && entry.is_some_and(|entry| entry.kind == EntryKind::File)
        && renamed.insert(meant.clone());
    let cause = Cause::StrayFile(stray.because);
    Finding {
        state: entry.map_or(State::Candidate, |entry| entry.state),
        remedy: Remedy::ByHand(if is_sure {
            ByHand::RenameIfMeant(meant)
        } else {
            ByHand::GiveRightName
        }),
        ..Finding::new(Class::Rule, "stray-file", Level::Warning, path, cause)
    }
}
