//! What could stand in a line: what exists and would be committed, with how much each would catch.

use super::Server;
use super::analysis::{Kind, Picture};
use crate::render::{files, shown};
use bstr::{BStr, ByteSlice};
use lsp_types::{
    CompletionItem, CompletionItemKind, CompletionParams, CompletionTextEdit, TextEdit,
};
use redshank_pattern::quote;
use redshank_worktree::size::Bytes;
use redshank_worktree::{FileStats, RepoPath, RepoPathBuf};
use serde_json::{Value, json};
use std::collections::HashMap;

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
        let mut offered = offered(&self.picture, &file.source.base, body);
        // What catches most comes first.
        offered.sort_by(|(one, a), (other, b)| {
            let by_weight = (b.files, b.size).cmp(&(a.files, a.size));
            by_weight.then_with(|| one.cmp(other))
        });
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
fn offered(picture: &Picture, base: &RepoPath, typed: &str) -> Vec<(String, FileStats)> {
    let (folder, start) = typed.rsplit_once('/').unwrap_or(("", typed));
    let anchored = typed.contains('/');
    let folder = folder.trim_start_matches('/');
    let from = match folder {
        "" => base.to_owned(),
        folder => base.join(folder).as_folder(),
    };
    let wants_types = !anchored && "*.".starts_with(start.get(..2).unwrap_or(start));
    let of_folder;
    let parts = match from.is_top() {
        true => &picture.parts,
        false => {
            of_folder = Parts::of(&picture.candidates, &from);
            &of_folder
        }
    };
    let above = match (anchored, folder) {
        (false, _) => String::new(),
        (true, "") => "/".to_owned(),
        (true, folder) => format!("/{folder}/"),
    };
    let types = parts.types.iter().filter(|_| wants_types);
    let fits = parts.names.iter().chain(types);
    let fits = fits.filter(|(name, _)| name.starts_with(start));
    fits.map(|(name, stats)| (format!("{above}{name}"), *stats))
        .collect()
}

/// What lies right in a folder, and the types of all that lies in it, as patterns.
#[derive(Default)]
pub struct Parts {
    names: Vec<(String, FileStats)>,
    types: Vec<(String, FileStats)>,
}

impl Parts {
    /// Those of a folder, of files that come sorted: what lies in one folder lies together.
    pub fn of(candidates: &[(RepoPathBuf, Bytes)], folder: &RepoPath) -> Self {
        let first = candidates.partition_point(|(path, _)| **path < *folder);
        let within = candidates[first..].iter();
        let within = within.take_while(|(path, _)| path.starts_with(folder));
        let mut names: HashMap<&BStr, FileStats> = HashMap::new();
        let mut types: HashMap<&BStr, FileStats> = HashMap::new();
        for (path, size) in within {
            let stats = FileStats::one(*size);
            let below = path.below(folder).unwrap_or(path);
            let part = below.top_folder();
            let name = if part.is_top() { below } else { part };
            *names.entry(name.as_bstr()).or_default() += stats;
            if let Some(extension) = path.extension() {
                *types.entry(extension).or_default() += stats;
            }
        }
        let name = |(name, stats): (&BStr, FileStats)| {
            let slash = if name.ends_with(b"/") { "/" } else { "" };
            let quoted = quote(RepoPath::new(name).bare());
            (format!("{}{slash}", shown(quoted.as_bstr())), stats)
        };
        let kind = |(kind, stats): (&BStr, FileStats)| {
            (format!("*{}", shown(quote(kind).as_bstr())), stats)
        };
        Self {
            names: names.into_iter().map(name).collect(),
            types: types.into_iter().map(kind).collect(),
        }
    }
}
