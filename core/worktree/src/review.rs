//! What a change of ignore files between two commits puts in and out.

use crate::tree::{EntryKind, State};
use crate::{Error, Overlay, Purpose, Result, Snapshot, Verdicts};
use bstr::{BString, ByteSlice};
use redshank_rules::{RepoPath, RepoPathBuf};
use std::collections::{BTreeSet, HashMap};

/// What other rules do to the files of the working tree, by git's verdicts on rules alone.
#[derive(Debug, Default, Clone, PartialEq, Eq)]
pub struct RuleReview {
    /// The ignore files that differ, sorted.
    pub changed: Vec<RepoPathBuf>,
    /// Files that become ignored, sorted.
    pub ignored: Vec<RepoPathBuf>,
    /// Files that are no longer ignored, sorted.
    pub included: Vec<RepoPathBuf>,
    /// Those of the ignored that git tracks, sorted: for them the rules do nothing.
    pub tracked: Vec<RepoPathBuf>,
}

/// The ignore files of one side: what each holds, by its path.
type Side = HashMap<BString, Vec<u8>>;

impl RuleReview {
    /// Compares the ignore files of a commit with those of a later one, or with those on disk.
    ///
    /// # Errors
    /// If there is no repository, the tree can't be walked or a commit can't be read.
    pub fn compare(snapshot: &Snapshot, base: &str, head: Option<&str>) -> Result<Self> {
        let repository = snapshot.needs_repository(Purpose::History)?;
        let name = RepoPath::new(IGNORE_FILE);
        let tree = snapshot.whole_tree()?;
        let here = tree
            .entries
            .iter()
            .filter(|entry| entry.path.name() == name.as_bstr());
        let here: Vec<&RepoPath> = here.map(|entry| &*entry.path).collect();
        let before = repository.files_named(base, name)?;
        let after = match head {
            Some(head) => repository.files_named(head, name)?,
            None => on_disk(snapshot, &here)?,
        };
        // What only one of the three has, holds nothing in the others.
        let names: BTreeSet<&RepoPath> = before
            .keys()
            .chain(after.keys())
            .map(RepoPath::new)
            .chain(here)
            .collect();
        let overlay = |side: &Side| -> Overlay {
            names
                .iter()
                .map(|path| {
                    let held = side.get(path.as_bstr()).cloned().unwrap_or_default();
                    (path.as_bstr().to_owned(), held)
                })
                .collect()
        };
        let of_base = Verdicts::of_other_rules(snapshot, overlay(&before))?;
        let of_head = Verdicts::of_other_rules(snapshot, overlay(&after))?;
        let mut review = Self {
            changed: names
                .iter()
                .filter(|path| before.get(path.as_bstr()) != after.get(path.as_bstr()))
                .map(|path| (*path).to_owned())
                .collect(),
            ..Self::default()
        };
        let is_file = |kind| matches!(kind, EntryKind::File | EntryKind::Link);
        for entry in tree.entries.iter().filter(|entry| is_file(entry.kind)) {
            let is_ignored = |verdicts: &Verdicts| -> Result<bool> {
                Ok(verdicts.query(&entry.path)?.state == State::Ignored)
            };
            match (is_ignored(&of_base)?, is_ignored(&of_head)?) {
                (false, true) => {
                    review.ignored.push(entry.path.clone());
                    if entry.state == State::Tracked {
                        review.tracked.push(entry.path.clone());
                    }
                }
                (true, false) => review.included.push(entry.path.clone()),
                _ => {}
            }
        }
        Ok(review)
    }
}

/// The name of the files that hold rules.
const IGNORE_FILE: &str = ".gitignore";

/// What the ignore files on disk hold.
fn on_disk(snapshot: &Snapshot, paths: &[&RepoPath]) -> Result<Side> {
    let mut side = Side::new();
    for path in paths {
        match snapshot.ignore_file(path.folder()) {
            Ok(Some(file)) => {
                side.insert(path.as_bstr().to_owned(), file.contents.clone());
            }
            // git reads no rules through a link.
            Ok(None) | Err(Error::NotAFile(_)) => {}
            Err(error) => return Err(error),
        }
    }
    Ok(side)
}
