//! Where a repository lies and how it is configured.

#![allow(
    clippy::disallowed_methods,
    reason = "git's own folder, by the paths that git tells"
)]

use crate::programs::{entries, is_persons, overruled, started_at_commit};
use crate::{Error, Git, Index, Result};
use bstr::{BStr, BString, ByteSlice};
use redshank_files::Root;
use std::ffi::OsString;
use std::path::{Path, PathBuf};
use std::thread::{Builder, ScopedJoinHandle};

/// A repository with a working tree.
#[derive(Debug, Clone)]
pub struct Repository {
    /// The top folder of the working tree.
    pub top: PathBuf,
    /// Its git folder: of a linked working tree, that tree's own.
    pub git_folder: PathBuf,
    /// The git folder that all working trees of the repository share.
    pub common_folder: PathBuf,
    /// Value of git's `core.ignoreCase`.
    pub ignores_case: bool,
    /// The person's own ignore file.
    pub personal: Option<Personal>,
    /// A program for large files is set up (`filter.lfs.clean` or `filter.lfs.process`).
    pub stores_large_files: bool,
    /// git records whether a file may be run (`core.fileMode`, which is off where the disk doesn't
    /// keep it).
    pub keeps_modes: bool,
    /// Only a part of the tree is laid out (`core.sparseCheckout`).
    pub is_sparse: bool,
    /// The keys by which its own configuration, not the person's, names programs that `git add` and
    /// `git commit` start.
    pub started_at_commit: Vec<BString>,
    object_format: BString,
    overruled: Vec<OsString>,
}

/// The file with a person's own rules for every repository.
#[derive(Debug, Clone)]
pub struct Personal {
    /// As git prints it.
    pub shown: BString,
    /// Where it is; it may not exist.
    pub path: PathBuf,
    /// The repository's own configuration says so, not the person's: it may be any file.
    pub by_repository: bool,
}

/// What a folder turned out to be.
#[derive(Debug)]
pub enum Discovered {
    /// It is in a repository.
    Repository(Box<Repository>),
    /// It does not; the folder itself, with links resolved.
    Folder(PathBuf),
}

/// Finds the repository that `folder` is in, asking git, so that `GIT_*` variables count.
///
/// # Errors
/// If the folder can't be entered, is in a git folder, or git refuses for a reason of its own.
pub fn find(folder: &Path) -> Result<Discovered> {
    let no_folder = |cause| Error::NoFolder {
        path: folder.into(),
        cause,
    };
    if !std::fs::metadata(folder).map_err(no_folder)?.is_dir() {
        return Err(no_folder(std::io::ErrorKind::NotADirectory.into()));
    }
    // Both questions at once: each takes as long as starting git does.
    let (folders, config) = std::thread::scope(|scope| {
        let config = Builder::new().spawn_scoped(scope, || Config::read(folder));
        (folders(folder), config.map(ScopedJoinHandle::join))
    });
    let [top, git_folder, common_folder] = match folders {
        Ok(folders) => folders,
        Err(Error::Refused { said, .. }) if said.contains("not a git repository") => {
            return Ok(Discovered::Folder(
                redshank_files::canonical(folder).map_err(no_folder)?,
            ));
        }
        Err(Error::Refused { said, .. }) if said.contains("must be run in a work tree") => {
            return Err(Error::NoWorkTree(folder.into()));
        }
        Err(other) => return Err(too_old(folder).unwrap_or(other)),
    };
    if !names_its_own_top(&top, &git_folder) {
        return Err(Error::TopElsewhere { top, git_folder });
    }
    for path in ["info/exclude", "info/attributes"].map(|name| common_folder.join(name)) {
        if std::fs::metadata(&path).is_ok_and(|found| !found.is_file() && !found.is_dir()) {
            return Err(Error::Endless(path));
        }
    }
    let config = match config {
        Ok(Ok(config)) => config?,
        // Where there is no thread to be had, one after the other.
        _ => Config::read(&top)?,
    };
    Ok(Discovered::Repository(Box::new(Repository {
        ignores_case: config.is_set("core.ignorecase"),
        personal: config.personal(&top)?,
        stores_large_files: ["filter.lfs.clean", "filter.lfs.process"]
            .iter()
            .any(|key| config.value(key).is_some()),
        keeps_modes: config.value("core.filemode").is_none() || config.is_set("core.filemode"),
        is_sparse: config.is_set("core.sparsecheckout"),
        object_format: config
            .value("extensions.objectformat")
            .unwrap_or("sha1".into())
            .into(),
        started_at_commit: started_at_commit(&config.listed),
        overruled: overruled(&config.listed),
        top,
        git_folder,
        common_folder,
    })))
}

