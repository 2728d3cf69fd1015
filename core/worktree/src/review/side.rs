//! One side of a review: of a commit, of what is staged, of the disk, or of a merge.

use super::DecidingRule;
use crate::settings::{self, Settings};
use crate::tree::{EntryKind, State};
use crate::{Error, Purpose, Result, Snapshot};
use bstr::{BStr, BString, ByteSlice};
use redshank_git::{Repository, TrackedFiles, TreeState};
use redshank_rules::{
    ATTRIBUTE_FILE, IGNORE_FILE, RepoPath, RepoPathBuf, RuleList, Source, folder_of_ignore_file,
};
use std::collections::BTreeSet;
use std::path::Path;

/// One side of a comparison: the files that hold rules and settings, and what is tracked there.
#[derive(Debug, Default)]
pub struct ReviewSide {
    pub(super) files: TrackedFiles,
    /// The files in which a merge left parts open, sorted.
    pub conflicts: Vec<RepoPathBuf>,
}

/// The folder of what Redshank keeps for everybody: templates, a policy's copy.
const OURS: &str = ".redshank/";

/// Whether a file holds rules or settings.
pub(super) fn is_read(path: &BStr) -> bool {
    let name = RepoPath::new(path).name();
    name == IGNORE_FILE || name == ATTRIBUTE_FILE || is_settings(path)
}

pub(super) fn is_settings(path: &BStr) -> bool {
    *path == *settings::FILE || path.starts_with(OURS.as_bytes())
}

impl ReviewSide {
    /// What git keeps.
    ///
    /// # Errors
    /// If there is no repository, or git refuses.
    pub fn of(snapshot: &Snapshot, state: &TreeState) -> Result<Self> {
        let repository = snapshot.needs_repository(Purpose::History)?;
        Ok(Self {
            files: repository.tracked_files(state, &is_read)?,
            conflicts: Vec::new(),
        })
    }

    /// What is on disk.
    ///
    /// # Errors
    /// If the tree can't be walked, or a file can't be read.
    pub fn on_disk(snapshot: &Snapshot) -> Result<Self> {
        let mut files = TrackedFiles::default();
        for entry in &snapshot.whole_tree()?.entries {
            let path = &*entry.path;
            if entry.state == State::Tracked && !path.is_folder() {
                files.paths.insert(path.as_bstr().to_owned());
            }
            if entry.kind != EntryKind::File || !is_read(path.as_bstr()) {
                continue;
            }
            if let Some(held) = read_now(snapshot, path)? {
                files.contents.insert(path.as_bstr().to_owned(), held);
            }
        }
        Ok(Self {
            files,
            conflicts: Vec::new(),
        })
    }

    /// What a merge of another commit into one would make: git's merge of each file of rules or
    /// settings by itself, no renames followed. Works in `scratch`, a folder of the caller's own.
    ///
    /// # Errors
    /// If there is no repository, the commits have nothing in common, or git refuses.
    pub fn merged(snapshot: &Snapshot, ours: &str, theirs: &str, scratch: &Path) -> Result<Self> {
        let repository = snapshot.needs_repository(Purpose::History)?;
        let base = repository.common_commit(ours, theirs)?;
        let read = |commit: &str| {
            let state = TreeState::Commit(commit.to_owned());
            repository.tracked_files(&state, &is_read)
        };
        let sides = [read(&base)?, read(ours)?, read(theirs)?];
        let mut merged = Self::default();
        let [base, ours, theirs] = &sides;
        let paths: BTreeSet<&BString> = sides.iter().flat_map(|side| &side.paths).collect();
        for path in paths {
            let has = |side: &TrackedFiles| side.paths.contains(path);
            // What one side added is there, what one side removed is gone.
            let is_there = match (has(base), has(ours), has(theirs)) {
                (true, ours, theirs) => ours && theirs,
                (false, ours, theirs) => ours || theirs,
            };
            if is_there {
                merged.files.paths.insert(path.clone());
            }
        }
        let paths: BTreeSet<&BString> =
            sides.iter().flat_map(|side| side.contents.keys()).collect();
        for path in paths {
            let held = sides.each_ref().map(|side| side.contents.get(path));
            merged.merge(repository, scratch, path, held)?;
        }
        Ok(merged)
    }

    fn merge(
        &mut self,
        repository: &Repository,
        scratch: &Path,
        path: &BString,
        [base, ours, theirs]: [Option<&Vec<u8>>; 3],
    ) -> Result<()> {
        let taken = if ours == theirs || base == theirs {
            ours
        } else if base == ours {
            theirs
        } else {
            let empty = Vec::new();
            let [base, ours, theirs] =
                [base, ours, theirs].map(|held| held.unwrap_or(&empty).as_slice());
            let (text, is_open) = repository.merge_texts(scratch, base, [ours, theirs])?;
            if is_open {
                self.conflicts.push(path.as_bstr().into());
            }
            self.files.contents.insert(path.clone(), text);
            return Ok(());
        };
        if let Some(taken) = taken {
            self.files.contents.insert(path.clone(), taken.clone());
        }
        Ok(())
    }

    /// What one of its files holds.
    pub(super) fn held(&self, path: &BStr) -> Option<&Vec<u8>> {
        self.files.contents.get(path)
    }

    /// Its settings; the defaults without a file.
    pub(super) fn settings(&self, snapshot: &Snapshot) -> Result<Settings> {
        let Some(held) = self.held(settings::FILE.as_bytes().as_bstr()) else {
            return Ok(Settings::default());
        };
        let path = snapshot.path(RepoPath::new(settings::FILE));
        let text = held.to_str().map_err(|error| Error::NotUtf8 {
            path: path.clone(),
            line: held[..error.valid_up_to()].lines().count(),
        })?;
        Settings::parse(text, &path)
    }

    /// The rules of its ignore files.
    pub(super) fn rules(&self, snapshot: &Snapshot) -> BTreeSet<DecidingRule> {
        let mut rules = BTreeSet::new();
        for (path, held) in &self.files.contents {
            let Some(folder) = folder_of_ignore_file(RepoPath::new(path)) else {
                continue;
            };
            let source = Source::of_folder(folder.to_owned());
            let list = RuleList::parse(source, held, snapshot.case());
            for rule in list.rules() {
                let rule = DecidingRule {
                    file: path.clone(),
                    line: rule.line,
                    pattern: rule.text.clone(),
                };
                rules.insert(rule);
            }
        }
        rules
    }
}

/// What a file on disk holds, if git would read it.
fn read_now(snapshot: &Snapshot, path: &RepoPath) -> Result<Option<Vec<u8>>> {
    if let Some(folder) = folder_of_ignore_file(path) {
        return match snapshot.ignore_file(folder) {
            Ok(file) => Ok(file.map(|file| file.contents.clone())),
            // git reads no rules through a link.
            Err(Error::NotAFile(_)) => Ok(None),
            Err(error) => Err(error),
        };
    }
    let held = snapshot.root.read(path, LARGEST);
    let held = held.map_err(|cause| crate::io_error_at(&snapshot.path(path))(cause))?;
    Ok(Some(held))
}

/// A file of attributes or settings is read up to this size, in bytes.
const LARGEST: u64 = 4 << 20;
