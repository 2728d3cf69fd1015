//! What pages link to that a tool made: their styles, scripts, fonts and pictures, and one another.

use super::format::is_media;
use super::language::{Group, language};
use crate::Surroundings;
use bstr::ByteSlice;
use foldhash::fast::FixedState;
use rayon::prelude::*;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_worktree::tree::{EntryKind, State};
use regex::bytes::Regex;
use std::collections::{BTreeMap, HashMap, HashSet, VecDeque};
use std::sync::LazyLock;

/// At most this many pages are looked at.
const MOST: usize = 400;
/// So much of each, in bytes.
const LARGEST: u64 = 64 << 10;

/// Links in HTML and in style sheets (html.spec.whatwg.org; drafts.csswg.org, "css-values").
static LINK: LazyLock<Option<Regex>> = LazyLock::new(|| {
    Regex::new(r#"(?i-u)\b(?:href|src)\s*=\s*["']([^"'?#:]+)|url\(\s*["']?([^"'?#:)]+)"#).ok()
});

/// What is linked to by made pages and named by no text of a person.
#[derive(Default)]
pub(crate) struct Linked {
    /// The page that links to each, by its place in the tree.
    by: HashMap<RepoPathBuf, u32, FixedState>,
}

impl Linked {
    /// Follows the links of the pages that say that a tool made them.
    pub(crate) fn read(around: &Surroundings) -> Self {
        let marked = marked_pages(around);
        let mut linked = Self::default();
        if marked.is_empty() {
            return linked;
        }
        let tree = around.tree();
        let mut queue: VecDeque<u32> = marked.iter().copied().collect();
        let mut count = 0;
        while let Some(at) = queue.pop_front().filter(|_| count < MOST) {
            count += 1;
            let page = &tree.entries[at as usize].path;
            for target in links(page, &around.text(page, LARGEST, 0)) {
                let Some(found) = tree.position(&target) else {
                    continue;
                };
                let is_new = tree.entries[found].kind == EntryKind::File
                    && !marked.contains(&(found as u32))
                    && !linked.by.contains_key(&target);
                if is_new {
                    queue.push_back(found as u32);
                    linked.by.insert(target, at);
                }
            }
        }
        linked.leave_out_pages(around, &marked);
        linked.leave_out_named(around, &marked);
        linked
    }

    /// The page that links to a file.
    pub(super) fn page_of(&self, path: &RepoPath) -> Option<u32> {
        self.by.get(path).copied()
    }

    /// A page beside made ones is made, too, if they are most.
    fn leave_out_pages(&mut self, around: &Surroundings, marked: &HashSet<u32>) {
        let mut pages: BTreeMap<&RepoPath, (u32, u32)> = BTreeMap::new();
        for (at, entry) in around.tree().entries.iter().enumerate() {
            if is_page(&entry.path) {
                let here = pages.entry(entry.path.folder()).or_default();
                let is_marked = u32::from(marked.contains(&(at as u32)));
                *here = (here.0 + is_marked, here.1 + 1 - is_marked);
            }
        }
        self.by.retain(|path, _| {
            let here = pages.get(path.folder());
            !is_page(path) || here.is_some_and(|(marked, others)| marked >= others)
        });
    }

    /// What somebody's text names is theirs, and what only it links to.
    fn leave_out_named(&mut self, around: &Surroundings, marked: &HashSet<u32>) {
        let entries = &around.tree().entries;
        loop {
            let is_of_site =
                |at: &u32| marked.contains(at) || self.by.contains_key(&entries[*at as usize].path);
            let is_named = |path: &RepoPath| {
                let texts = around.declared().mentions(path.name());
                texts.iter().any(|at| !is_of_site(at)) || around.declared().is_full(texts)
            };
            let gone: HashSet<RepoPathBuf> = self
                .by
                .iter()
                .filter(|(path, page)| is_named(path) || !is_of_site(page))
                .map(|(path, _)| path.clone())
                .collect();
            if gone.is_empty() {
                break;
            }
            self.by.retain(|path, _| !gone.contains(path));
        }
    }
}

fn is_page(path: &RepoPath) -> bool {
    matches!(language(path), Some(("html" | "htm" | "xhtml", _)))
}

/// Those that say themselves that a tool made them.
fn marked_pages(around: &Surroundings) -> HashSet<u32> {
    let pages = around.tree().entries.iter().enumerate();
    let pages = pages.filter(|(_, entry)| {
        entry.kind == EntryKind::File && entry.state != State::Ignored && is_page(&entry.path)
    });
    let pages: Vec<(usize, &RepoPath)> = pages
        .map(|(at, entry)| (at, &*entry.path))
        .take(MOST)
        .collect();
    let marked = pages
        .into_par_iter()
        .filter(|(_, path)| around.is_marked(path));
    marked.map(|(at, _)| at as u32).collect()
}

/// The files in a page's folder and below that it links to and that are no one's work by their kind.
fn links<'p>(page: &'p RepoPath, text: &'p [u8]) -> impl Iterator<Item = RepoPathBuf> + 'p {
    let found = LINK.iter().flat_map(|link| link.captures_iter(text));
    found.filter_map(|link| {
        let target = link.get(1).or_else(|| link.get(2))?.as_bytes();
        if target.starts_with(b"/") {
            return None;
        }
        let path = page.folder().resolve(target.trim().as_bstr())?;
        let is_part = matches!(language(&path), Some((_, Group::Page))) || is_media(&path);
        (is_part && path.is_within(page.folder())).then_some(path)
    })
}
