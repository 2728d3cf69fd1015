//! Fixes and changes at one key. Nothing is written but what the editor is given to write.

use super::Server;
use super::analysis::{RuleFacts, RuleFile};
use super::documents::{Document, uri_of};
use bstr::ByteSlice;
use lsp_types::{
    CodeAction, CodeActionKind, CodeActionParams, CreateFile, CreateFileOptions, Diagnostic,
    DocumentChangeOperation, DocumentChanges, OneOf, OptionalVersionedTextDocumentIdentifier,
    Position, Range, ResourceOp, TextDocumentEdit, TextEdit, Uri, WorkspaceEdit,
};
use redshank_rules::RuleScope;
use redshank_rules::{Breadth, exactly};
use redshank_text::shown;
use redshank_worktree::settings;
use redshank_worktree::usage::RuleStatus;
use serde_json::{Value, json};
use std::path::Path;

impl Server<'_> {
    pub(super) fn actions(&self, params: CodeActionParams) -> Value {
        let uri = &params.text_document.uri;
        let line = params.range.start.line;
        let mut actions = Vec::new();
        if let Some((document, file, rule)) = self.rule_at(uri, line) {
            let given = params.context.diagnostics.iter();
            let mut here = given.filter(|one| one.range.start.line == line);
            self.fixes(document, file, rule, here.next(), &mut actions);
            self.rewrites(document, file, rule, &mut actions);
            self.moves(document, rule, &mut actions);
            actions.extend(self.expectation(file, rule));
        }
        for diagnostic in &params.context.diagnostics {
            actions.extend(self.acceptance(diagnostic));
        }
        actions.extend(self.draft(uri));
        json!(actions)
    }

    /// What sets right what is wrong with a rule.
    fn fixes(
        &self,
        document: &Document,
        file: &RuleFile,
        rule: &RuleFacts,
        diagnostic: Option<&Diagnostic>,
        actions: &mut Vec<CodeAction>,
    ) {
        let mut fix = |title: String, edits: Vec<TextEdit>| {
            actions.push(CodeAction {
                title,
                kind: Some(CodeActionKind::QUICKFIX),
                diagnostics: diagnostic.map(|one| vec![one.clone()]),
                edit: Some(in_one(document, edits)),
                is_preferred: Some(true),
                ..CodeAction::default()
            });
        };
        let instead = |text: &str| vec![self.instead(document, rule.line, text)];
        match &rule.status {
            RuleStatus::Misread { corrected, .. } => {
                let corrected = shown(corrected.as_bstr());
                fix(format!("Write `{corrected}`"), instead(&corrected));
            }
            RuleStatus::Impossible { .. } => {
                let text = shown(rule.text.as_bstr());
                let escaped = escaped(&text);
                fix(format!("Write `{escaped}`"), instead(&escaped));
            }
            RuleStatus::SwallowsItsFile => {
                let text = shown(rule.text.as_bstr());
                fix(
                    "Keep this file by an exception".to_owned(),
                    instead(&format!("{text}\n!.gitignore")),
                );
            }
            RuleStatus::CannotWork {
                folder,
                source,
                line,
            } if *source == file.source.shown => {
                let open = format!("/{}*", shown(folder.as_bstr()));
                let edit = self.instead(document, line.saturating_sub(1), &open);
                fix(format!("Leave the folder open: `{open}`"), vec![edit]);
            }
            RuleStatus::CatchesNothing
            | RuleStatus::Duplicate { .. }
            | RuleStatus::Overridden { .. }
            | RuleStatus::OnlyTracked { .. } => {
                fix("Take the line out".to_owned(), vec![without(rule.line)]);
            }
            RuleStatus::Works | RuleStatus::CannotWork { .. } => {}
        }
    }

    /// The same rule, narrower or wider.
    fn rewrites(
        &self,
        document: &Document,
        file: &RuleFile,
        rule: &RuleFacts,
        actions: &mut Vec<CodeAction>,
    ) {
        let text = shown(rule.text.as_bstr());
        let (bang, body) = match text.strip_prefix('!') {
            Some(body) => ("!", body),
            None => ("", text.as_str()),
        };
        let bare = body.trim_end_matches('/');
        let mut offers = Vec::new();
        match bare.strip_prefix('/') {
            Some(below) if !below.contains('/') => {
                offers.push(("At any depth", body.trim_start_matches('/').to_owned()));
            }
            None if !bare.contains('/') => {
                offers.push(("Only beside this file", format!("/{body}")));
            }
            _ => {}
        }
        if !body.ends_with('/') && rule.first.iter().any(|path| path.is_folder()) {
            offers.push(("Only folders", format!("{body}/")));
        }
        let below = rule
            .first
            .iter()
            .find_map(|path| path.below(&file.source.base));
        if let Some(path) = below {
            let narrow = shown(exactly(path).as_bstr());
            offers.push(("Only the first that it catches", narrow));
            let of_type = Breadth::Type.pattern(path);
            offers.extend(of_type.map(|wide| ("Everything of this type", shown(wide.as_bstr()))));
        }
        offers.retain(|(_, pattern)| *pattern != body);
        for (title, pattern) in offers {
            let pattern = format!("{bang}{pattern}");
            let edit = self.instead(document, rule.line, &pattern);
            actions.push(CodeAction {
                title: format!("{title}: `{pattern}`"),
                kind: Some(CodeActionKind::REFACTOR_REWRITE),
                edit: Some(in_one(document, vec![edit])),
                ..CodeAction::default()
            });
        }
    }

    /// The rule for fewer people, in the file that holds theirs.
    fn moves(&self, document: &Document, rule: &RuleFacts, actions: &mut Vec<CodeAction>) {
        let text = format!("{}\n", shown(rule.text.as_bstr()));
        for (scope, file) in &self.picture.elsewhere {
            if *file == document.path {
                continue;
            }
            let whom = match scope {
                RuleScope::Clone => "Only in this clone",
                _ => "Only for you, in every repository",
            };
            let Some(changes) = at_end_of(file, &text) else {
                continue;
            };
            let mut all = changes;
            all.push(DocumentChangeOperation::Edit(edits_of(
                &document.uri,
                vec![without(rule.line)],
            )));
            actions.push(CodeAction {
                title: format!("{whom}: move the rule to {}", file.display()),
                kind: Some(CodeActionKind::REFACTOR_REWRITE),
                edit: Some(of_several(all)),
                ..CodeAction::default()
            });
        }
    }

    /// That what the rule decides today stays so.
    fn expectation(&self, file: &RuleFile, rule: &RuleFacts) -> Option<CodeAction> {
        let path = rule
            .first
            .iter()
            .find(|path| path.is_within(&file.source.base))?;
        let state = if rule.negated { "kept" } else { "ignored" };
        let path = toml::Value::String(shown(path));
        let text = format!("\n[[expect]]\npath = {path}\nstate = \"{state}\"\n");
        let settings = self.picture.top.join(settings::FILE);
        Some(CodeAction {
            title: format!("Expect {path} to stay {state}"),
            kind: Some(CodeActionKind::REFACTOR_REWRITE),
            edit: Some(of_several(at_end_of(&settings, &text)?)),
            ..CodeAction::default()
        })
    }

    /// That a finding is all right; it counts once somebody has written why.
    fn acceptance(&self, diagnostic: &Diagnostic) -> Option<CodeAction> {
        let data = diagnostic.data.as_ref()?;
        let said = |key: &str| {
            let text = data.get(key)?.as_str()?;
            Some(toml::Value::String(text.to_owned()))
        };
        let (finding, rule, path) = (said("finding")?, said("rule")?, said("path")?);
        let text = format!(
            "\n[[accept]]\nfinding = {finding}\nrule = {rule}\npath = {path}\nbecause = \"\"\n"
        );
        let settings = self.picture.top.join(settings::FILE);
        Some(CodeAction {
            title: "Accept it; give a reason in redshank.toml".to_owned(),
            kind: Some(CodeActionKind::QUICKFIX),
            diagnostics: Some(vec![diagnostic.clone()]),
            edit: Some(of_several(at_end_of(&settings, &text)?)),
            ..CodeAction::default()
        })
    }

    /// The rules that fit the projects that are here.
    fn draft(&self, uri: &Uri) -> Option<CodeAction> {
        let is_open = |file: &Path| uri_of(file).as_ref() == Some(uri);
        self.picture
            .drafted
            .iter()
            .find(|(file, _)| is_open(file))?;
        let mut changes = Vec::new();
        for (file, text) in &self.picture.drafted {
            changes.extend(in_place_of(file, text)?);
        }
        Some(CodeAction {
            title: "Add the rules for the projects here".to_owned(),
            kind: Some(CodeActionKind::SOURCE),
            edit: Some(of_several(changes)),
            ..CodeAction::default()
        })
    }

    fn instead(&self, document: &Document, line: u32, text: &str) -> TextEdit {
        let range = self.columns.whole(line, document.line(line));
        TextEdit::new(range, text.to_owned())
    }
}

