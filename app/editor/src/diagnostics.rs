//! What is wrong in an open text.

use super::analysis::{Analysis, Fault, Kind, RuleFacts};
use super::attribute_text;
use super::documents::{Columns, Document};
use lsp_types::{
    Diagnostic, DiagnosticRelatedInformation, DiagnosticSeverity, DiagnosticTag, Location,
    NumberOrString,
};
use redshank_findings::{Finding, Level};
use redshank_rules::RepoPath;
use redshank_secrets::secrets_in;
use redshank_text::{self as text, shown};
use redshank_worktree::usage::RuleStatus;
use serde_json::json;

/// At most so many folders and files of work are named at a rule that ignores them.
const MOST_NAMED: usize = 5;

/// All that is wrong in a text, by line.
///
/// `place_of` gives the place of a file of the working tree.
pub fn diagnose(
    document: &Document,
    analysis: &Analysis,
    columns: Columns,
    place_of: &dyn Fn(&RepoPath) -> Option<Location>,
) -> Vec<Diagnostic> {
    let mut found: Vec<Diagnostic> = match &analysis.kind {
        Kind::Rules(file) => {
            let rules = file.rules.iter();
            rules
                .filter_map(|rule| of_rule(document, rule, columns, place_of))
                .collect()
        }
        Kind::Settings(faults) | Kind::Template(faults) => faults
            .iter()
            .map(|fault| of_fault(document, fault, columns))
            .collect(),
        Kind::Attributes(lines) => {
            let lines = lines.iter();
            lines
                .filter_map(|usage| attribute_text::diagnose(document, usage, columns))
                .collect()
        }
        Kind::Other => Vec::new(),
    };
    for (nth, secret) in analysis.secrets.iter().enumerate() {
        // Several in a line are found in their order.
        let before = analysis.secrets[..nth].iter();
        let before = before.filter(|one| one.line == secret.line).count();
        found.extend(of_secret(document, secret, before, columns));
    }
    found.sort_by_key(|one| (one.range.start.line, one.range.start.character));
    found
}

fn of_rule(
    document: &Document,
    rule: &RuleFacts,
    columns: Columns,
    place_of: &dyn Fn(&RepoPath) -> Option<Location>,
) -> Option<Diagnostic> {
    let (severity, code) = match &rule.status {
        RuleStatus::Works if !rule.takes_work.is_empty() => {
            (DiagnosticSeverity::WARNING, "takes-work")
        }
        RuleStatus::Works => return None,
        RuleStatus::CatchesNothing => (DiagnosticSeverity::HINT, "catches-nothing"),
        RuleStatus::Duplicate { .. } => (DiagnosticSeverity::HINT, "duplicate"),
        RuleStatus::Overridden { .. } => (DiagnosticSeverity::INFORMATION, "overridden"),
        RuleStatus::OnlyTracked { .. } => (DiagnosticSeverity::INFORMATION, "only-tracked"),
        RuleStatus::CannotWork { .. } => (DiagnosticSeverity::WARNING, "cannot-work"),
        RuleStatus::SwallowsItsFile => (DiagnosticSeverity::WARNING, "swallows-its-file"),
        RuleStatus::Misread { sure: true, .. } => (DiagnosticSeverity::WARNING, "misread"),
        RuleStatus::Misread { .. } => (DiagnosticSeverity::INFORMATION, "misread"),
        RuleStatus::Impossible { .. } => (DiagnosticSeverity::WARNING, "impossible"),
    };
    let is_idle = matches!(
        rule.status,
        RuleStatus::CatchesNothing | RuleStatus::Duplicate { .. }
    );
    let said = if rule.status == RuleStatus::Works {
        let folders = rule.takes_work.iter().take(MOST_NAMED);
        let folders: Vec<String> = folders.map(|work| shown(&work.folder)).collect();
        format!("also ignores source files, in {}", folders.join(", "))
    } else {
        text::fault(&rule.status)
    };
    let files = rule.takes_work.iter().flat_map(|work| &work.files);
    let related = files.take(MOST_NAMED).filter_map(|file| {
        Some(DiagnosticRelatedInformation {
            location: place_of(file)?,
            message: "somebody wrote this file".to_owned(),
        })
    });
    let related: Vec<DiagnosticRelatedInformation> = related.collect();
    let fix = text::fix(&rule.status).map_or(String::new(), |fix| format!("; {fix}"));
    Some(Diagnostic {
        range: columns.whole(rule.line, document.line(rule.line)),
        severity: Some(severity),
        code: Some(NumberOrString::String(code.to_owned())),
        source: Some(super::NAME.to_owned()),
        message: format!("{said}{fix}"),
        tags: is_idle.then(|| vec![DiagnosticTag::UNNECESSARY]),
        related_information: (!related.is_empty()).then_some(related),
        ..Diagnostic::default()
    })
}

fn of_fault(document: &Document, fault: &Fault, columns: Columns) -> Diagnostic {
    Diagnostic {
        range: columns.whole(fault.line, document.line(fault.line)),
        severity: Some(DiagnosticSeverity::ERROR),
        source: Some(super::NAME.to_owned()),
        message: fault.said.clone(),
        ..Diagnostic::default()
    }
}

/// A credential, masked, where it is; `before` is how many others are in its line before it.
fn of_secret(
    document: &Document,
    secret: &Finding,
    before: usize,
    columns: Columns,
) -> Option<Diagnostic> {
    let number = secret.line?.saturating_sub(1) as u32;
    let line = document.line(number);
    let spans = secrets_in(line);
    let span = spans.get(before).or_else(|| spans.first()).cloned();
    let range = span.map_or(0..line.len(), |(span, _)| span);
    let evidence = text::evidence(secret).map_or(String::new(), |said| format!("{said}: "));
    let severity = match secret.level {
        Level::Error => DiagnosticSeverity::ERROR,
        Level::Warning => DiagnosticSeverity::WARNING,
        Level::Note => DiagnosticSeverity::HINT,
    };
    Some(Diagnostic {
        range: columns.range(number, line, range),
        severity: Some(severity),
        code: Some(NumberOrString::String(secret.rule.to_string())),
        source: Some(super::NAME.to_owned()),
        message: format!("{evidence}{}", text::message(secret)),
        // By these an acceptance is written.
        data: Some(json!({
            "finding": secret.id,
            "rule": secret.rule.to_string(),
            "path": secret.path.to_string(),
        })),
        ..Diagnostic::default()
    })
}
