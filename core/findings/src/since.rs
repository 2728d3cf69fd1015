//! Which findings a branch adds to those that another commit has already.

use crate::{Finding, Result, secrets_of};
use bstr::{BString, ByteSlice};
use redshank_rules::{IGNORE_FILE, RepoPath, RepoPathBuf};
use redshank_worktree::{Class, Purpose, Snapshot};
use std::collections::{BTreeSet, HashSet};
use std::io::Read;

/// What is new since a commit: files that it doesn't have, or has otherwise.
pub struct SinceCommit {
    /// Those files.
    new: BTreeSet<RepoPathBuf>,
    /// The ids of the secrets that the commit has in those of them that it has, too.
    known_secrets: HashSet<String>,
    /// An ignore file is among them, so that what rules ignore may be new as well.
    has_new_rules: bool,
}

/// More of an older version isn't read, in bytes.
const LARGEST: u64 = 64 << 20;

impl SinceCommit {
    /// Compares the working tree with the commit that `revision` and the current branch have in
    /// common; with `revision` itself, where they have none.
    ///
    /// # Errors
    /// If there is no repository or no such commit, or git refuses.
    pub fn compare(snapshot: &Snapshot, revision: &str) -> Result<Self> {
        let repository = snapshot.needs_repository(Purpose::History)?;
        let commit = repository.commit_named(revision)?;
        let common = repository.common_commit(&commit, "HEAD");
        let base = common.unwrap_or(commit);
        let old: HashSet<BString> = repository.files_of(&base)?.into_iter().collect();
        let changed = repository.differing(&base)?;
        let added = snapshot.tree()?.to_commit().map(|entry| &entry.path);
        let added = added.filter(|path| !old.contains(path.as_bstr())).cloned();
        let mut since = Self {
            new: added.collect(),
            known_secrets: HashSet::new(),
            has_new_rules: false,
        };
        let mut blobs = repository.blobs()?;
        for path in changed.iter().filter(|path| old.contains(*path)) {
            let mut held = Vec::new();
            let name = format!("{base}:{}", path.to_str_lossy());
            let read = blobs.read(&name, |_, blob| blob.take(LARGEST).read_to_end(&mut held));
            // A submodule has no contents here, nor has a name that is more than a line.
            if read.is_ok() {
                let secrets = secrets_of(RepoPath::new(path), &held)?.into_iter();
                since.known_secrets.extend(secrets.map(|secret| secret.id));
            }
        }
        since.new.extend(changed.into_iter().map(RepoPathBuf::from));
        let mut new = since.new.iter();
        since.has_new_rules = new.any(|path| path.name() == IGNORE_FILE);
        Ok(since)
    }

    /// Whether a finding is about something that is new, in any of its places.
    pub fn is_new(&self, finding: &Finding) -> bool {
        finding.places().any(|place| self.is_new_place(place))
    }

    /// Leaves of a finding in several places those that are new, if any are.
    pub fn keep_new_places(&self, finding: &mut Finding) {
        finding.also.retain(|place| self.is_new_place(place));
        if self.is_new_place(finding) || finding.also.is_empty() {
            return;
        }
        let mut first = finding.also.remove(0);
        first.also = std::mem::take(&mut finding.also);
        first.is_gathered = finding.is_gathered;
        *finding = first;
    }

    fn is_new_place(&self, place: &Finding) -> bool {
        if place.class() == Class::Secret && self.known_secrets.contains(&place.id) {
            return false;
        }
        let path = &*place.path;
        if path.is_folder() {
            let mut within = self.new.range(path.to_owned()..);
            return within.next().is_some_and(|first| first.is_within(path));
        }
        let is_ignored_now = place.class() == Class::Needed && self.has_new_rules;
        self.new.contains(path) || is_ignored_now
    }
}
