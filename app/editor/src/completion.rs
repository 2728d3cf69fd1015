//! What could be in a line: what exists and would be committed, with how much each would catch.

use super::Server;
use super::analysis::Kind;
use super::attribute_text::{names, typed_attribute};
use super::offers::of_template_key;
use super::parts::Parts;
use super::picture::WorkspaceIndex;
use lsp_types::{
    CompletionItem, CompletionItemKind, CompletionList, CompletionParams, CompletionTextEdit,
    Range, TextEdit,
};
use redshank_rules::RepoPath;
use redshank_text::files;
use redshank_worktree::FileStats;
use serde_json::{Value, json};

/// More would hide what is meant.
const MOST: usize = 100;

impl Server<'_> {
    pub(super) fn complete(&self, params: CompletionParams) -> Value {
        let at = params.text_document_position;
        let Some((document, analysis)) = self.known(&at.text_document.uri) else {
            return json!([]);
        };
        let picture = self.picture_of(document);
        let line = document.line(at.position.line);
        let typed = &line[..self.view.columns.byte(line, at.position.character)];
        let nth = at.position.line;
        if !document.has_line(nth) {
            return json!([]);
        }
        let items = match &analysis.kind {
            Kind::Rules(file) => {
                return self.patterns(&picture, nth, line, typed, &file.source.base);
            }
            Kind::Settings(_) => {
                let offers = &picture.offers;
                self.texts(nth, typed, |key| offers.of_setting(key))
            }
            Kind::Template(_) => self.texts(nth, typed, of_template_key),
            Kind::Attributes(_) => self.attributes(&picture, nth, line, typed),
            Kind::Other => Vec::new(),
        };
        json!(items)
    }

    /// Patterns for a line of an ignore file.
    fn patterns(
        &self,
        picture: &WorkspaceIndex,
        nth: u32,
        line: &str,
        typed: &str,
        base: &RepoPath,
    ) -> Value {
        let body = typed.trim_start_matches('!');
        let negated = typed.len() - body.len();
        if body.starts_with('#') {
            return json!([]);
        }
        let range = self.view.columns.range(nth, line, negated..line.len());
        let mut offered = offered(picture, base, body);
        sort(&mut offered);
        let is_cut = offered.len() > MOST;
        offered.truncate(MOST);
        let of_templates = picture.offers.rules.iter().filter(|rule| {
            *rule.folder == *base
                && starts_alike(&rule.pattern, body)
                && !offered.iter().any(|(pattern, _)| *pattern == rule.pattern)
        });
        let of_templates: Vec<Offer> = of_templates
            .map(|rule| Offer {
                label: &rule.pattern,
                detail: rule.about.clone(),
                kind: kind_of(&rule.pattern),
                text: rule.pattern.clone(),
            })
            .collect();
        let whole = picture.offers.templates.iter();
        let whole = whole.filter(|(name, ..)| !body.is_empty() && name.starts_with(body));
        let whole = whole.map(|(name, title, rules)| Offer {
            label: name,
            detail: format!("the rules of a template: {title}"),
            kind: CompletionItemKind::MODULE,
            text: format!("# {title}\n{rules}"),
        });
        let there = offered.iter().map(|(pattern, stats)| Offer {
            label: pattern,
            detail: format!("{}, {}", files(stats.files), stats.size),
            kind: kind_of(pattern),
            text: pattern.clone(),
        });
        let items = items(there.chain(of_templates).chain(whole), range);
        if is_cut {
            // More letters bring what is left out.
            return json!(CompletionList {
                is_incomplete: true,
                items,
            });
        }
        json!(items)
    }

    /// Patterns for a line of an attribute file, then the attributes.
    fn attributes(
        &self,
        picture: &WorkspaceIndex,
        nth: u32,
        line: &str,
        typed: &str,
    ) -> Vec<CompletionItem> {
        if let Some((start, word)) = typed_attribute(typed) {
            let range = self.view.columns.range(nth, line, start..typed.len());
            let names = names(word);
            let offers = names.iter().map(|(name, about)| Offer {
                label: name,
                detail: (*about).to_owned(),
                kind: CompletionItemKind::PROPERTY,
                text: (*name).to_owned(),
            });
            return items(offers, range);
        }
        // Folders have no attributes, and white space ends a pattern.
        let mut offered = offered(picture, RepoPath::top(), typed);
        offered.retain(|(pattern, _)| !pattern.ends_with('/') && !pattern.contains(' '));
        sort(&mut offered);
        offered.truncate(MOST);
        let offers = offered.iter().map(|(pattern, stats)| Offer {
            label: pattern,
            detail: format!("{}, {}", files(stats.files), stats.size),
            kind: CompletionItemKind::FILE,
            text: pattern.clone(),
        });
        items(offers, self.view.columns.range(nth, line, 0..typed.len()))
    }

    /// What the text between quotes can be, behind a key.
    fn texts(
        &self,
        nth: u32,
        typed: &str,
        of_key: impl FnOnce(&str) -> Vec<(String, String)>,
    ) -> Vec<CompletionItem> {
        let key = typed.split_once('=').map(|(key, _)| key.trim());
        let is_open = typed.matches('"').count() % 2 == 1;
        let start = typed.rfind('"').map(|quote| quote + 1);
        let (Some(key), Some(start), true) = (key, start, is_open) else {
            return Vec::new();
        };
        let range = self.view.columns.range(nth, typed, start..typed.len());
        let offered = of_key(key);
        let fits = offered
            .iter()
            .filter(|(text, _)| text.starts_with(&typed[start..]));
        let fits = fits.map(|(text, about)| Offer {
            label: text,
            detail: about.clone(),
            kind: CompletionItemKind::VALUE,
            text: text.clone(),
        });
        items(fits, range)
    }
}

