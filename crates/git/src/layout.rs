//! Where a repository lies and how it is configured.

use crate::{Error, Git, Index, Result};
use bstr::{BStr, BString, ByteSlice};
use std::path::{Path, PathBuf};

/// A repository with a working tree.
#[derive(Debug, Clone)]
pub struct Repository {
    /// The top folder of the working tree.
    pub top: PathBuf,
    /// Its git folder: of a linked working tree, that tree's own.
    pub git_folder: PathBuf,
    /// The git folder that all working trees of the repository share.
    pub common_folder: PathBuf,
    /// `core.ignoreCase`.
    pub ignores_case: bool,
    /// The person's own ignore file.
    pub personal: Option<Personal>,
    /// A program for large files is set up (`filter.lfs.clean` or `filter.lfs.process`).
    pub stores_large_files: bool,
    /// Only a part of the tree is laid out (`core.sparseCheckout`).
    pub is_sparse: bool,
    object_format: BString,
}

/// The file with a person's own rules for every repository.
#[derive(Debug, Clone)]
pub struct Personal {
    /// As git prints it.
    pub shown: BString,
    /// Where it is; it may not exist.
    pub path: PathBuf,
}

/// What a folder turned out to be.
#[derive(Debug)]
pub enum Found {
    /// It lies in a repository.
    Repository(Box<Repository>),
    /// It does not; the folder itself, with links resolved.
    Folder(PathBuf),
}

/// Finds the repository that `folder` lies in, asking git, so that `GIT_*` variables count.
///
/// # Errors
/// If the folder can't be entered, lies in a git folder, or git refuses for a reason of its own.
pub fn find(folder: &Path) -> Result<Found> {
    let no_folder = |cause| Error::NoFolder { path: folder.into(), cause };
    if !std::fs::metadata(folder).map_err(no_folder)?.is_dir() {
        return Err(no_folder(std::io::ErrorKind::NotADirectory.into()));
    }
    let asked = ["rev-parse", "--path-format=absolute", "--show-toplevel", "--git-dir", "--git-common-dir"];
    // Both questions at once: each takes as long as starting git does.
    let (lines, config) = std::thread::scope(|scope| {
        let config = scope.spawn(|| Config::read(folder));
        (Git::at(folder).words(asked).output(), config.join())
    });
    let lines = match lines {
        Ok(lines) => lines,
        Err(Error::Refused { said, .. }) if said.contains("not a git repository") => {
            return Ok(Found::Folder(folder.canonicalize().map_err(no_folder)?));
        }
        Err(Error::Refused { said, .. }) if said.contains("must be run in a work tree") => {
            return Err(Error::NoWorkTree(folder.into()));
        }
        Err(other) => return Err(other),
    };
    let mut folders = lines.lines().map(|line| line.to_path_lossy().into_owned());
    let mut next = || folders.next().ok_or_else(|| Error::NoWorkTree(folder.into()));
    let (top, git_folder, common_folder) = (next()?, next()?, next()?);
    let config = config.unwrap_or_else(|_| Config::read(&top))?;
    Ok(Found::Repository(Box::new(Repository {
        ignores_case: config.is_set("core.ignorecase"),
        personal: config.personal(&top)?,
        stores_large_files: ["filter.lfs.clean", "filter.lfs.process"].iter().any(|key| config.value(key).is_some()),
        is_sparse: config.is_set("core.sparsecheckout"),
        object_format: config.value("extensions.objectformat").unwrap_or("sha1".into()).into(),
        top,
        git_folder,
        common_folder,
    })))
}

/// The person's ignore file where there is no repository.
///
/// # Errors
/// If git can't be asked.
pub fn personal_outside(folder: &Path) -> Result<Option<Personal>> {
    Config::read(folder)?.personal(folder)
}

impl Repository {
    /// This clone's own exclude file, and how git prints it; it may not exist.
    pub fn clone_file(&self) -> (PathBuf, BString) {
        let path = self.common_folder.join("info").join("exclude");
        let shown = path.strip_prefix(&self.top).unwrap_or(&path);
        let shown = Vec::from_path_lossy(shown).into_owned().into();
        (path, shown)
    }

    /// A call of git at the top of the working tree.
    pub fn git(&self) -> Git {
        Git::at(&self.top)
    }

