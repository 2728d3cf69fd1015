//! The verdict on single paths, existing or not, in any order.

use crate::tree::{Entry, State, Tree};
use crate::walk::is_git_name;
use crate::{Overlay, Result, Snapshot};
use bstr::{BStr, BString, ByteSlice};
use foldhash::fast::FixedState;
use parking_lot::RwLock;
use rayon::prelude::*;
use redshank_files::FileKind;
use redshank_git::{Index, Span};
use redshank_rules::RepoPath;
use redshank_rules::Rule;
use redshank_rules::{Chain, Ruling};
use std::collections::HashMap;
use std::sync::{Arc, LazyLock};

/// Answers questions about single paths, from several threads if asked so. What it learns of a
/// folder it keeps.
pub struct Verdicts<'a> {
    snapshot: &'a Snapshot,
    overlay: Overlay,
    index: &'a Index,
    top: Arc<Folder>,
    folders: RwLock<HashMap<BString, Arc<Folder>, FixedState>>,
}

/// What is known of a folder.
struct Folder {
    chain: Chain,
    /// The rule that excludes it or a folder above, and the length of that folder's path.
    excluded: Option<(Ruling, usize)>,
    /// If it, or a folder above it, is a link: the length of that path.
    link: Option<usize>,
    /// The tracked paths in it.
    tracked: Span,
}

/// The answer on one path.
pub struct Answer {
    /// git's verdict.
    pub state: State,
    /// The last rule that matches the path or excludes a folder above it.
    pub ruling: Option<Ruling>,
    /// Length of the excluded parent's path, in bytes, without a slash at its end.
    excluded: Option<usize>,
    /// Length of the link's path, in bytes.
    link: Option<usize>,
}

impl Answer {
    /// The folder above a path that the rule excludes, if it isn't the path itself; with a slash at
    /// its end. `path` is the one that was asked about.
    pub fn excluded_parent<'p>(&self, path: &'p RepoPath) -> Option<&'p RepoPath> {
        self.excluded.map(|length| RepoPath::new(&path[..=length]))
    }

    /// The symbolic link that a path is behind. git looks at the link, not behind it. `path` is the
    /// one that was asked about.
    pub fn link<'p>(&self, path: &'p RepoPath) -> Option<&'p RepoPath> {
        self.link.map(|length| RepoPath::new(&path[..length]))
    }
}

/// How many entries are looked at together.
const ENTRIES_A_PART: usize = 2048;

/// An index of nothing.
static NOTHING: LazyLock<Index> = LazyLock::new(Index::default);

impl<'a> Verdicts<'a> {
    /// Makes ready to answer. Nothing is walked.
    ///
    /// # Errors
    /// If the index or an ignore file can't be read.
    pub fn new(snapshot: &'a Snapshot, overlay: Overlay) -> Result<Self> {
        Self::with_index(snapshot, overlay, snapshot.index()?)
    }

    /// One that only knows the rules, and takes nothing for tracked. The index isn't read, which
    /// takes its time where much is tracked.
    ///
    /// # Errors
    /// If an ignore file can't be read.
    pub fn of_rules(snapshot: &'a Snapshot) -> Result<Self> {
        Self::with_index(snapshot, Overlay::new(), &NOTHING)
    }

    /// The same, with other ignore files than are here.
    ///
    /// # Errors
    /// If an ignore file can't be read.
    pub fn of_other_rules(snapshot: &'a Snapshot, overlay: Overlay) -> Result<Self> {
        Self::with_index(snapshot, overlay, &NOTHING)
    }

    fn with_index(snapshot: &'a Snapshot, overlay: Overlay, index: &'a Index) -> Result<Self> {
        let everywhere = snapshot.everywhere(&overlay);
        let chain = snapshot.with_rules(everywhere, RepoPath::top(), &overlay, index)?;
        let top = Arc::new(Folder {
            chain,
            excluded: None,
            link: None,
            tracked: index.whole(),
        });
        Ok(Self {
            snapshot,
            overlay,
            index,
            top,
            folders: RwLock::default(),
        })
    }

    /// The answer on a path relative to the top, as git's own query gives it. A path that ends in a
    /// slash stands for a folder, even where nothing exists.
    ///
    /// # Errors
    /// If an ignore file on the way can't be read.
    pub fn query(&self, path: &RepoPath) -> Result<Answer> {
        if path.is_top() {
            return Ok(self.of_top());
        }
        let folder = self.folder(parent(path))?;
        let bare = path.bare();
        let tracked = if path.is_folder() {
            self.index.holds(bare) || self.index.holds_below(bare)
        } else {
            self.index.holds_within(folder.tracked, bare)
        };
        let (ruling, excluded) = match &folder.excluded {
            Some((ruling, excluded)) => (
                Some(ruling.clone()),
                (*excluded < bare.len()).then_some(*excluded),
            ),
            None => (folder.chain.ruling(path, &|| self.is_folder(path)), None),
        };
        let state = match &ruling {
            _ if tracked => State::Tracked,
            Some(ruling) if ruling.ignores() => State::Ignored,
            _ if self.is_gits_own(path) => State::Ignored,
            _ => State::Candidate,
        };
        Ok(Answer {
            state,
            ruling,
            excluded,
            link: folder.link.filter(|_| !path.is_folder()),
        })
    }