/// Sorts patterns: what catches most comes first.
fn sort(offered: &mut [(String, FileStats)]) {
    offered.sort_by(|(one, a), (other, b)| {
        let by_weight = (b.files, b.size).cmp(&(a.files, a.size));
        by_weight.then_with(|| one.cmp(other))
    });
}

/// Something that could be there.
struct Offer<'o> {
    label: &'o str,
    detail: String,
    kind: CompletionItemKind,
    text: String,
}

fn kind_of(pattern: &str) -> CompletionItemKind {
    if pattern.ends_with('/') {
        CompletionItemKind::FOLDER
    } else {
        CompletionItemKind::FILE
    }
}

/// Whether somebody who typed this may mean that pattern: whether it is anchored shows later.
fn starts_alike(pattern: &str, typed: &str) -> bool {
    pattern.starts_with(typed) || pattern.trim_start_matches('/').starts_with(typed)
}

fn items<'o>(offers: impl Iterator<Item = Offer<'o>>, range: Range) -> Vec<CompletionItem> {
    offers
        .enumerate()
        .map(|(nth, offer)| CompletionItem {
            label: offer.label.to_owned(),
            kind: Some(offer.kind),
            detail: Some(offer.detail),
            sort_text: Some(format!("{nth:04}")),
            filter_text: Some(offer.label.to_owned()),
            text_edit: Some(CompletionTextEdit::Edit(TextEdit::new(range, offer.text))),
            ..CompletionItem::default()
        })
        .collect()
}

/// Patterns that what was typed can become: extensions, and what is in the folder that it names.
fn offered(picture: &WorkspaceIndex, base: &RepoPath, typed: &str) -> Vec<(String, FileStats)> {
    let (folder, start) = typed.rsplit_once('/').unwrap_or(("", typed));
    let anchored = typed.contains('/');
    let folder = folder.trim_start_matches('/');
    let from = match folder {
        "" => base.to_owned(),
        folder => base.join(folder).as_folder(),
    };
    let wants_types = !anchored && "*.".starts_with(start.get(..2).unwrap_or(start));
    let of_folder;
    let parts = if from.is_top() {
        &picture.parts
    } else {
        of_folder = Parts::collect(&picture.candidates, &from);
        &of_folder
    };
    let above = match (anchored, folder) {
        (false, _) => String::new(),
        (true, "") => "/".to_owned(),
        (true, folder) => format!("/{folder}/"),
    };
    let types = parts.types.iter().filter(|_| wants_types);
    let names = if anchored {
        &parts.names
    } else {
        &parts.names_anywhere
    };
    let fits = names.iter().chain(types);
    let fits = fits.filter(|(name, _)| name.starts_with(start));
    fits.map(|(name, stats)| (format!("{above}{name}"), *stats))
        .collect()
}
