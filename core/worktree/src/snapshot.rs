//! One picture of a working tree: what is in it is read once, and handed on.
//!
//! Whatever a command asks about (the index, the settings, an ignore file, the tree) is read when
//! it is first asked for, and never again: two answers of one command can't contradict each other.
//! What is to be changed is read again by anyone who changes it.

use crate::apart::apart;
use crate::settings::{self, SettingsFile};
use crate::tree::Tree;
use crate::walk::{Depth, WalkOptions};
use crate::worktree::LARGEST_IGNORE_FILE;
use crate::{Error, Result, Worktree, io_error_at};
use bstr::{BString, ByteSlice};
use foldhash::fast::FixedState;
use once_cell::sync::OnceCell;
use parking_lot::Mutex;
use redshank_git::{Index, Repository};
use redshank_progress::Phase;
use redshank_rules::{Chain, IGNORE_FILE, RuleList, Source, folder_of_ignore_file};
use redshank_rules::{RepoPath, RepoPathBuf};
use std::collections::HashMap;
use std::io::{ErrorKind, Read as _};
use std::ops::Deref;
use std::path::Path;
use std::sync::Arc;

/// Ignore files to be taken as if they held this, by path relative to the top.
pub type Overlay = HashMap<BString, Vec<u8>>;

/// An ignore file as it was read.
pub struct RuleFile {
    /// Contents of the file, in bytes.
    pub contents: Vec<u8>,
    /// The rules parsed from them.
    pub list: Arc<RuleList>,
}

/// What is in the place of a folder's ignore file.
#[derive(Clone)]
enum Read {
    File(Arc<RuleFile>),
    Absent,
    /// A symbolic link, which git doesn't follow.
    Link,
    /// Something else that git wouldn't read.
    NoFile,
}

/// The rules that git's store has of an ignore file, or why it has none.
type SkippedRules = std::result::Result<Arc<RuleList>, String>;

/// One picture of a working tree.
pub struct Snapshot {
    worktree: Worktree,
    index: OnceCell<Index>,
    settings: OnceCell<SettingsFile>,
    elsewhere: OnceCell<Vec<(Source, Option<RuleFile>)>>,
    rule_files: Mutex<HashMap<RepoPathBuf, Arc<OnceCell<Read>>, FixedState>>,
    /// By the folder: of ignore files that are kept off the disk, what the index has.
    skipped_rule_files: OnceCell<HashMap<RepoPathBuf, SkippedRules>>,
    tree: OnceCell<Tree>,
    whole_tree: OnceCell<Tree>,
    has_commit: OnceCell<bool>,
}

impl Deref for Snapshot {
    type Target = Worktree;

    fn deref(&self) -> &Worktree {
        &self.worktree
    }
}

impl From<Worktree> for Snapshot {
    fn from(worktree: Worktree) -> Self {
        Self {
            worktree,
            index: OnceCell::new(),
            settings: OnceCell::new(),
            elsewhere: OnceCell::new(),
            rule_files: Mutex::default(),
            skipped_rule_files: OnceCell::new(),
            tree: OnceCell::new(),
            whole_tree: OnceCell::new(),
            has_commit: OnceCell::new(),
        }
    }
}

impl Snapshot {
    /// A picture of what `folder` is in.
    ///
    /// # Errors
    /// If it can't be entered, or git refuses.
    pub fn open(folder: &Path) -> Result<Self> {
        Ok(Worktree::find(folder)?.into())
    }

    /// Where it was taken.
    pub fn worktree(&self) -> &Worktree {
        &self.worktree
    }

    /// What git tracks; nothing where there is no repository.
    ///
    /// # Errors
    /// If the index can't be read.
    pub fn index(&self) -> Result<&Index> {
        self.index.get_or_try_init(|| match &self.repository {
            Some(repository) => {
                let reading = Phase::Index.begin();
                let index = repository.index()?;
                reading.seen(index.len() as u64, 0);
                Ok(index)
            }
            None => Ok(Index::default()),
        })
    }

    /// The repository's own settings.
    ///
    /// # Errors
    /// If the file can't be read or is not in the format; the error names the line and what was
    /// expected.
    pub fn settings(&self) -> Result<&SettingsFile> {
        self.settings
            .get_or_try_init(|| SettingsFile::read(&self.worktree))
    }

