//! What a file or folder of a project says of it.

use crate::Sign;
use bstr::ByteSlice;
use redshank_rules::RepoPath;
use redshank_rules::{Case, Rule};
use redshank_worktree::Snapshot;
use redshank_worktree::tree::Tree;

/// A file that says something of its project isn't larger, in bytes.
const LARGEST: u64 = 1 << 20;

impl Sign {
    /// Whether it is there, in a project of that folder.
    pub(crate) fn shows(&self, snapshot: &Snapshot, tree: &Tree, folder: &RepoPath) -> bool {
        let rule = Rule::parse(self.file.as_bytes(), 1, Case::Sensitive);
        let holds = |path: &RepoPath| {
            self.contains.as_ref().is_none_or(|wanted| {
                let text = snapshot.root.read(path, LARGEST);
                text.is_ok_and(|text| text.contains_str(wanted))
            })
        };
        let mut entries = tree.below(folder);
        entries.any(|entry| {
            let below = entry.path.below(folder);
            below.is_some_and(|path| rule.matches(path, false)) && holds(&entry.path)
        })
    }
}