/// The oldest git that answers all that is asked (`rev-list --filter=object:type`, git 2.32).
const OLDEST: (u32, u32) = (2, 32);

/// That git is too old, if it is: asked when it didn't understand something.
fn too_old(folder: &Path) -> Option<Error> {
    let said = Git::at(folder).args(["version"]).output().ok()?;
    let said = said.to_str_lossy();
    let found = said.split(' ').nth(2)?.trim();
    let mut parts = found.split('.').map(|part| part.parse::<u32>().ok());
    let version = (parts.next()??, parts.next()??);
    (version < OLDEST).then(|| Error::TooOld {
        found: found.to_owned(),
        needed: format!("{}.{}", OLDEST.0, OLDEST.1),
    })
}

/// The top of the working tree, the git folder, and the one that all working trees share.
fn folders(folder: &Path) -> Result<[PathBuf; 3]> {
    let ask = |what: &[&str]| {
        Git::at(folder)
            .args(["rev-parse", "--path-format=absolute"])
            .args(what)
            .output()
    };
    let asked = ["--show-toplevel", "--git-dir", "--git-common-dir"];
    let said = ask(&asked)?;
    let lines: Vec<&[u8]> = said
        .strip_suffix(b"\n")
        .unwrap_or(&said)
        .split(|byte| *byte == b'\n')
        .collect();
    if let [top, git_folder, common_folder] = lines[..] {
        return Ok([top, git_folder, common_folder].map(|line| line.to_path_lossy().into_owned()));
    }
    // A line break in one of the paths: each is asked for by itself.
    let single = |what| Ok::<_, Error>(single_path(&ask(&[what])?));
    Ok([single(asked[0])?, single(asked[1])?, single(asked[2])?])
}

/// The only path in an answer; a line break in it is a part of it.
pub(crate) fn single_path(said: &[u8]) -> PathBuf {
    said.strip_suffix(b"\n")
        .unwrap_or(said)
        .to_path_lossy()
        .into_owned()
}

/// Whether a working tree is one that its git folder was found by: `.git` at its top is that
/// folder, or a file that names it. A repository's own configuration (`core.worktree`) could say
/// that any folder is its working tree; only who runs the program may say so, with `GIT_DIR` or
/// `GIT_WORK_TREE`.
fn names_its_own_top(top: &Path, git_folder: &Path) -> bool {
    let said = |name| std::env::var_os(name).is_some();
    if said("GIT_DIR") || said("GIT_WORK_TREE") {
        return true;
    }
    let same = |path: &Path| same_file::is_same_file(path, git_folder).unwrap_or(false);
    let dot_git = top.join(".git");
    same(&dot_git)
        || Root::open(top).is_ok_and(|root| {
            let file = root
                .read(BStr::new(".git"), LARGEST_GIT_FILE)
                .unwrap_or_default();
            let target = file
                .strip_prefix(b"gitdir: ")
                .map(|path| path.trim_end_with(|c| c == '\n' || c == '\r'));
            target.is_some_and(|path| same(&top.join(path.to_path_lossy())))
        })
}