    /// Whether a commit exists already.
    pub fn has_commit(&self) -> bool {
        *self.has_commit.get_or_init(|| match &self.repository {
            Some(repository) => repository.has_commit(),
            None => false,
        })
    }

    /// The tree with sizes, up to the folders that rules exclude.
    ///
    /// # Errors
    /// If the index can't be read or the top folder can't be listed.
    pub fn tree(&self) -> Result<&Tree> {
        self.tree
            .get_or_try_init(|| apart(|| Tree::walk(self, &WalkOptions::default())))
    }

    /// The same with every file in the folders that rules exclude.
    ///
    /// # Errors
    /// As [`Self::tree`].
    pub fn whole_tree(&self) -> Result<&Tree> {
        let options = WalkOptions {
            depth: Depth::IntoIgnored,
            ..WalkOptions::default()
        };
        self.whole_tree
            .get_or_try_init(|| apart(|| Tree::walk(self, &options)))
    }

    /// The rules that hold in the whole tree: the person's own, then this clone's.
    pub fn everywhere(&self, overlay: &Overlay) -> Chain {
        let known = self.elsewhere.get_or_init(|| self.read_elsewhere());
        let lists = known
            .iter()
            .filter_map(|(source, read)| match overlay.get(&source.shown) {
                Some(contents) => {
                    let list = RuleList::parse(source.clone(), contents, self.case());
                    Some(Arc::new(list))
                }
                None => read.as_ref().map(|file| Arc::clone(&file.list)),
            });
        Chain::new(lists)
    }

    fn read_elsewhere(&self) -> Vec<(Source, Option<RuleFile>)> {
        let sources = self.sources_elsewhere().into_iter();
        let read = sources.map(|(path, shown, scope)| {
            let source = Source::everywhere(shown, scope);
            let contents = Worktree::read_elsewhere(&path);
            let file = contents.map(|contents| self.rule_file(source.clone(), contents));
            (source, file)
        });
        read.collect()
    }

    fn rule_file(&self, source: Source, contents: Vec<u8>) -> RuleFile {
        let list = Arc::new(RuleList::parse(source, &contents, self.case()));
        RuleFile { contents, list }
    }

    /// The rules of one folder's ignore file, if it has one that git would read: a regular file
    /// (git follows no symbolic link there) of up to 100 MiB; or one that `index` tells to be kept
    /// off the disk.
    pub(crate) fn rules_of(
        &self,
        folder: &RepoPath,
        overlay: &Overlay,
        index: &Index,
    ) -> std::io::Result<Option<Arc<RuleList>>> {
        if !overlay.is_empty() {
            let source = Source::of_folder(folder.to_owned());
            if let Some(contents) = overlay.get(&source.shown) {
                let list = RuleList::parse(source, contents, self.case());
                return Ok(Some(Arc::new(list)));
            }
        }
        Ok(match self.file_of(folder)? {
            Read::File(file) => Some(Arc::clone(&file.list)),
            Read::Absent | Read::Link if index.skips_any() => {
                match self.skipped_rules(index).get(folder) {
                    Some(Ok(list)) => Some(Arc::clone(list)),
                    Some(Err(said)) => return Err(std::io::Error::other(said.clone())),
                    None => None,
                }
            }
            Read::Absent | Read::Link | Read::NoFile => None,
        })
    }

    /// The rules of the ignore files that are kept off the disk, by their folders.
    fn skipped_rules(&self, index: &Index) -> &HashMap<RepoPathBuf, SkippedRules> {
        self.skipped_rule_files.get_or_init(|| {
            let skipped = index.iter().filter(|tracked| tracked.skipped);
            let files = skipped.filter_map(|tracked| {
                let folder = folder_of_ignore_file(RepoPath::new(tracked.path))?;
                Some((folder.to_owned(), tracked.blob()))
            });
            let files: Vec<(RepoPathBuf, String)> = files.collect();
            let store = self.repository.as_ref().filter(|_| !files.is_empty());
            let Some(Ok(mut blobs)) = store.map(Repository::blobs) else {
                return HashMap::new();
            };
            let read = files.into_iter().map(|(folder, blob)| {
                let source = Source::of_folder(folder.clone());
                let contents = blobs.read(&blob, |size, contents| {
                    let mut read = Vec::new();
                    let limit = size.min(LARGEST_IGNORE_FILE);
                    contents.take(limit).read_to_end(&mut read)?;
                    Ok(read)
                });
                let rules = contents
                    .map_err(|error| error.to_string())
                    .map(|contents| Arc::new(RuleList::parse(source, &contents, self.case())));
                (folder, rules)
            });
            read.collect()
        })
    }