    fn of_top(&self) -> Answer {
        let ruling = self.top.chain.ruling_of_top();
        Answer {
            state: if ruling.as_ref().is_some_and(Ruling::ignores) {
                State::Ignored
            } else {
                State::Candidate
            },
            ruling,
            excluded: None,
            link: None,
        }
    }

    /// Whether a path is a git folder or is in one: no rule is needed to ignore it.
    pub fn is_gits_own(&self, path: &RepoPath) -> bool {
        let case = self.snapshot.case();
        let mut parts = path.bare().split_str("/");
        parts.any(|part| is_git_name(part.as_bstr(), case))
    }

    /// git's verdict on every entry of a tree that was walked, in its order: as it would be with
    /// the ignore files that these verdicts were made for. Nothing is looked up on disk but ignore
    /// files.
    ///
    /// # Errors
    /// If an ignore file can't be read.
    pub fn states(&self, tree: &Tree) -> Result<Vec<State>> {
        let parts = tree.entries.par_chunks(ENTRIES_A_PART);
        let states = parts.map(|part| {
            // Neighbours are in one folder.
            let mut here: Option<(&RepoPath, Arc<Folder>)> = None;
            part.iter()
                .map(|entry| self.state(entry, &mut here))
                .collect::<Result<Vec<State>>>()
        });
        Ok(states.collect::<Result<Vec<_>>>()?.concat())
    }

    /// A tree that was walked, with the verdicts and rulings that these give. For what the rules
    /// let in again to be there, the walk must have entered ignored folders.
    ///
    /// # Errors
    /// If an ignore file can't be read.
    pub fn ruled_anew(&self, tree: &Tree) -> Result<Tree> {
        let parts = tree.entries.par_chunks(ENTRIES_A_PART);
        let parts = parts.map(|part| {
            let mut here: Option<(&RepoPath, Arc<Folder>)> = None;
            part.iter()
                .map(|entry| {
                    let state = self.state(entry, &mut here)?;
                    let ruling = match (&here, entry.state) {
                        (_, State::Tracked) => None,
                        (Some((_, folder)), _) => self.ruling(entry, folder),
                        (None, _) => None,
                    };
                    Ok(Entry {
                        state,
                        ruling,
                        ..entry.clone()
                    })
                })
                .collect::<Result<Vec<Entry>>>()
        });
        Ok(Tree {
            entries: parts.collect::<Result<Vec<_>>>()?.concat(),
            unread: tree.unread.clone(),
        })
    }

    fn ruling(&self, entry: &Entry, folder: &Folder) -> Option<Ruling> {
        let excluded = folder.excluded.as_ref().map(|(ruling, _)| ruling.clone());
        let is_folder = || entry.path.is_folder();
        excluded.or_else(|| folder.chain.ruling(entry.path.bare(), &is_folder))
    }

    fn state<'e>(
        &self,
        entry: &'e Entry,
        here: &mut Option<(&'e RepoPath, Arc<Folder>)>,
    ) -> Result<State> {
        if entry.state == State::Tracked {
            return Ok(State::Tracked);
        }
        let above = entry.path.folder();
        let folder = match here {
            Some((known, folder)) if *known == above => folder,
            _ => &here.insert((above, self.folder(above.bare())?)).1,
        };
        let is_excluded = || {
            let is_folder = || entry.path.is_folder();
            let ruling = folder.chain.ruling(entry.path.bare(), &is_folder);
            ruling.is_some_and(|ruling| ruling.ignores())
        };
        Ok(if folder.excluded.is_some() || is_excluded() {
            State::Ignored
        } else {
            State::Candidate
        })
    }

