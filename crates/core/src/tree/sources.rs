//! The place that is looked at, and the rules that hold there.

use crate::disk::refused;
use crate::rules::{Chain, IGNORE_FILE, Reach, RuleList, Source};
use crate::{Error, Result};
use bstr::{BStr, BString, ByteSlice};
use redshank_files::{Kind, Root, read_trusted};
use redshank_git::{Found, Personal, Repository};
use redshank_pattern::Case;
use std::collections::HashMap;
use std::io::ErrorKind;
use std::path::{Path, PathBuf};

/// git reads no ignore file beyond this size, in bytes.
const LARGEST_IGNORE_FILE: u64 = 100 << 20;

/// A folder to work in: a repository, or a folder that may become one.
pub struct Place {
    /// The top folder.
    pub top: PathBuf,
    /// The same, opened: all reading and writing of the working tree goes through it.
    pub root: Root,
    /// The repository, if it is one already.
    pub repository: Option<Repository>,
    personal: Option<Personal>,
}

/// Ignore files to be taken as if they held this, by path relative to the top.
pub type Overlay = HashMap<BString, Vec<u8>>;

impl Place {
    /// Finds out what `folder` is.
    ///
    /// # Errors
    /// If it can't be entered, or git refuses.
    pub fn find(folder: &Path) -> Result<Self> {
        let open = |top: &Path| Root::open(top).map_err(refused(top));
        Ok(match redshank_git::find(folder)? {
            Found::Repository(repository) => Self {
                root: open(&repository.top)?,
                top: repository.top.clone(),
                personal: repository.personal.clone(),
                repository: Some(*repository),
            },
            Found::Folder(top) => Self {
                root: open(&top)?,
                personal: redshank_git::personal_outside(&top)?,
                top,
                repository: None,
            },
        })
    }

    /// Whether upper and lower case are told apart here.
    pub fn case(&self) -> Case {
        if self
            .repository
            .as_ref()
            .is_some_and(|repository| repository.ignores_case)
        {
            Case::Blind
        } else {
            Case::Sensitive
        }
    }

    /// The person's own ignore file, which may not exist.
    pub fn personal(&self) -> Option<&Personal> {
        self.personal.as_ref()
    }

    /// The rules that hold in the whole tree: the person's own, then this clone's.
    pub fn everywhere(&self, overlay: &Overlay) -> Chain {
        let personal = self
            .personal
            .iter()
            .map(|file| (file.path.clone(), file.shown.clone(), Reach::Personal));
        let clone = self.repository.iter().map(|repository| {
            let (path, shown) = repository.clone_file();
            (path, shown, Reach::Clone)
        });
        Chain::new(personal.chain(clone).filter_map(|(path, shown, reach)| {
            let contents = overlay
                .get(&shown)
                .cloned()
                .or_else(|| read_trusted(&path, LARGEST_IGNORE_FILE).ok())?;
            let source = Source {
                shown,
                base: BString::default(),
                reach,
            };
            Some(RuleList::parse(source, &contents, self.case()))
        }))
    }

    /// The rules of one folder's ignore file, if it has one that git would read: a regular file
    /// (git follows no link there) of up to 100 MiB. `folder` is empty or ends in a slash.
    pub(super) fn rules_of(
        &self,
        folder: &BStr,
        overlay: &Overlay,
    ) -> Result<Option<RuleList>, std::io::Error> {
        let source = Source::of_folder(folder.to_owned());
        if let Some(contents) = overlay.get(&source.shown) {
            return Ok(Some(RuleList::parse(source, contents, self.case())));
        }
        match self.root.read(source.shown.as_bstr(), LARGEST_IGNORE_FILE) {
            Ok(contents) => Ok(Some(RuleList::parse(source, &contents, self.case()))),
            Err(error) if is_nothing_to_git(&error) => Ok(None),
            Err(error) => Err(error),
        }
    }

    /// The rules that everyone has in a folder: its own ignore file and the ones above it.
    ///
    /// # Errors
    /// If one of them can't be read.
    pub fn shared_rules(&self, folder: &BStr, overlay: &Overlay) -> Result<Chain> {
        let mut chain = Chain::new([]);
        for end in std::iter::once(0).chain(folder.find_iter("/").map(|slash| slash + 1)) {
            let here = folder[..end].as_bstr();
            let rules = self.rules_of(here, overlay);
            let disk = |cause| Error::Disk {
                path: self.path(here).join(IGNORE_FILE),
                cause,
            };
            chain = rules.map_err(disk)?.into_iter().fold(chain, Chain::with);
        }
        Ok(chain)
    }

    /// What a folder's ignore file holds; `None` if there is none.
    ///
    /// # Errors
    /// If it can't be read, or is something that git would not read.
    pub fn ignore_file(&self, folder: &BStr) -> Result<Option<Vec<u8>>> {
        let path = Source::of_folder(folder.to_owned()).shown;
        match self
            .root
            .meta_if_there(path.as_bstr())
            .map(|found| found.map(|meta| meta.kind))
        {
            Ok(None) => Ok(None),
            Ok(Some(Kind::File)) => self.read(path.as_bstr()).map(Some),
            Ok(Some(_)) => Err(Error::NotAFile(self.path(path.as_bstr()))),
            Err(cause) => Err(Error::Disk {
                path: self.path(path.as_bstr()),
                cause,
            }),
        }
    }

    /// What a file of the working tree holds.
    ///
    /// # Errors
    /// If it can't be read, or is no regular file.
    pub fn read(&self, path: &BStr) -> Result<Vec<u8>> {
        self.root
            .read(path, LARGEST_IGNORE_FILE)
            .map_err(refused(&self.path(path)))
    }

    /// The same, with nothing for a file that isn't there.
    ///
    /// # Errors
    /// If it is there and can't be read, or is no regular file.
    pub fn read_if_there(&self, path: &BStr) -> Result<Option<Vec<u8>>> {
        self.root
            .read_if_there(path, LARGEST_IGNORE_FILE)
            .map_err(refused(&self.path(path)))
    }

    /// The file system's name of a path relative to the top.
    pub fn path(&self, relative: &BStr) -> PathBuf {
        self.top.join(relative.to_path_lossy())
    }
}

/// Whether git, too, reads no rules there: nothing is there, or could be; a link, a folder or a
/// FIFO is; or it is too large.
fn is_nothing_to_git(error: &std::io::Error) -> bool {
    redshank_files::is_absence(error)
        || redshank_files::is_link_on_the_way(error)
        || redshank_files::is_not_regular(error)
        || error.kind() == ErrorKind::FileTooLarge
}
