//! How much was found.

use crate::{Finding, Level};
use redshank_worktree::size::Bytes;
use redshank_worktree::{Class, FileStats};

/// Findings, counted by level and class.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Summary {
    /// Number of findings at level `error`.
    pub errors: usize,
    /// Number of findings at level `warning`.
    pub warnings: usize,
    /// Number of findings at level `note`.
    pub notes: usize,
    /// By class, in order; those without a finding are left out.
    pub classes: Vec<ClassSummary>,
}

/// The findings of a class, counted.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ClassSummary {
    /// Class of what is wrong.
    pub class: Class,
    /// Number of findings of this class.
    pub findings: usize,
    /// What they stand for. A path that several findings are on counts once.
    pub stats: FileStats,
}

impl Summary {
    /// Counts findings by level and class.
    pub fn from_findings<'f>(findings: impl IntoIterator<Item = &'f Finding>) -> Self {
        let findings: Vec<&Finding> = findings.into_iter().collect();
        let of_level = |level| findings.iter().filter(|one| one.level == level).count();
        let classes = Class::ALL.into_iter();
        Self {
            errors: of_level(Level::Error),
            warnings: of_level(Level::Warning),
            notes: of_level(Level::Note),
            classes: classes
                .filter_map(|class| ClassSummary::from_findings(class, &findings))
                .collect(),
        }
    }
}

impl ClassSummary {
    fn from_findings(class: Class, findings: &[&Finding]) -> Option<Self> {
        let of_class = findings.iter().copied().filter(|one| one.class() == class);
        let (count, places) = (of_class.clone().count(), of_class.flat_map(Finding::places));
        let mut paths: Vec<&Finding> = places.collect();
        paths.sort_by(|a, b| a.path.cmp(&b.path));
        paths.dedup_by(|a, b| a.path == b.path);
        let stats = FileStats {
            files: paths.iter().map(|one| one.files).sum(),
            size: paths.iter().filter_map(|one| one.size).sum::<Bytes>(),
        };
        (count > 0).then_some(Self {
            class,
            findings: count,
            stats,
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Cause;

    #[test]
    fn a_path_that_two_findings_are_on_counts_once() {
        let on = |class, level, path: &str, size| Finding {
            size: Some(Bytes(size)),
            ..Finding::new(class, "x", level, path.into(), Cause::HiddenChanges)
        };
        let findings = [
            on(Class::Generated, Level::Warning, "dist/", 40),
            on(Class::Generated, Level::Note, "dist/", 40),
            on(Class::Generated, Level::Warning, "a.log", 2),
            on(Class::Secret, Level::Error, ".env", 9),
        ];
        let summary = Summary::from_findings(&findings);
        assert_eq!((summary.errors, summary.warnings, summary.notes), (1, 2, 1));
        let rows = summary.classes.iter();
        let rows: Vec<_> = rows
            .map(|row| (row.class, row.findings, row.stats.files, row.stats.size.0))
            .collect();
        assert_eq!(
            rows,
            [(Class::Secret, 1, 1, 9), (Class::Generated, 3, 2, 42)]
        );
    }
}
