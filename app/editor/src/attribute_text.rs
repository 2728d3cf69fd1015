//! An open file of attributes: what each line decides and what is wrong with it, and the names that
//! could be in it.

use super::documents::{Columns, Document, Documents};
use super::here::Here;
use lsp_types::{Diagnostic, DiagnosticSeverity, DiagnosticTag, NumberOrString};
use redshank_rules::{ATTRIBUTE_FILE, RepoPath};
use redshank_text as text;
use redshank_worktree::Overlay;
use redshank_worktree::attributes::{
    AttributeStatus, AttributeUsage, KNOWN_ATTRIBUTES, attribute_usage,
};

/// In a tree of more files than this the lines are not counted while somebody types.
const MOST_FILES: usize = 100_000;

impl Here<'_> {
    /// The files of attributes as they are on the editor's screen.
    fn attribute_overlay(&self, open: &Documents) -> Overlay {
        let files = open.iter().filter_map(|document| {
            let path = self.attribute_path(document)?;
            Some((path, document.text.as_bytes().to_vec()))
        });
        files.collect()
    }

    /// The path of a file of attributes from the top.
    fn attribute_path(&self, document: &Document) -> Option<bstr::BString> {
        let below = document.path.strip_prefix(&self.snapshot.top).ok()?;
        let path = redshank_files::path_bytes(below).into_owned();
        let is_one = RepoPath::new(&path).name() == ATTRIBUTE_FILE
            || path.as_slice() == b".git/info/attributes";
        is_one.then(|| path.into())
    }

    /// What the lines of a file of attributes do; nothing for another file.
    pub(super) fn attribute_lines(
        &self,
        document: &Document,
        open: &Documents,
    ) -> Option<Vec<AttributeUsage>> {
        let path = self.attribute_path(document)?;
        let tree = self.snapshot.tree().ok()?;
        if tree.entries.len() > MOST_FILES {
            return Some(Vec::new());
        }
        let report = attribute_usage(self.snapshot, self.attribute_overlay(open)).ok()?;
        let mut lines = report.lines;
        lines.retain(|usage| usage.line.source == path);
        Some(lines)
    }
}

/// What is wrong with a line.
pub(super) fn diagnose(
    document: &Document,
    usage: &AttributeUsage,
    columns: Columns,
) -> Option<Diagnostic> {
    let (severity, code) = match &usage.status {
        AttributeStatus::Works => return None,
        AttributeStatus::MatchesNothing => (DiagnosticSeverity::HINT, "matches-nothing"),
        AttributeStatus::Overridden { .. } => (DiagnosticSeverity::INFORMATION, "overridden"),
        AttributeStatus::Faulty(_) => (DiagnosticSeverity::WARNING, "dropped"),
        AttributeStatus::Misspelt { .. } => (DiagnosticSeverity::WARNING, "misspelt"),
        AttributeStatus::BadValue { .. } => (DiagnosticSeverity::WARNING, "bad-value"),
        AttributeStatus::NoDriver { .. } => (DiagnosticSeverity::INFORMATION, "no-driver"),
    };
    let line = usage.line.line.saturating_sub(1);
    let is_idle = usage.status == AttributeStatus::MatchesNothing;
    Some(Diagnostic {
        range: columns.whole(line, document.line(line)),
        severity: Some(severity),
        code: Some(NumberOrString::String(code.to_owned())),
        source: Some(super::NAME.to_owned()),
        message: text::attribute_status(usage),
        tags: is_idle.then(|| vec![DiagnosticTag::UNNECESSARY]),
        ..Diagnostic::default()
    })
}

/// The attribute that is being typed behind a pattern: where it starts in the line, and its sign.
/// Nothing while it is still the pattern.
pub(super) fn typed_attribute(typed: &str) -> Option<(usize, &str)> {
    let start = typed.rfind([' ', '\t'])? + 1;
    let is_pattern_there =
        !typed[..start].trim().is_empty() && !typed.trim_start().starts_with('#');
    is_pattern_there.then(|| {
        let word = &typed[start..];
        let sign = word.len() - word.trim_start_matches(['-', '!']).len();
        (start + sign, &word[sign..])
    })
}

/// The attributes that start so, each with what it takes.
pub(super) fn names(start: &str) -> Vec<(&'static str, &'static str)> {
    let names = KNOWN_ATTRIBUTES.iter().copied();
    names.filter(|(name, _)| name.starts_with(start)).collect()
}