    fn file_of(&self, folder: &RepoPath) -> std::io::Result<Read> {
        let cell = {
            let mut files = self.rule_files.lock();
            Arc::clone(files.entry(folder.to_owned()).or_default())
        };
        cell.get_or_try_init(|| self.read_file_of(folder)).cloned()
    }

    /// Whether a folder may be a link, or are behind one, as far as looking for its ignore file
    /// told.
    pub(crate) fn may_be_link(&self, folder: &RepoPath) -> bool {
        !matches!(
            self.file_of(folder),
            Ok(Read::File(_) | Read::Absent | Read::NoFile)
        )
    }

    fn read_file_of(&self, folder: &RepoPath) -> std::io::Result<Read> {
        let source = Source::of_folder(folder.to_owned());
        match self.root.read(source.shown.as_bstr(), LARGEST_IGNORE_FILE) {
            Ok(contents) => Ok(Read::File(Arc::new(self.rule_file(source, contents)))),
            Err(error) if redshank_files::is_absence(&error) => Ok(Read::Absent),
            Err(error) if redshank_files::is_link_on_the_way(&error) => Ok(Read::Link),
            Err(error) if is_nothing_to_git(&error) => Ok(Read::NoFile),
            Err(error) => Err(error),
        }
    }

    /// The rules of one folder's own ignore file, if it has one that git would read.
    ///
    /// # Errors
    /// If it can't be read.
    pub fn own_rules(&self, folder: &RepoPath) -> Result<Option<Arc<RuleList>>> {
        let rules = self.rules_of(folder, &Overlay::new(), self.index()?);
        rules.map_err(|cause| io_error_at(&self.path(folder).join(IGNORE_FILE))(cause))
    }

    /// A chain with the rules of one more folder.
    pub(crate) fn with_rules(
        &self,
        chain: Chain,
        folder: &RepoPath,
        overlay: &Overlay,
        index: &Index,
    ) -> Result<Chain> {
        let rules = self.rules_of(folder, overlay, index);
        let rules =
            rules.map_err(|cause| io_error_at(&self.path(folder).join(IGNORE_FILE))(cause))?;
        Ok(rules.into_iter().fold(chain, Chain::with))
    }

    /// What a file holds that the snapshot reads for itself: an ignore file, or the settings.
    pub fn held(&self, path: &RepoPath) -> Option<Vec<u8>> {
        if *path == *settings::FILE {
            return Some(self.settings().ok()?.text()?.as_bytes().to_vec());
        }
        let folder = folder_of_ignore_file(path)?;
        Some(self.ignore_file(folder).ok()??.contents.clone())
    }

    /// What a folder's ignore file holds; `None` if there is none.
    ///
    /// # Errors
    /// If it can't be read, or is something that git would not read.
    pub fn ignore_file(&self, folder: &RepoPath) -> Result<Option<Arc<RuleFile>>> {
        let path = || self.path(folder).join(IGNORE_FILE);
        match self.file_of(folder) {
            Ok(Read::File(file)) => Ok(Some(file)),
            Ok(Read::Absent) => Ok(None),
            Ok(Read::Link | Read::NoFile) => Err(Error::NotAFile(path())),
            Err(cause) => Err(io_error_at(&path())(cause)),
        }
    }
}

/// Whether git, too, reads no rules there: a folder or a FIFO is there, or it is too large.
fn is_nothing_to_git(error: &std::io::Error) -> bool {
    redshank_files::is_not_regular(error) || error.kind() == ErrorKind::FileTooLarge
}
