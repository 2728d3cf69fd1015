//! What is in each folder of a tree, summed up.

use crate::FileStats;
use crate::tree::{Entry, State, Tree};
use redshank_rules::{RepoPath, RepoPathBuf};
use std::cmp::Reverse;
use std::collections::HashMap;

/// A folder with all that is in it.
pub struct FolderSum<'t> {
    /// From the top, with a slash at its end; empty for the top itself.
    pub path: RepoPathBuf,
    /// What a commit of everything would hold of it.
    pub to_commit: FileStats,
    /// What rules ignore of it.
    pub ignored: FileStats,
    /// The folders right in it, the heaviest first.
    pub folders: Vec<FolderSum<'t>>,
    /// The files right in it, the heaviest first; a folder that wasn't entered counts as one.
    pub files: Vec<&'t Entry>,
}

impl<'t> FolderSum<'t> {
    /// The sums of a folder of a tree; all of it for the empty path.
    ///
    /// ```
    /// use redshank_worktree::sums::FolderSum;
    /// use redshank_rules::RepoPath;
    /// use redshank_worktree::Snapshot;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let folder = tempfile::tempdir()?;
    /// std::fs::create_dir(folder.path().join("soundings"))?;
    /// std::fs::write(folder.path().join("soundings/may.csv"), "1,2\n")?;
    /// let snapshot = Snapshot::open(folder.path())?;
    /// let top = FolderSum::below(snapshot.tree()?, RepoPath::top());
    /// assert_eq!(top.folders[0].to_commit.size.0, 4);
    /// # Ok(())
    /// # }
    /// ```
    pub fn below(tree: &'t Tree, folder: &RepoPath) -> Self {
        Self::of_entries(tree.slice_below(folder), folder)
    }

    fn of_entries(entries: &'t [Entry], folder: &RepoPath) -> Self {
        let mut sum = Self {
            path: folder.to_owned(),
            to_commit: FileStats::default(),
            ignored: FileStats::default(),
            folders: Vec::new(),
            files: Vec::new(),
        };
        let mut rest = entries;
        while let Some(entry) = rest.first() {
            let below = entry.path.below(folder).unwrap_or(RepoPath::top());
            let part = below.top_folder();
            let is_file = part.is_top() || part == below;
            if is_file {
                sum.add_file(entry);
                rest = &rest[1..];
                continue;
            }
            let inner = folder.join(part);
            let within = rest.partition_point(|entry| entry.path.is_within(&inner));
            let (in_it, behind) = rest.split_at(within.max(1));
            sum.add_folder(Self::of_entries(in_it, &inner));
            rest = behind;
        }
        sum.folders.sort_by_key(|inner| Reverse(inner.weight()));
        sum.files.sort_by_key(|file| Reverse(file.size));
        sum
    }

    fn add_file(&mut self, entry: &'t Entry) {
        match entry.state {
            State::Ignored => self.ignored += entry.stats(),
            State::Candidate | State::Tracked => self.to_commit += entry.stats(),
        }
        self.files.push(entry);
    }

    fn add_folder(&mut self, inner: Self) {
        self.to_commit += inner.to_commit;
        self.ignored += inner.ignored;
        self.folders.push(inner);
    }

    /// How heavy it is in all: bytes, then files.
    fn weight(&self) -> (u64, u64) {
        let (one, other) = (self.to_commit, self.ignored);
        (one.size.0 + other.size.0, one.files + other.files)
    }
}

/// What changed rules do to a folder.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct FolderChange {
    /// What a commit of everything would hold of it before.
    pub before: FileStats,
    /// Number of files and bytes afterwards.
    pub after: FileStats,
    /// What rules ignore of it after.
    pub ignored: FileStats,
}

/// What is in each folder of a tree, before and after other rules.
pub struct Comparison {
    folders: HashMap<RepoPathBuf, FolderChange>,
}

impl Comparison {
    /// Compares a tree with the same one ruled again ([`crate::Verdicts::ruled_anew`]): their
    /// entries are the same, in the same order.
    pub fn new(before: &Tree, after: &Tree) -> Self {
        let mut folders = HashMap::new();
        // The folders on the way to the entry before, each with what was counted of it so far.
        let mut above: Vec<(&RepoPath, FolderChange)> =
            vec![(RepoPath::top(), FolderChange::default())];
        let close = |above: &mut Vec<(&RepoPath, FolderChange)>,
                     folders: &mut HashMap<RepoPathBuf, FolderChange>| {
            let Some((path, change)) = above.pop() else {
                return;
            };
            if let Some((_, outer)) = above.last_mut() {
                outer.before += change.before;
                outer.after += change.after;
                outer.ignored += change.ignored;
            }
            folders.insert(path.to_owned(), change);
        };
        for (was, is) in before.entries.iter().zip(&after.entries) {
            let folder = is.path.folder();
            while above
                .last()
                .is_some_and(|(path, _)| !path.is_top() && !folder.starts_with(path))
            {
                close(&mut above, &mut folders);
            }
            let deepest = above.last().map_or(0, |(path, _)| path.len());
            let new = folder.folders_above().filter(|path| path.len() > deepest);
            let new: Vec<&RepoPath> = new.collect();
            above.extend(new.into_iter().map(|path| (path, FolderChange::default())));
            if folder.len() > above.last().map_or(0, |(path, _)| path.len()) {
                above.push((folder, FolderChange::default()));
            }
            if let Some((_, change)) = above.last_mut() {
                if was.state != State::Ignored {
                    change.before += was.stats();
                }
                match is.state {
                    State::Ignored => change.ignored += is.stats(),
                    State::Candidate | State::Tracked => change.after += is.stats(),
                }
            }
        }
        while !above.is_empty() {
            close(&mut above, &mut folders);
        }
        Self { folders }
    }

    /// What changes in a folder; the top for the empty path.
    pub fn folder(&self, folder: &RepoPath) -> FolderChange {
        self.folders.get(folder).copied().unwrap_or_default()
    }
}