    /// The index file; `GIT_INDEX_FILE` counts.
    ///
    /// # Errors
    /// If git can't be asked.
    pub fn index_file(&self) -> Result<PathBuf> {
        if std::env::var_os("GIT_INDEX_FILE").is_none() {
            return Ok(self.git_folder.join("index"));
        }
        let shown = self.git().words(["rev-parse", "--path-format=absolute", "--git-path", "index"]).output()?;
        Ok(shown.trim_end_with(|c| c == '\n').to_path_lossy().into_owned())
    }

    /// What git tracks.
    ///
    /// # Errors
    /// If the index is there and can't be read.
    pub fn index(&self) -> Result<Index> {
        Index::read(self)
    }

    /// The folder of the hooks; `core.hooksPath` counts.
    ///
    /// # Errors
    /// If git can't be asked.
    pub fn hooks_folder(&self) -> Result<PathBuf> {
        let shown = self.git().words(["rev-parse", "--path-format=absolute", "--git-path", "hooks"]).output()?;
        Ok(shown.trim_end_with(|c| c == '\n').to_path_lossy().into_owned())
    }

    /// The paths that `.gitmodules` names (gitmodules(5)).
    ///
    /// # Errors
    /// If git refuses to read the file.
    pub fn submodules(&self) -> Result<Vec<BString>> {
        if !self.top.join(".gitmodules").exists() {
            return Ok(Vec::new());
        }
        let listed = self.git().words(["config", "--file", ".gitmodules", "--list", "-z"]).output()?;
        let named = listed.split(|byte| *byte == 0).filter_map(|entry| entry.split_once_str("\n"));
        Ok(named.filter(|(key, _)| key.ends_with(b".path")).map(|(_, path)| path.into()).collect())
    }

    pub(crate) fn uses_sha256(&self) -> bool {
        self.object_format == "sha256"
    }
}

use bstr::ByteVec;

/// git's configuration, all scopes merged, later values last.
struct Config {
    listed: Vec<u8>,
}

impl Config {
    fn read(folder: &Path) -> Result<Self> {
        Ok(Self { listed: Git::at(folder).words(["config", "--list", "-z"]).output()? })
    }

    /// The last value of a key (lower case); of a key without `=`, `None` inside.
    fn last(&self, key: &str) -> Option<Option<&BStr>> {
        let entries = self.listed.split(|byte| *byte == 0);
        entries
            .filter_map(|entry| match entry.split_once_str("\n") {
                Some((name, value)) => (name == key.as_bytes()).then_some(Some(value.as_bstr())),
                None => (entry == key.as_bytes()).then_some(None),
            })
            .next_back()
    }

    fn value(&self, key: &str) -> Option<&BStr> {
        self.last(key).flatten()
    }

    /// A truth value as git-config(1) words them.
    fn is_set(&self, key: &str) -> bool {
        match self.last(key) {
            None => false,
            Some(None) => true,
            Some(Some(value)) => {
                let value = value.to_ascii_lowercase();
                [&b"true"[..], b"yes", b"on"].contains(&&value[..])
                    || value.to_str().is_ok_and(|text| text.parse::<i64>().is_ok_and(|number| number != 0))
            }
        }
    }

    /// gitignore(5): `core.excludesFile`; without it `$XDG_CONFIG_HOME/git/ignore`, or `$HOME/.config/git/ignore` where
    /// that variable is unset or empty.
    fn personal(&self, top: &Path) -> Result<Option<Personal>> {
        let shown: BString = match self.value("core.excludesfile") {
            Some(value) if value.is_empty() => return Ok(None),
            // `~` and its kin are git's to expand.
            Some(value) if value.starts_with(b"~") || value.starts_with(b"%") || value.starts_with(b":") => {
                let path = Git::at(top).words(["config", "--type=path", "-z", "core.excludesFile"]).output()?;
                path.trim_end_with(|c| c == '\0').into()
            }
            Some(value) => value.into(),
            None => {
                let set = |name| std::env::var_os(name).filter(|value| !value.is_empty());
                let base = set("XDG_CONFIG_HOME").map(PathBuf::from);
                let Some(base) = base.or_else(|| Some(PathBuf::from(set("HOME")?).join(".config"))) else {
                    return Ok(None);
                };
                Vec::from_path_lossy(&base.join("git").join("ignore")).into_owned().into()
            }
        };
        let path = top.join(shown.to_path_lossy());
        Ok(Some(Personal { shown, path }))
    }
}
