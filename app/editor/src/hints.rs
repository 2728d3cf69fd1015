//! What a rule does, beside it and under the pointer.

use super::Server;
use super::analysis::{Kind, RuleFacts};
use super::documents::Document;
use lsp_types::{
    CodeLens, CodeLensParams, Command, Hover, HoverContents, HoverParams, InlayHint,
    InlayHintLabel, InlayHintParams, MarkupContent, MarkupKind, Position, Uri,
};
use redshank_text::{self as text, count, files, shown};
use redshank_worktree::usage::RuleStatus;
use serde_json::{Value, json};

/// At most this many paths are named under the pointer.
const NAMED: usize = 10;

impl Server<'_> {
    /// The rules of a text that do something; those that don't, say so as what is wrong with them.
    fn working(&self, uri: &Uri) -> Option<(&Document, impl Iterator<Item = &RuleFacts>)> {
        let (document, analysis) = self.known(uri)?;
        let Kind::Rules(file) = &analysis.kind else {
            return None;
        };
        let rules = file.rules.iter();
        Some((
            document,
            rules.filter(|rule| rule.status == RuleStatus::Works),
        ))
    }

    /// What each rule ignores or re-includes, between the lines.
    pub(super) fn lenses(&self, params: CodeLensParams) -> Value {
        let Some((document, rules)) = self.working(&params.text_document.uri) else {
            return json!([]);
        };
        let lenses = rules.map(|rule| CodeLens {
            range: self.view.columns.whole(rule.line, document.line(rule.line)),
            // It tells something; there is nothing to be done.
            command: Some(Command::new(label(rule), String::new(), None)),
            data: None,
        });
        json!(lenses.collect::<Vec<_>>())
    }

    /// The same in their lines, for those in sight.
    pub(super) fn hints(&self, params: InlayHintParams) -> Value {
        if let Some(hints) = self.attribute_hints(&params) {
            return hints;
        }
        let Some((document, rules)) = self.working(&params.text_document.uri) else {
            return json!([]);
        };
        let (start, end) = (params.range.start.line, params.range.end.line);
        let in_sight = rules.filter(|rule| (start..=end).contains(&rule.line));
        let hints = in_sight.map(|rule| self.hint(document, rule.line, label(rule)));
        json!(hints.collect::<Vec<_>>())
    }

    /// A hint behind a line.
    fn hint(&self, document: &Document, nth: u32, label: String) -> InlayHint {
        let line = document.line(nth);
        InlayHint {
            position: Position::new(nth, self.view.columns.column_at(line, line.len())),
            label: InlayHintLabel::String(label),
            kind: None,
            text_edits: None,
            tooltip: None,
            padding_left: Some(true),
            padding_right: None,
            data: None,
        }
    }

    /// How much each line of attributes decides, in its line.
    fn attribute_hints(&self, params: &InlayHintParams) -> Option<Value> {
        let (document, analysis) = self.known(&params.text_document.uri)?;
        let Kind::Attributes(lines) = &analysis.kind else {
            return None;
        };
        let (start, end) = (params.range.start.line, params.range.end.line);
        let hints = lines.iter().filter_map(|usage| {
            let nth = usage.line.line.checked_sub(1)?;
            let line = document.line(nth);
            let is_same = line.trim_end().as_bytes() == usage.line.text.trim_ascii_end();
            let is_shown = (start..=end).contains(&nth) && is_same && usage.decides.files > 0;
            let label = format!("decides {}", files(usage.decides.files));
            is_shown.then(|| self.hint(document, nth, label))
        });
        Some(json!(hints.collect::<Vec<_>>()))
    }

    /// What a rule means, what it catches, what overrides it, and what a template says of it.
    pub(super) fn hover(&self, params: HoverParams) -> Value {
        let at = params.text_document_position_params;
        let Some((document, file, rule)) = self.rule_at(&at.text_document.uri, at.position.line)
        else {
            return Value::Null;
        };
        let text = shown(rule.text.as_slice().into());
        let meaning = text::meaning(rule.text.as_slice().into(), &file.source);
        let mut said = vec![format!("`{text}` {meaning}")];
        if rule.status == RuleStatus::Works {
            let paths = rule.first.iter().take(NAMED);
            let paths: Vec<String> = paths.map(|path| format!("- `{}`", shown(path))).collect();
            let more = (rule.catches.files as usize).saturating_sub(paths.len());
            let mut list = format!("{}:\n\n{}", label(rule), paths.join("\n"));
            if more > 0 {
                list += &format!("\n- and {} more", count(more as u64));
            }
            said.push(list);
        } else {
            said.push(text::fault(&rule.status));
            said.extend(text::fix(&rule.status));
        }
        if let Some((template, reason, remake)) = &rule.reason {
            let remake = remake.as_ref();
            let remake = remake.map_or(String::new(), |by| format!("; made again by `{by}`"));
            said.push(format!("Template `{template}`: {reason}{remake}"));
        }
        let hover = Hover {
            contents: HoverContents::Markup(MarkupContent {
                kind: MarkupKind::Markdown,
                value: said.join("\n\n"),
            }),
            range: Some(self.view.columns.whole(rule.line, document.line(rule.line))),
        };
        json!(hover)
    }
}

fn label(rule: &RuleFacts) -> String {
    let does = if rule.negated {
        "re-includes"
    } else {
        "ignores"
    };
    format!(
        "{does} {}, {}",
        files(rule.catches.files),
        rule.catches.size
    )
}