/// A pattern in which a bracket that is never closed, and a back-slash at the end, stand for
/// themselves.
fn escaped(text: &str) -> String {
    let open = text.rfind('[').filter(|at| !text[*at..].contains(']'));
    match open {
        Some(at) => format!("{}\\{}", &text[..at], &text[at..]),
        None => format!("{text}\\"),
    }
}

fn without(line: u32) -> TextEdit {
    let range = Range::new(Position::new(line, 0), Position::new(line + 1, 0));
    TextEdit::new(range, String::new())
}

fn in_one(document: &Document, edits: Vec<TextEdit>) -> WorkspaceEdit {
    let edit = edits_of(&document.uri, edits);
    of_several(vec![DocumentChangeOperation::Edit(edit)])
}

fn of_several(changes: Vec<DocumentChangeOperation>) -> WorkspaceEdit {
    WorkspaceEdit {
        document_changes: Some(DocumentChanges::Operations(changes)),
        ..WorkspaceEdit::default()
    }
}

fn edits_of(uri: &Uri, edits: Vec<TextEdit>) -> TextDocumentEdit {
    TextDocumentEdit {
        text_document: OptionalVersionedTextDocumentIdentifier {
            uri: uri.clone(),
            version: None,
        },
        edits: edits.into_iter().map(OneOf::Left).collect(),
    }
}

