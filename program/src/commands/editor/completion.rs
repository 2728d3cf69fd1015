//! What could stand in a line: what exists and would be committed, with how much each would catch.

use super::Server;
use super::analysis::Kind;
use crate::render::{files, shown};
use bstr::ByteSlice;
use lsp_types::{
    CompletionItem, CompletionItemKind, CompletionParams, CompletionTextEdit, TextEdit,
};
use redshank_pattern::quote;
use redshank_worktree::{FileStats, RepoPath};
use serde_json::{Value, json};
use std::collections::BTreeMap;

/// More would hide what is meant.
const MOST: usize = 100;

impl Server<'_> {
    pub(super) fn complete(&self, params: CompletionParams) -> Value {
        let at = params.text_document_position;
        let Some((document, analysis)) = self.known(&at.text_document.uri) else {
            return json!([]);
        };
        let Kind::Rules(file) = &analysis.kind else {
            return json!([]);
        };
        let line = document.line(at.position.line);
        let typed = &line[..self.columns.byte(line, at.position.character)];
        let body = typed.trim_start_matches('!');
        let negated = typed.len() - body.len();
        if body.starts_with('#') {
            return json!([]);
        }
        let range = self
            .columns
            .range(at.position.line, line, negated..line.len());
        let offered = offered(&self.picture.candidates, &file.source.base, body);
        let mut offered: Vec<(String, FileStats)> = offered.into_iter().collect();
        // What catches most comes first.
        offered.sort_by_key(|(_, stats)| std::cmp::Reverse((stats.files, stats.size)));
        let items = offered.into_iter().take(MOST).enumerate();
        let items = items.map(|(nth, (pattern, stats))| CompletionItem {
            label: pattern.clone(),
            kind: Some(match pattern.ends_with('/') {
                true => CompletionItemKind::FOLDER,
                false => CompletionItemKind::FILE,
            }),
            detail: Some(format!("{}, {}", files(stats.files), stats.size)),
            sort_text: Some(format!("{nth:04}")),
            filter_text: Some(pattern.clone()),
            text_edit: Some(CompletionTextEdit::Edit(TextEdit::new(range, pattern))),
            ..CompletionItem::default()
        });
        json!(items.collect::<Vec<_>>())
    }
}

/// Patterns that what was typed can become: extensions, and what lies in the folder that it names.
fn offered(
    candidates: &[(
        redshank_worktree::RepoPathBuf,
        redshank_worktree::size::Bytes,
    )],
    base: &RepoPath,
    typed: &str,
) -> BTreeMap<String, FileStats> {
    let mut offered: BTreeMap<String, FileStats> = BTreeMap::new();
    let (folder, start) = typed.rsplit_once('/').unwrap_or(("", typed));
    let anchored = typed.contains('/');
    let folder = folder.trim_start_matches('/');
    let from = match folder {
        "" => base.to_owned(),
        folder => base.join(folder).as_folder(),
    };
    for (path, size) in candidates {
        let Some(below) = path.below(&from) else {
            continue;
        };
        let stats = FileStats::one(*size);
        let part = below.top_folder();
        let name = if part.is_top() { below } else { part };
        let quoted = quote(name.bare());
        let slash = if part.is_top() { "" } else { "/" };
        let above = if anchored {
            format!("/{folder}")
        } else {
            String::new()
        };
        let above = above.trim_end_matches('/');
        let between = if anchored { "/" } else { "" };
        let pattern = format!("{above}{between}{}{slash}", shown(quoted.as_bstr()));
        *offered.entry(pattern).or_default() += stats;
        if let (false, Some(extension)) = (anchored, path.extension()) {
            let pattern = format!("*{}", shown(quote(extension).as_bstr()));
            *offered.entry(pattern).or_default() += stats;
        }
    }
    offered.retain(|pattern, _| {
        let name = pattern.trim_end_matches('/').rsplit('/').next();
        name.unwrap_or_default().starts_with(start)
    });
    offered
}
