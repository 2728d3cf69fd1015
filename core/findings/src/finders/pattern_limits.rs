//! Limits that the settings give what a pattern matches, and for everything together.

use crate::{ByHand, Cause, Finding, Level, ScanContext};
use redshank_rules::{PatternSet, RepoPath};
use redshank_worktree::settings::{FILE, Limits, PatternLimit, Settings};
use redshank_worktree::size::Bytes;
use redshank_worktree::tree::Entry;
use redshank_worktree::{Class, FileStats};
use std::collections::HashSet;

/// The limits of a repository's settings for what a pattern matches.
pub(crate) struct PatternLimits<'s> {
    rows: Vec<(PatternSet, &'s PatternLimit)>,
}

impl<'s> PatternLimits<'s> {
    pub(crate) fn new(settings: &'s Settings) -> Self {
        let rows = settings.limit.iter();
        let rows = rows.map(|row| (PatternSet::from(vec![row.pattern.clone()]), row));
        Self {
            rows: rows.collect(),
        }
    }

    /// From which size on one file is a warning: by the last row that matches it and has a size,
    /// else as for every file.
    pub(crate) fn warning(&self, path: &RepoPath, limits: &Limits) -> Bytes {
        let mut rows = self.rows.iter().rev();
        let own =
            rows.find_map(|(patterns, row)| row.file.filter(|_| patterns.topmost(path).is_some()));
        own.unwrap_or(limits.file_warning)
    }
}

/// The findings on sums; of files in `stored` git keeps a pointer only.
pub(super) fn totals(
    scan: &ScanContext,
    limits: &PatternLimits,
    stored: &HashSet<&RepoPath>,
) -> Vec<Finding> {
    let has_any = limits.rows.iter().any(|(_, row)| row.total.is_some());
    if scan.options.staged || !(has_any || scan.limits.repository.is_some()) {
        return Vec::new();
    }
    let files = scan.tree.to_commit_files();
    let files: Vec<&Entry> = files
        .filter(|entry| !stored.contains(&*entry.path))
        .collect();
    let mut findings = Vec::new();
    for (patterns, row) in &limits.rows {
        let matched = files.iter().copied();
        let matched = matched.filter(|entry| patterns.topmost(&entry.path).is_some());
        let stats = FileStats::sum(matched);
        if let Some(limit) = row.total.filter(|limit| stats.size > *limit) {
            findings.push(finding(Some(row.pattern.clone()), stats, limit));
        }
    }
    let stats = FileStats::sum(files.iter().copied());
    if let Some(limit) = scan.limits.repository.filter(|limit| stats.size > *limit) {
        findings.push(finding(None, stats, limit));
    }
    findings
}

/// The finding on a sum, where the limit is set.
fn finding(pattern: Option<String>, stats: FileStats, limit: Bytes) -> Finding {
    let path = RepoPath::new(FILE);
    let cause = Cause::HeavyTotal {
        pattern,
        stats,
        limit,
    };
    let made = Finding::new(Class::Oversized, "total", Level::Warning, path, cause);
    Finding {
        size: Some(stats.size),
        files: stats.files,
        ..made.by_hand(ByHand::ThinOut)
    }
}

/// The finding on a push over its limit.
pub(crate) fn heavy_push(size: Bytes, limit: Bytes) -> Finding {
    let (path, cause) = (RepoPath::new(FILE), Cause::HeavyPush { size, limit });
    let made = Finding::new(Class::Oversized, "push", Level::Warning, path, cause);
    Finding {
        size: Some(size),
        ..made.by_hand(ByHand::ThinOut)
    }
}
