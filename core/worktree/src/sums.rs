//! What lies in each folder of a tree, summed up.

use crate::tree::{Entry, State, Tree};
use crate::{FileStats, RepoPath, RepoPathBuf};
use std::cmp::Reverse;

/// A folder with all that lies in it.
pub struct FolderSum<'t> {
    /// From the top, with a slash at its end; empty for the top itself.
    pub path: RepoPathBuf,
    /// What a commit of everything would hold of it.
    pub to_commit: FileStats,
    /// What rules keep out of it.
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
    /// use redshank_worktree::{RepoPath, Snapshot};
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let folder = tempfile::tempdir()?;
    /// std::fs::create_dir(folder.path().join("soundings"))?;
    /// std::fs::write(folder.path().join("soundings/may.csv"), "1,2\n")?;
    /// let snapshot = Snapshot::of(folder.path())?;
    /// let top = FolderSum::of(snapshot.tree()?, RepoPath::top());
    /// assert_eq!(top.folders[0].to_commit.size.0, 4);
    /// # Ok(())
    /// # }
    /// ```
    pub fn of(tree: &'t Tree, folder: &RepoPath) -> Self {
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