/// A `.git` file holds one path, in bytes.
const LARGEST_GIT_FILE: u64 = 1 << 16;

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
        let shown = redshank_files::path_bytes(shown).into_owned().into();
        (path, shown)
    }

    /// A call of git at the top of the working tree.
    pub fn git(&self) -> Git {
        Git::at(&self.top).config(&self.overruled)
    }

    /// The index file; `GIT_INDEX_FILE` counts.
    ///
    /// # Errors
    /// If git can't be asked.
    pub fn index_file(&self) -> Result<PathBuf> {
        if std::env::var_os("GIT_INDEX_FILE").is_none() {
            return Ok(self.git_folder.join("index"));
        }
        let shown = self
            .git()
            .args(["rev-parse", "--path-format=absolute", "--git-path", "index"])
            .output()?;
        Ok(single_path(&shown))
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
        let asked = ["rev-parse", "--path-format=absolute", "--git-path", "hooks"];
        Ok(single_path(
            &self.git().keeping("core.hooksPath").args(asked).output()?,
        ))
    }

    pub(crate) fn uses_sha256(&self) -> bool {
        self.object_format == "sha256"
    }
}

/// git's configuration, all scopes merged, later values last.
struct Config {
    listed: Vec<u8>,
}

impl Config {
    fn read(folder: &Path) -> Result<Self> {
        // The keys that every call of ours sets are reported as set for this call, and are none of
        // those that are asked for.
        Ok(Self {
            listed: Git::at(folder)
                .args(["config", "--list", "-z", "--show-scope"])
                .output()?,
        })
    }

    /// The last entry of a key (lower case): its scope, and its value where it has one.
    fn last(&self, key: &str) -> Option<(&[u8], Option<&BStr>)> {
        let found = entries(&self.listed)
            .filter(|(_, name, _)| *name == key)
            .last();
        found.map(|(scope, _, value)| (scope, value))
    }

    fn value(&self, key: &str) -> Option<&BStr> {
        self.last(key)?.1
    }

    /// A truth value as git-config(1) words them.
    fn is_set(&self, key: &str) -> bool {
        match self.last(key) {
            None => false,
            Some((_, None)) => true,
            Some((_, Some(value))) => {
                let value = value.to_ascii_lowercase();
                [&b"true"[..], b"yes", b"on"].contains(&&value[..])
                    || value
                        .to_str()
                        .is_ok_and(|text| text.parse::<i64>().is_ok_and(|number| number != 0))
            }
        }
    }

    /// gitignore(5): `core.excludesFile`; without it `$XDG_CONFIG_HOME/git/ignore`, or
    /// `$HOME/.config/git/ignore` where that variable is unset or empty.
    fn personal(&self, top: &Path) -> Result<Option<Personal>> {
        let shown: BString = match self.value("core.excludesfile") {
            Some(value) if value.is_empty() => return Ok(None),
            // `~` and its kin are git's to expand.
            Some(value)
                if value.starts_with(b"~")
                    || value.starts_with(b"%")
                    || value.starts_with(b":") =>
            {
                let path = Git::at(top)
                    .args(["config", "--type=path", "-z", "core.excludesFile"])
                    .output()?;
                path.trim_end_with(|c| c == '\0').into()
            }
            Some(value) => value.into(),
            None => {
                let set = |name| std::env::var_os(name).filter(|value| !value.is_empty());
                let base = set("XDG_CONFIG_HOME").map(PathBuf::from);
                let Some(base) = base.or_else(|| Some(PathBuf::from(set("HOME")?).join(".config")))
                else {
                    return Ok(None);
                };
                redshank_files::path_bytes(&base.join("git").join("ignore"))
                    .into_owned()
                    .into()
            }
        };
        let path = top.join(shown.to_path_lossy());
        let by_repository = self
            .last("core.excludesfile")
            .is_some_and(|(scope, _)| !is_persons(scope));
        Ok(Some(Personal {
            shown,
            path,
            by_repository,
        }))
    }
}
