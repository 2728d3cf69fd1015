//! How many files, and how large.

use crate::size::Bytes;
use crate::tree::Entry;
use serde::Serialize;
use std::iter::Sum;

/// A number of files and their bytes.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FileStats {
    /// Number of files, without folders.
    pub files: u64,
    /// Their sizes, summed, in bytes.
    pub size: Bytes,
}

impl FileStats {
    /// What these entries come to.
    pub fn sum<'a>(entries: impl IntoIterator<Item = &'a Entry>) -> Self {
        entries.into_iter().map(Entry::stats).sum()
    }

    /// What one file of that size amounts to.
    pub fn one(size: Bytes) -> Self {
        Self { files: 1, size }
    }
}

impl std::ops::AddAssign for FileStats {
    fn add_assign(&mut self, other: Self) {
        self.files += other.files;
        self.size += other.size;
    }
}

impl Sum for FileStats {
    fn sum<I: Iterator<Item = Self>>(all: I) -> Self {
        all.fold(Self::default(), |mut sum, one| {
            sum += one;
            sum
        })
    }
}

/// Adds up entries by a key, biggest first: bytes, then files, then the key.
pub fn grouped<'a, K: Ord + Clone>(
    entries: impl IntoIterator<Item = &'a Entry>,
    key: impl Fn(&'a Entry) -> K,
) -> Vec<(K, FileStats)> {
    let mut sums = std::collections::BTreeMap::<K, FileStats>::new();
    for entry in entries {
        *sums.entry(key(entry)).or_default() += entry.stats();
    }
    let mut rows: Vec<(K, FileStats)> = sums.into_iter().collect();
    rows.sort_by_key(|(_, stats)| std::cmp::Reverse((stats.size, stats.files)));
    rows
}
