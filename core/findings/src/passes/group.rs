//! Many files of one kind in one folder are one finding.

use super::TemplatePaths;
use crate::{Evidence, Finding, FindingRule, KeepOut, Remedy, ScanContext};
use bstr::{BStr, BString, ByteSlice};
use redshank_rules::exactly;
use redshank_rules::ignore_file::NewRule;
use redshank_rules::{RepoPath, RepoPathBuf, common_folder};
use redshank_worktree::Class;
use redshank_worktree::tree::{Entry, State};
use std::collections::{BTreeMap, HashSet};

/// At most this many of one kind are reported as one.
const MANY: usize = 5;

/// What makes findings one.
#[derive(PartialEq, Eq, PartialOrd, Ord)]
struct Key {
    rule: FindingRule,
    state: State,
    folder: RepoPathBuf,
    /// How the names end.
    extension: BString,
}

/// Makes one finding of many that a tool's files in one folder have.
pub(crate) fn group(scan: &ScanContext, templates: &TemplatePaths, findings: &mut Vec<Finding>) {
    let mut groups: BTreeMap<Key, Vec<Finding>> = BTreeMap::new();
    let mut others = Vec::new();
    for finding in std::mem::take(findings) {
        match Key::from_finding(&finding) {
            Some(key) => groups.entry(key).or_default().push(finding),
            None => others.push(finding),
        }
    }
    for (key, group) in groups {
        match one(scan, templates, key.extension.as_bstr(), &group) {
            Some(one) => others.push(one),
            None => others.extend(group),
        }
    }
    *findings = others;
}

impl Key {
    /// The key of a finding on a single file that a tool made; nothing if it must stand alone.
    fn from_finding(finding: &Finding) -> Option<Self> {
        let path = &finding.path;
        let is_single =
            finding.class() == Class::Generated && finding.line.is_none() && !path.is_folder();
        let is_ours = match &finding.remedy {
            Remedy::KeepOut(KeepOut { rule, .. }) => rule.pattern == exactly(path),
            Remedy::ByHand(_) => true,
            Remedy::LetIn { .. }
            | Remedy::Fix { .. }
            | Remedy::Attribute { .. }
            | Remedy::Mode { .. } => false,
        };
        let extension = extension(path)?;
        (is_single && is_ours && !path.top_folder().is_top()).then(|| Self {
            rule: finding.rule.clone(),
            state: finding.state,
            folder: path.top_folder().to_owned(),
            extension: extension.to_owned(),
        })
    }
}

/// How a name ends. Extensions of two parts, such as `.js.map`, count as one; a name without an
/// extension has none to tell others by.
fn extension(path: &RepoPath) -> Option<&BStr> {
    let (name, extension) = (path.name(), path.extension()?);
    let before = &name[..name.len() - extension.len()];
    let dot = before.rfind_byte(b'.').filter(|_| extension == ".map");
    Some(dot.map_or(extension, |dot| name[dot..].as_bstr()))
}

/// One finding for many, on the deepest folder that holds them all.
fn one(
    scan: &ScanContext,
    templates: &TemplatePaths,
    extension: &BStr,
    group: &[Finding],
) -> Option<Finding> {
    let first = group.first().filter(|_| group.len() >= MANY)?;
    let folder = common_folder(group.iter().map(|one| &*one.path));
    let remedy = match &first.remedy {
        Remedy::KeepOut(keep_out) => {
            let grouped: HashSet<&RepoPath> = group.iter().map(|one| &*one.path).collect();
            // A rule for the extension may catch nothing else.
            let is_other = |entry: &Entry| {
                entry.path.ends_with(extension)
                    && entry.state != State::Ignored
                    && !templates.has(entry)
                    && !grouped.contains(&*entry.path)
            };
            if scan.tree.below(folder).any(is_other) {
                return None;
            }
            let pattern = [exactly(folder).as_slice(), b"**/*", extension].concat();
            let rule = NewRule {
                pattern: pattern.into(),
                ..keep_out.rule.clone()
            };
            Remedy::KeepOut(KeepOut { rule, ..*keep_out })
        }
        other => other.clone(),
    };
    let FindingRule { class, name } = &first.rule;
    let by = first.evidence.clone().map(Box::new);
    Some(Finding {
        size: Some(group.iter().filter_map(|finding| finding.size).sum()),
        files: group.len() as u64,
        state: first.state,
        remedy,
        ..Finding::new(*class, name, first.level, folder, first.cause.clone())
            .with_cause(extension)
            .with_evidence(Evidence::Extension(extension.to_owned(), by))
    })
}
