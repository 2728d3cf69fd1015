//! The working tree: where it is, and the one way to what is in it.

use crate::{Error, Result, io_error_at};
use bstr::{BStr, BString, ByteSlice};
use redshank_files::{Root, read_trusted};
use redshank_git::{Discovered, Personal, Repository};
use redshank_rules::Case;
use redshank_rules::RepoPathBuf;
use redshank_rules::{RuleScope, Source, folder_of_ignore_file};
use std::path::{Path, PathBuf};

/// git reads no ignore file beyond this size, in bytes.
pub(crate) const LARGEST_IGNORE_FILE: u64 = 100 << 20;

/// A folder to work in: the working tree of a repository, or a folder that may become one.
#[derive(Clone)]
pub struct Worktree {
    /// Absolute path of the file or folder.
    pub top: PathBuf,
    /// The same, opened: all reading and writing of the working tree goes through it.
    pub root: Root,
    /// The repository, if it is one already.
    pub repository: Option<Repository>,
    personal: Option<Personal>,
}

impl Worktree {
    /// Finds out what `folder` is.
    ///
    /// # Errors
    /// If it can't be entered, or git refuses.
    pub fn find(folder: &Path) -> Result<Self> {
        let open = |top: &Path| Root::open(top).map_err(io_error_at(top));
        Ok(match redshank_git::find(folder)? {
            Discovered::Repository(repository) => Self {
                root: open(&repository.top)?,
                top: repository.top.clone(),
                personal: repository.personal.clone(),
                repository: Some(*repository),
            },
            Discovered::Folder(top) => Self {
                root: open(&top)?,
                personal: redshank_git::personal_outside(&top)?,
                top,
                repository: None,
            },
        })
    }

    /// Whether upper and lower case are distinguished here.
    pub fn case(&self) -> Case {
        match &self.repository {
            Some(repository) if repository.ignores_case => Case::Blind,
            _ => Case::Sensitive,
        }
    }

    /// The person's own ignore file, which may not exist.
    pub fn personal(&self) -> Option<&Personal> {
        self.personal.as_ref()
    }

    /// The source that a file is, by its whole path: an ignore file of the tree, this clone's own,
    /// or the person's; nothing for any other file.
    pub fn source_of(&self, file: &Path) -> Option<Source> {
        let elsewhere = self.sources_elsewhere().into_iter();
        let mut elsewhere = elsewhere.filter(|(path, ..)| path == file);
        if let Some((_, shown, scope)) = elsewhere.next() {
            return Some(Source::everywhere(shown, scope));
        }
        let below = file.strip_prefix(&self.top).ok()?;
        let below = RepoPathBuf::from(BString::from(
            redshank_files::path_bytes(below).into_owned(),
        ));
        folder_of_ignore_file(&below).map(|folder| Source::of_folder(folder.to_owned()))
    }

    /// Where a source lies; the other way round.
    pub fn file_of(&self, source: &Source) -> PathBuf {
        let elsewhere = self.sources_elsewhere().into_iter();
        let mut elsewhere = elsewhere.filter(|(_, shown, _)| *shown == source.shown);
        match elsewhere.next() {
            Some((path, ..)) => path,
            None => self.path(source.shown.as_bstr()),
        }
    }

    /// The files of rules that are outside the tree or in git's folder, each with how git prints it
    /// and whom it is for, the weakest first.
    pub fn sources_elsewhere(&self) -> Vec<(PathBuf, BString, RuleScope)> {
        let personal = self.personal.iter();
        let personal =
            personal.map(|file| (file.path.clone(), file.shown.clone(), RuleScope::Personal));
        let clone = self.repository.iter().map(|repository| {
            let (path, shown) = repository.clone_file();
            (path, shown, RuleScope::Clone)
        });
        personal.chain(clone).collect()
    }

    /// The files outside of the tree, or in git's own folder, that git's verdicts depend on: rules
    /// for this clone and for the person, the index, and the repository's configuration. Some may
    /// not exist.
    pub fn files_beside(&self) -> Vec<PathBuf> {
        let rules = self.sources_elsewhere().into_iter();
        let rules = rules.map(|(path, ..)| path);
        let gits = self.repository.iter().flat_map(|repository| {
            let index = repository.index_file().ok();
            index
                .into_iter()
                .chain([repository.common_folder.join("config")])
        });
        rules.chain(gits).collect()
    }

    /// What one of those files holds; nothing where git, too, would take it for empty.
    pub(crate) fn read_elsewhere(path: &Path) -> Option<Vec<u8>> {
        read_trusted(path, LARGEST_IGNORE_FILE).ok()
    }

    /// What a file of the working tree holds.
    ///
    /// # Errors
    /// If it can't be read, or is not a regular file.
    pub fn read(&self, path: &BStr) -> Result<Vec<u8>> {
        self.root
            .read(path, LARGEST_IGNORE_FILE)
            .map_err(io_error_at(&self.path(path)))
    }

    /// The same, with nothing for a file that isn't there.
    ///
    /// # Errors
    /// If it is there and can't be read, or is not a regular file.
    pub fn read_if_there(&self, path: &BStr) -> Result<Option<Vec<u8>>> {
        self.root
            .read_if_there(path, LARGEST_IGNORE_FILE)
            .map_err(io_error_at(&self.path(path)))
    }

    /// The file system's name of a path relative to the top.
    pub fn path(&self, relative: &BStr) -> PathBuf {
        self.top.join(relative.to_path_lossy())
    }

    /// The repository.
    ///
    /// # Errors
    /// If it is none; `purpose` says what can't be done without.
    pub fn needs_repository(&self, purpose: crate::Purpose) -> Result<&Repository> {
        self.repository.as_ref().ok_or_else(|| Error::NoRepository {
            top: self.top.clone(),
            purpose,
        })
    }
}
