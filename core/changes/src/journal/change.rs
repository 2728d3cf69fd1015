//! What is to be changed, and what was there when that was decided.

use crate::{Error, Result};
use bstr::{BStr, BString, ByteSlice};
use redshank_files::{FileKind, Root};
use redshank_worktree::Worktree;
use serde::{Deserialize, Serialize};

/// Changes to be made together.
#[derive(Debug, Default, Clone, PartialEq, Eq)]
pub struct Changes {
    /// Files to write or to take away.
    pub files: Vec<FileChange>,
    /// Files and folders to move out of the way, into the journal; a folder ends in a slash.
    pub moved: Vec<BString>,
    /// Paths to take out of git's index.
    pub untracked: Vec<BString>,
    /// Files whose permissions change, and nothing else of them.
    pub modes: Vec<ModeChange>,
}

/// Other permissions for a file of the working tree.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ModeChange {
    /// Relative to the top.
    pub path: BString,
    /// As they were when the change was decided, as chmod(2) takes them.
    pub before: u32,
    /// As they are to be.
    pub after: u32,
}

impl Changes {
    /// Changes that only write files.
    pub fn of_files(files: Vec<FileChange>) -> Self {
        Self {
            files,
            ..Self::default()
        }
    }

    /// Whether there is nothing to do.
    pub fn is_empty(&self) -> bool {
        self.paths().next().is_none()
    }

    /// The paths that they touch, on disk or in the index.
    pub fn paths(&self) -> impl Iterator<Item = &BString> {
        self.files
            .iter()
            .map(|file| &file.path)
            .chain(&self.moved)
            .chain(&self.untracked)
            .chain(self.modes.iter().map(|mode| &mode.path))
    }
}

/// One file to be written, or taken away.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FileChange {
    /// Where its path starts.
    pub area: Area,
    /// Relative to the area; of a person's own file, absolute.
    pub path: BString,
    /// What it held when the change was decided. If it holds something else by now, nothing is
    /// changed.
    pub before: Content,
    /// What it is to hold.
    pub after: Content,
    /// Permissions, as stat(2) has them.
    pub mode: Mode,
}

/// The permissions that a written file gets.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mode {
    /// Those that it had; of a new file, what the person's mask leaves.
    AsItWas,
    /// The same, and it can be run.
    Executable,
    /// These bits, as chmod(2) takes them.
    Exactly(u32),
}

impl FileChange {
    /// A file of the working tree, from what it held (nothing if it wasn't there) to what it is to
    /// hold.
    pub fn new(path: BString, before: Option<Vec<u8>>, after: Vec<u8>) -> Self {
        let before = before.map_or(Content::Nothing, Content::File);
        Self {
            area: Area::Worktree,
            path,
            before,
            after: Content::File(after),
            mode: Mode::AsItWas,
        }
    }
}

/// What is at a path.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Content {
    /// Nothing.
    Nothing,
    /// A regular file that holds this.
    File(Vec<u8>),
    /// A symbolic link to there.
    Link(BString),
}

/// No file that is written is larger than this, in bytes; git reads no larger ignore file.
const LARGEST: u64 = 100 << 20;

impl Content {
    /// What is at a path now.
    ///
    /// # Errors
    /// If it can't be read, or is neither a file nor a link.
    pub(crate) fn at(root: &Root, path: &BStr) -> std::io::Result<Self> {
        match root.meta_if_there(path)?.map(|meta| meta.kind) {
            None => Ok(Self::Nothing),
            Some(FileKind::Link) => Ok(Self::Link(root.link_target(path)?)),
            Some(_) => Ok(Self::File(root.read(path, LARGEST)?)),
        }
    }

    /// A hash by which it is known again.
    pub(super) fn digest(&self) -> Digest {
        match self {
            Self::Nothing => Digest("nothing".to_owned()),
            Self::File(bytes) => Digest(hash(bytes)),
            Self::Link(target) => Digest(format!("link {}", hash(target))),
        }
    }
}

/// A hash of what is somewhere.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(transparent)]
pub(super) struct Digest(String);

impl Digest {
    pub(super) fn is_nothing(&self) -> bool {
        *self == Content::Nothing.digest()
    }
}

pub(super) fn hash(bytes: &[u8]) -> String {
    blake3::hash(bytes).to_hex().to_string()
}

/// Where the path of a change starts, and so what it may name.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Area {
    /// The top of the working tree; nothing in a `.git`.
    Worktree,
    /// The git folder that all working trees share; its exclude file and its hooks.
    Git,
    /// The person's own ignore file, and nothing else.
    Personal,
}

impl Area {
    /// The folder that paths of this area are opened beneath, and the path from there.
    ///
    /// # Errors
    /// If the area has no such path, or its folder can't be opened.
    pub(super) fn open(self, worktree: &Worktree, path: &BStr) -> Result<(Root, BString)> {
        let not_here = || Error::NotInArea {
            path: path.to_owned(),
        };
        match (self, &worktree.repository) {
            (Self::Worktree, _) if !path.split_str("/").any(names_a_git_folder) => {
                Ok((worktree.root.clone(), path.to_owned()))
            }
            (Self::Git, Some(repository)) => {
                let hook = path
                    .strip_prefix(b"hooks/")
                    .is_some_and(|name| !name.contains(&b'/'));
                let is_of_clone = path == "info/exclude" || path == "info/attributes";
                if !is_of_clone && !hook {
                    return Err(not_here());
                }
                let folder = &repository.common_folder;
                Ok((
                    Root::open(folder).map_err(crate::disk::io_error_at(folder))?,
                    path.to_owned(),
                ))
            }
            (Self::Personal, _) => {
                let own = worktree
                    .personal()
                    .filter(|own| !own.by_repository)
                    .ok_or_else(not_here)?;
                if redshank_files::path_bytes(&own.path).as_ref() != path.as_bytes() {
                    return Err(not_here());
                }
                // Many people keep such files elsewhere and link to them: the file is theirs,
                // wherever it is.
                let file =
                    redshank_files::canonical(&own.path).unwrap_or_else(|_| own.path.clone());
                let folder = file.parent().ok_or_else(not_here)?;
                redshank_files::create_own_folder(folder)
                    .map_err(crate::disk::io_error_at(folder))?;
                let name = redshank_files::path_bytes(std::path::Path::new(
                    file.file_name().ok_or_else(not_here)?,
                ));
                Ok((
                    Root::open(folder).map_err(crate::disk::io_error_at(folder))?,
                    name.into_owned().into(),
                ))
            }
            _ => Err(not_here()),
        }
    }
}

impl Area {
    /// What a file of this area holds, if it is there.
    ///
    /// # Errors
    /// If it can't be read, or the area has no such path.
    pub(crate) fn read(self, worktree: &Worktree, path: &BStr) -> Result<Option<Vec<u8>>> {
        let (root, path) = self.open(worktree, path)?;
        let shown = root.path().join(path.to_path_lossy());
        root.read_if_there(path.as_bstr(), LARGEST)
            .map_err(crate::disk::io_error_at(&shown))
    }
}

/// Whether a part of a path is git's own folder, or is taken for it on some disk (git-config(1),
/// `core.protectNTFS`).
fn names_a_git_folder(part: &[u8]) -> bool {
    let part = part.trim_end_with(|c| c == '.' || c == ' ');
    part.eq_ignore_ascii_case(b".git") || part.eq_ignore_ascii_case(b"git~1")
}