/// Behind everything: the protocol's numbers end there (uinteger), and an editor takes a position
/// behind a line's end for that end.
pub(crate) const END: u32 = i32::MAX as u32;

/// A text at the end of a file, which is made if it isn't there.
fn at_end_of(file: &Path, text: &str) -> Option<Vec<DocumentChangeOperation>> {
    let held = held(file).unwrap_or_default();
    let end = Position::new(held.matches('\n').count() as u32, END);
    let between = if held.is_empty() || held.ends_with('\n') {
        ""
    } else {
        "\n"
    };
    let edit = TextEdit::new(Range::new(end, end), format!("{between}{text}"));
    changed(file, edit)
}

/// A text in the place of all that a file holds.
fn in_place_of(file: &Path, text: &str) -> Option<Vec<DocumentChangeOperation>> {
    let whole = Range::new(Position::new(0, 0), Position::new(END, 0));
    changed(file, TextEdit::new(whole, text.to_owned()))
}

fn changed(file: &Path, edit: TextEdit) -> Option<Vec<DocumentChangeOperation>> {
    let uri = uri_of(file)?;
    let mut changes = Vec::new();
    if held(file).is_none() {
        changes.push(DocumentChangeOperation::Op(ResourceOp::Create(
            CreateFile {
                uri: uri.clone(),
                options: Some(CreateFileOptions {
                    overwrite: None,
                    ignore_if_exists: Some(true),
                }),
                annotation_id: None,
            },
        )));
    }
    changes.push(DocumentChangeOperation::Edit(edits_of(&uri, vec![edit])));
    Some(changes)
}

/// What a file of rules or settings holds, where the editor will open it anyway.
#[allow(
    clippy::disallowed_methods,
    reason = "only how long it is counts, and the editor is what writes"
)]
fn held(file: &Path) -> Option<String> {
    std::fs::read_to_string(file).ok()
}