    /// The exception by which somebody re-includes a path on purpose: one that matches the path
    /// itself, or a folder above it. A folder that an exception only takes out of a rule for
    /// everything (`*`) takes part again; that says nothing about what is in it.
    ///
    /// # Errors
    /// If an ignore file on the way can't be read.
    pub fn exception(&self, path: &RepoPath) -> Result<Option<Ruling>> {
        if self.folder(path.folder().bare())?.excluded.is_some() {
            return Ok(None);
        }
        for part in std::iter::once(path).chain(path.folders_above().rev()) {
            let folder = self.folder(part.folder().bare())?;
            let Some(ruling) = folder.chain.ruling(part.bare(), &|| part.is_folder()) else {
                continue;
            };
            if ruling.ignores() || is_for_every_folder(ruling.rule()) {
                continue;
            }
            if part == path || !self.is_only_taken_out(&folder.chain, part) {
                return Ok(Some(ruling));
            }
        }
        Ok(None)
    }

    /// Whether somebody re-includes a path on purpose: by such an exception, or by one for a folder
    /// above it that overrides no rule yet, and so is there for rules to come.
    ///
    /// # Errors
    /// If an ignore file on the way can't be read.
    pub fn is_re_included(&self, path: &RepoPath) -> Result<bool> {
        if self.exception(path)?.is_some() {
            return Ok(true);
        }
        for folder in path.folders_above() {
            let chain = &self.folder(folder.folder().bare())?.chain;
            let all = chain.all_rulings(folder.bare(), true);
            let is_kept = all
                .first()
                .is_some_and(|ruling| !is_for_every_folder(ruling.rule()));
            if is_kept && !all.iter().any(Ruling::ignores) {
                return Ok(true);
            }
        }
        Ok(false)
    }

    /// Whether the exception for a folder overrides a rule for everything, or none.
    fn is_only_taken_out(&self, chain: &Chain, folder: &RepoPath) -> bool {
        let all = chain.all_rulings(folder.bare(), true);
        let overridden = all.iter().find(|ruling| ruling.ignores());
        overridden.is_none_or(|ruling| {
            let rule = ruling.rule().text.trim_with(|c| c == '/');
            [&b"*"[..], b"**", b"*.*"].contains(&rule)
        })
    }

    /// The rules that hold where a path lies, strongest first.
    ///
    /// # Errors
    /// If an ignore file on the way can't be read.
    pub fn rules_at(&self, path: &RepoPath) -> Result<Chain> {
        Ok(self.folder(parent(path))?.chain.clone())
    }

    fn is_folder(&self, path: &BStr) -> bool {
        self.snapshot.root.kind(path) == Some(FileKind::Folder)
    }

    fn folder(&self, path: &BStr) -> Result<Arc<Folder>> {
        // Up to the deepest folder that is known, and down again.
        let mut missing = Vec::new();
        let mut here = path;
        let mut folder = loop {
            if here.is_empty() {
                break Arc::clone(&self.top);
            }
            if let Some(known) = self.folders.read().get(here) {
                break Arc::clone(known);
            }
            missing.push(here);
            here = here[..here.rfind_byte(b'/').unwrap_or(0)].as_bstr();
        };
        for here in missing.into_iter().rev() {
            let below = Arc::new(self.below(&folder, here)?);
            let mut folders = self.folders.write();
            let known = folders.entry(here.to_owned()).or_insert(below);
            folder = Arc::clone(known);
        }
        Ok(folder)
    }

    fn below(&self, above: &Folder, path: &BStr) -> Result<Folder> {
        let tracked = self.index.span(path, above.tracked);
        let chain = above.chain.clone();
        let (excluded, is_open) = match &above.excluded {
            Some(_) => (above.excluded.clone(), false),
            None => {
                let ruling = chain.ruling(path, &|| true).filter(Ruling::ignores);
                let excluded = ruling.map(|ruling| (ruling, path.len()));
                let is_open = excluded.is_none();
                (excluded, is_open)
            }
        };
        let folder = RepoPath::new(path).as_folder();
        let chain = if is_open {
            self.snapshot
                .with_rules(chain, &folder, &self.overlay, self.index)?
        } else {
            chain
        };
        let is_link = || {
            if is_open {
                self.snapshot.may_be_link(&folder) && self.is_link(path)
            } else {
                self.is_link(path)
            }
        };
        let link = above.link.or_else(|| is_link().then_some(path.len()));
        Ok(Folder {
            chain,
            excluded,
            link,
            tracked,
        })
    }

    /// Whether a link is there; the folders on the way are none.
    fn is_link(&self, path: &BStr) -> bool {
        self.snapshot.root.kind_below(path) == Some(FileKind::Link)
    }
}

/// Whether an exception only lets git look into folders.
fn is_for_every_folder(rule: &Rule) -> bool {
    [&b"!*/"[..], b"!**/"].contains(&rule.text.as_slice())
}

/// The folder that a path is in, without a slash at its end. Of a path that ends in a slash,
/// itself.
fn parent(path: &RepoPath) -> &BStr {
    if path.is_folder() {
        path.bare()
    } else {
        path.folder().bare()
    }
}
