//! What is in a folder, for completion.

use super::text_edits::written;
use bstr::{BStr, ByteSlice};
use redshank_rules::quote;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_worktree::FileStats;
use redshank_worktree::size::Bytes;
use std::collections::HashMap;

/// What is right in a folder, and the types of all that is in it, as patterns.
#[derive(Default)]
pub struct Parts {
    /// The names, each with how much it would catch there.
    pub names: Vec<(String, FileStats)>,
    /// The same, with how much each would catch at any depth: what a pattern without a slash at its
    /// start or in its middle does.
    pub names_anywhere: Vec<(String, FileStats)>,
    pub types: Vec<(String, FileStats)>,
}

impl Parts {
    /// Those of a folder, of files that come sorted: what is in one folder is together.
    pub fn collect(candidates: &[(RepoPathBuf, Bytes)], folder: &RepoPath) -> Self {
        let first = candidates.partition_point(|(path, _)| **path < *folder);
        let within = candidates[first..].iter();
        let within = within.take_while(|(path, _)| path.starts_with(folder));
        let mut names: HashMap<&BStr, FileStats> = HashMap::new();
        let mut anywhere: HashMap<&BStr, FileStats> = HashMap::new();
        let mut types: HashMap<&BStr, FileStats> = HashMap::new();
        for (path, size) in within {
            let stats = FileStats::one(*size);
            let below = path.below(folder).unwrap_or(path);
            let part = below.top_folder();
            let name = if part.is_top() { below } else { part };
            *names.entry(name.as_bstr()).or_default() += stats;
            for (nth, part) in below.parts().enumerate() {
                let name = part[part.name_at()..].as_bstr();
                // A folder in one of its own name is caught with it.
                let mut above = below.parts().take(nth);
                if !above.any(|above| above[above.name_at()..] == *name) {
                    *anywhere.entry(name).or_default() += stats;
                }
            }
            if let Some(extension) = path.extension() {
                *types.entry(extension).or_default() += stats;
            }
        }
        let patterns = |names: HashMap<&BStr, FileStats>| -> Vec<(String, FileStats)> {
            let names = names.into_iter();
            names.map(|(name, stats)| (pattern(name), stats)).collect()
        };
        let anywhere = anywhere
            .into_iter()
            .filter(|(name, _)| names.contains_key(name));
        Self {
            names_anywhere: patterns(anywhere.collect()),
            names: patterns(names),
            types: types
                .into_iter()
                .map(|(kind, stats)| (format!("*{}", written(quote(kind).as_bstr())), stats))
                .collect(),
        }
    }
}

/// The pattern of a name; that of a folder ends in a slash.
fn pattern(name: &BStr) -> String {
    let slash = if name.ends_with(b"/") { "/" } else { "" };
    let quoted = quote(RepoPath::new(name).bare());
    format!("{}{slash}", written(quoted.as_bstr()))
}
