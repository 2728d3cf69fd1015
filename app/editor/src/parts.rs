//! What is in a folder, for completion.

use bstr::{BStr, ByteSlice};
use redshank_rules::quote;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_text::shown;
use redshank_worktree::FileStats;
use redshank_worktree::size::Bytes;
use std::collections::HashMap;

/// What is right in a folder, and the types of all that is in it, as patterns.
#[derive(Default)]
pub struct Parts {
    /// The names, each with how much it would catch.
    pub names: Vec<(String, FileStats)>,
    pub types: Vec<(String, FileStats)>,
}

impl Parts {
    /// Those of a folder, of files that come sorted: what is in one folder is together.
    pub fn collect(candidates: &[(RepoPathBuf, Bytes)], folder: &RepoPath) -> Self {
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
        Self {
            names: names
                .into_iter()
                .map(|(name, stats)| {
                    let slash = if name.ends_with(b"/") { "/" } else { "" };
                    let quoted = quote(RepoPath::new(name).bare());
                    (format!("{}{slash}", shown(quoted.as_bstr())), stats)
                })
                .collect(),
            types: types
                .into_iter()
                .map(|(kind, stats)| (format!("*{}", shown(quote(kind).as_bstr())), stats))
                .collect(),
        }
    }
}
