//! Which rule decides about a path, of all lists that count in a folder.

use crate::{RuleList, Ruling};
use bstr::{BStr, ByteSlice};
use std::sync::Arc;

/// The rule lists that count in a folder, nearest first: each folder's own file, then the ones
/// above, then this clone's exclude file, then the person's own (gitignore(5), order of
/// precedence).
#[derive(Clone)]
pub struct Chain(Option<Arc<Link>>);

struct Link {
    list: Arc<RuleList>,
    next: Chain,
}

impl Chain {
    /// A chain of lists that count everywhere, the strongest last.
    pub fn new(lists: impl IntoIterator<Item = Arc<RuleList>>) -> Self {
        lists.into_iter().fold(Self(None), Self::with)
    }

    /// The chain for a folder that has its own list.
    #[must_use]
    pub fn with(self, list: Arc<RuleList>) -> Self {
        if list.is_empty() {
            self
        } else {
            Self(Some(Arc::new(Link { list, next: self })))
        }
    }

    /// The rule that decides about this one path, looking at no folder above it: the last matching
    /// rule of the strongest list that has one. `path` is relative to the repository's top;
    /// `is_folder` is asked only where it matters.
    pub fn ruling(&self, path: &BStr, is_folder: &dyn Fn() -> bool) -> Option<Ruling> {
        let name_at = path.rfind_byte(b'/').map_or(0, |slash| slash + 1);
        let mut chain = self;
        while let Some(link) = &chain.0 {
            if let Some(at) = link.list.last_match(path, name_at, is_folder) {
                return Some(Ruling::new(Arc::clone(&link.list), at));
            }
            chain = &link.next;
        }
        None
    }

    /// The rule that decides about the top folder itself: git asks its rules as about a file
    /// without a name.
    pub fn ruling_of_top(&self) -> Option<Ruling> {
        self.lists().find_map(|list| {
            let mut rules = list.rules().iter();
            let at = rules.rposition(|rule| {
                !rule.anchored && !rule.folders_only && rule.glob().matches(b"")
            })?;
            Some(Ruling::new(Arc::clone(list), at as u32))
        })
    }

    /// Every rule that matches this one path, strongest first: the first decides, it overrides the
    /// others.
    pub fn all_rulings(&self, path: &BStr, is_folder: bool) -> Vec<Ruling> {
        self.lists()
            .flat_map(|list| {
                let all = list.all_matches(path, is_folder).into_iter().rev();
                all.map(|at| Ruling::new(Arc::clone(list), at))
                    .collect::<Vec<_>>()
            })
            .collect()
    }

    /// The rule that ignores a path, if one does: its own, or one that excludes a folder above it.
    /// Only the lists of this chain count, for the whole path.
    pub fn ignored_by(&self, path: &BStr, is_folder: bool) -> Option<Ruling> {
        let above = path
            .find_iter("/")
            .map(|slash| (path[..slash].as_bstr(), true));
        let mut parts = above.chain([(path, is_folder)]);
        parts.find_map(|(part, folder)| self.ruling(part, &|| folder).filter(Ruling::ignores))
    }

    /// The lists, strongest first.
    pub fn lists(&self) -> impl Iterator<Item = &Arc<RuleList>> {
        std::iter::successors(self.0.as_ref(), |link| link.next.0.as_ref()).map(|link| &link.list)
    }
}
