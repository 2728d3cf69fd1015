//! Fixes and changes at one key. Nothing is written but what the editor is given to write, and all
//! is about texts as the editor shows them, saved or not.

use super::analysis::{Analysis, Kind, RuleFacts, RuleFile};
use super::documents::{Document, Documents};
use super::here::{EditorView, Here};
use super::picture::{DraftedText, WorkspaceIndex};
use super::text_edits::{
    FileText, Fix, LineChange, changed_text, edit_of, workspace_edit, written,
};
use bstr::ByteSlice;
use lsp_types::{
    CodeAction, CodeActionDisabled, CodeActionKind, CodeActionParams, CodeActionTriggerKind,
    Diagnostic, DocumentChangeOperation, Range,
};
use redshank_rules::{Breadth, RuleScope, exactly, fit};
use redshank_worktree::settings;
use redshank_worktree::tree::State;
use std::cell::OnceCell;
use std::collections::HashMap;
use std::path::Path;
use std::sync::Arc;

/// At most so many lines of a selection are looked at.
const MOST_LINES: usize = 50;

/// What a question about actions is answered from.
pub struct Actions<'a> {
    pub here: &'a Here<'a>,
    pub picture: &'a WorkspaceIndex,
    pub known: &'a HashMap<String, Arc<Analysis>>,
    pub open: &'a Documents,
    pub view: &'a EditorView,
    /// git's verdicts by the texts as they are, once they are asked for.
    pub verdicts: OnceCell<Option<Vec<State>>>,
}

