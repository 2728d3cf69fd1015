//! What the team says must not go out: bought, licensed or internal files, listed in the settings.

use crate::{ByHand, Cause, Evidence, Finding, Known, Level, Result, ScanContext};
use redshank_rules::PatternSet;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_worktree::settings::{Reserved, Visibility};
use redshank_worktree::tree::{Entry, State};
use redshank_worktree::{Class, FileStats};
use std::collections::BTreeMap;

pub(super) fn find(scan: &ScanContext, _known: &Known) -> Result<Vec<Finding>> {
    let mut findings = Vec::new();
    for row in &scan.settings.reserved {
        let patterns: PatternSet = vec![row.pattern.clone()].into();
        let mut groups: BTreeMap<(RepoPathBuf, State), FileStats> = BTreeMap::new();
        for entry in scan.tree.to_commit() {
            if let Some(part) = patterns.topmost(&entry.path) {
                *groups.entry((part.to_owned(), entry.state)).or_default() += entry.stats();
            }
        }
        let each = groups.into_iter();
        findings.extend(each.map(|((path, state), stats)| Finding {
            size: Some(stats.size),
            files: stats.files,
            state,
            ..finding(scan, row, &path)
        }));
    }
    Ok(findings)
}

/// The findings on one file of the history.
pub(crate) fn of_file(scan: &ScanContext, entry: &Entry) -> Vec<Finding> {
    let rows = scan.settings.reserved.iter();
    let rows = rows.filter(|row| {
        let patterns: PatternSet = vec![row.pattern.clone()].into();
        patterns.topmost(&entry.path).is_some()
    });
    let found = rows.map(|row| Finding {
        size: Some(entry.size),
        state: entry.state,
        ..finding(scan, row, &entry.path)
    });
    found.collect()
}

fn finding(scan: &ScanContext, row: &Reserved, path: &RepoPath) -> Finding {
    let is_public = scan.options.public || scan.settings.visibility == Some(Visibility::Public);
    let level = if is_public { Level::Error } else { Level::Note };
    let cause = Cause::Reserved {
        because: row.because.clone(),
        is_public,
    };
    let made = Finding::new(Class::Reserved, "listed", level, path, cause)
        .with_evidence(Evidence::Reserved(row.pattern.clone()));
    if is_public {
        made.kept_out_by(row.pattern.as_str().into(), &*row.because, None)
    } else {
        made.by_hand(ByHand::NothingWhilePrivate)
    }
}