impl Actions<'_> {
    /// What can be done at a place, or in a selection.
    pub fn at(&self, params: &CodeActionParams) -> Vec<CodeAction> {
        let uri = &params.text_document.uri;
        let given = &params.context.diagnostics;
        let mut actions = Vec::new();
        if let Some(document) = self.open.get(uri) {
            let known = self.known.get(uri.as_str());
            if let Some(Kind::Rules(file)) = known.map(|analysis| &analysis.kind) {
                let selected = selected(file, params.range).take(MOST_LINES);
                for rule in selected.filter(|rule| is_current(document, rule)) {
                    let mut here = given.iter().filter(|one| one.range.start.line == rule.line);
                    let diagnostic = here.next();
                    let fix = self.fix(document, file, rule);
                    actions.extend(fix.map(|fix| self.offered(document, fix, diagnostic)));
                    actions.extend(self.rewrites(document, file, rule));
                    // Moves take as long as looking at the whole tree twice: only if somebody
                    // asks, not for the sign that an editor shows wherever the cursor stands.
                    if params.context.trigger_kind != Some(CodeActionTriggerKind::AUTOMATIC) {
                        actions.extend(self.moves(document, file, rule));
                    }
                    actions.extend(self.expectation(file, rule));
                }
            }
            actions.extend(self.draft(document));
        }
        actions.extend(given.iter().filter_map(|one| self.acceptance(one)));
        if let Some(only) = &params.context.only {
            actions.retain(|action| {
                let kind = action.kind.as_ref().map_or("", CodeActionKind::as_str);
                only.iter().any(|wanted| is_of_kind(kind, wanted.as_str()))
            });
        }
        actions
    }

    fn offered(
        &self,
        document: &Document,
        fix: Fix,
        diagnostic: Option<&Diagnostic>,
    ) -> CodeAction {
        CodeAction {
            title: fix.title,
            kind: Some(CodeActionKind::QUICKFIX),
            diagnostics: diagnostic.map(|one| vec![one.clone()]),
            edit: Some(workspace_edit(vec![self.edited(document, &fix.changes)])),
            is_preferred: Some(fix.is_preferred),
            ..CodeAction::default()
        }
    }

    fn edited(&self, document: &Document, changes: &[LineChange]) -> DocumentChangeOperation {
        DocumentChangeOperation::Edit(edit_of(document, changes, self.view.columns))
    }

    /// The same rule, narrower or wider.
    fn rewrites(&self, document: &Document, file: &RuleFile, rule: &RuleFacts) -> Vec<CodeAction> {
        let text = written(rule.text.as_bstr());
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
            let narrow = written(exactly(path).as_bstr());
            offers.push(("Only the first that it catches", narrow));
            let of_type = Breadth::Type.pattern(path);
            offers.extend(of_type.map(|wide| ("Everything of this type", written(wide.as_bstr()))));
        }
        offers.retain(|(_, pattern)| *pattern != body);
        let actions = offers.into_iter().map(|(title, pattern)| {
            let pattern = format!("{bang}{pattern}");
            let changes = [LineChange::Replace(rule.line, pattern.clone())];
            CodeAction {
                title: format!("{title}: `{pattern}`"),
                kind: Some(CodeActionKind::REFACTOR_REWRITE),
                edit: Some(workspace_edit(vec![self.edited(document, &changes)])),
                ..CodeAction::default()
            }
        });
        actions.collect()
    }

    /// The rule for fewer people, in the file that holds theirs, as far as that ignores the same.
    fn moves(&self, document: &Document, file: &RuleFile, rule: &RuleFacts) -> Vec<CodeAction> {
        let elsewhere = self.picture.elsewhere.iter();
        let elsewhere = elsewhere.filter(|(_, path)| *path != document.path);
        let moves = elsewhere.filter_map(|(scope, path)| {
            let base = &file.source.base;
            let (whom, text) = match scope {
                RuleScope::Clone => {
                    let pattern = rule.text.to_str().ok()?;
                    let fitted = fit(pattern, base.as_bstr());
                    ("Only in this clone", written(fitted.as_bstr()))
                }
                // In other repositories the folder means nothing.
                _ if !base.is_top() => return None,
                _ => (
                    "Only for you, in every repository",
                    written(rule.text.as_bstr()),
                ),
            };
            let text = format!("{text}\n");
            let removed = [LineChange::Remove(rule.line)];
            self.with_text(path, |target| {
                let target_name = self.here.snapshot.source_of(path)?.shown;
                let after = changed_text(document, &removed);
                let texts = [
                    (file.source.shown.clone(), after.into_bytes()),
                    (target_name, target.appended(&text).into_bytes()),
                ];
                if !self.verdicts_with(texts)?.is_empty() {
                    return None;
                }
                let mut changes = target.append(&text, self.view.columns);
                changes.push(self.edited(document, &removed));
                Some(CodeAction {
                    title: format!("{whom}: move the rule to {}", path.display()),
                    kind: Some(CodeActionKind::REFACTOR_REWRITE),
                    edit: Some(workspace_edit(changes)),
                    ..CodeAction::default()
                })
            })
        });
        moves.collect()
    }

    /// That what the rule decides today stays so.
    fn expectation(&self, file: &RuleFile, rule: &RuleFacts) -> Option<CodeAction> {
        let path = rule
            .first
            .iter()
            .find(|path| path.is_within(&file.source.base))?;
        let state = if rule.negated { "kept" } else { "ignored" };
        let path = toml::Value::String(path.to_str().ok()?.to_owned());
        let text = format!("\n[[expect]]\npath = {path}\nstate = \"{state}\"\n");
        Some(CodeAction {
            title: format!("Expect {path} to stay {state}"),
            kind: Some(CodeActionKind::REFACTOR_REWRITE),
            edit: Some(workspace_edit(self.to_settings(&text)?)),
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
        Some(CodeAction {
            title: "Accept it; give a reason in redshank.toml".to_owned(),
            kind: Some(CodeActionKind::QUICKFIX),
            diagnostics: Some(vec![diagnostic.clone()]),
            edit: Some(workspace_edit(self.to_settings(&text)?)),
            ..CodeAction::default()
        })
    }

    fn to_settings(&self, text: &str) -> Option<Vec<DocumentChangeOperation>> {
        let settings = self.picture.top.join(settings::FILE);
        self.with_text(&settings, |file| Some(file.append(text, self.view.columns)))
    }

    /// The rules that fit the projects that are here. They are drafted for what is on disk, so a
    /// file that isn't saved comes first.
    fn draft(&self, document: &Document) -> Option<CodeAction> {
        let drafted = &self.picture.drafted;
        drafted.iter().find(|one| one.path == document.path)?;
        let unsaved = drafted.iter().find_map(|one| self.unsaved(one));
        let title = "Add the rules for the projects here".to_owned();
        let action = CodeAction {
            title,
            kind: Some(CodeActionKind::SOURCE),
            ..CodeAction::default()
        };
        if let Some(name) = unsaved {
            return self.view.shows_disabled.then(|| CodeAction {
                disabled: Some(CodeActionDisabled {
                    reason: format!("save {name} first"),
                }),
                ..action
            });
        }
        let mut changes = Vec::new();
        for one in drafted {
            changes.extend(self.with_text(&one.path, |file| {
                Some(file.replace(&one.after, self.view.columns))
            })?);
        }
        Some(CodeAction {
            edit: Some(workspace_edit(changes)),
            ..action
        })
    }

    /// The name of a file that the editor shows otherwise than it is on disk.
    fn unsaved(&self, drafted: &DraftedText) -> Option<String> {
        let document = self.open.of_file(&drafted.path)?;
        let is_saved = *document.text == *drafted.before.as_deref().unwrap_or_default();
        let name = document.path.file_name().filter(|_| !is_saved);
        name.map(|name| name.to_string_lossy().into_owned())
    }

    /// Calls this with a file as it is: as the editor shows it, or as it is on disk.
    pub(super) fn with_text<T>(
        &self,
        file: &Path,
        with: impl FnOnce(FileText<'_>) -> Option<T>,
    ) -> Option<T> {
        let document = self.open.of_file(file);
        let on_disk = document.is_none().then(|| held(file)).flatten();
        with(FileText {
            uri: self.view.uri_of(file, self.open)?,
            version: document.map(|document| document.version),
            text: document
                .map(|document| &*document.text)
                .or(on_disk.as_deref()),
        })
    }
}

/// The rules in the lines of a selection; an end before the first letter of a line leaves it out.
fn selected(file: &RuleFile, range: Range) -> impl Iterator<Item = &RuleFacts> {
    let (start, mut end) = (range.start.line, range.end.line);
    if range.end.character == 0 && end > start {
        end -= 1;
    }
    let first = file.rules.partition_point(|rule| rule.line < start);
    file.rules[first..]
        .iter()
        .take_while(move |rule| rule.line <= end)
}

/// Whether a line is still what was looked at.
fn is_current(document: &Document, rule: &RuleFacts) -> bool {
    document.line(rule.line).trim_end().as_bytes() == rule.text.trim_ascii_end()
}

/// Whether a kind of action is another, or one below it (`refactor` and `refactor.rewrite`).
fn is_of_kind(kind: &str, wanted: &str) -> bool {
    kind.strip_prefix(wanted)
        .is_some_and(|rest| wanted.is_empty() || rest.is_empty() || rest.starts_with('.'))
}

/// What a file of rules or settings holds, where the editor will open it anyway.
#[allow(
    clippy::disallowed_methods,
    reason = "only how long it is counts, and the editor is what writes"
)]
fn held(file: &Path) -> Option<String> {
    std::fs::read_to_string(file).ok()
}
