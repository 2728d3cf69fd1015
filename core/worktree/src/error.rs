use std::path::{Path, PathBuf};

/// All that can keep this layer from doing what it was asked. Each says what and where.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    /// An error of the git layer.
    #[error(transparent)]
    Git(#[from] redshank_git::Error),
    /// A file could not be read or written.
    #[error("{path}: {cause}")]
    Disk {
        /// Absolute path of the file or folder.
        path: PathBuf,
        /// What the system said.
        cause: std::io::Error,
    },
    /// A file of ours is not in the format.
    #[error("{path}, line {line}: {said}")]
    Malformed {
        /// Absolute path of the file or folder.
        path: PathBuf,
        /// Line number, from 1.
        line: usize,
        /// What was found, and what was expected.
        said: String,
        /// The word that may have been meant.
        near: Option<String>,
    },
    /// The settings hold something in a form that can't be added to.
    #[error("{path}: `{key}` is written inline, so nothing can be added to it")]
    NotExtensible {
        /// Absolute path of the file or folder.
        path: PathBuf,
        /// What can't be added to.
        key: &'static str,
    },
    /// A file of ours is not UTF-8.
    #[error("{path}, line {line}: it is not UTF-8")]
    NotUtf8 {
        /// Absolute path of the file or folder.
        path: PathBuf,
        /// Line number, from 1.
        line: usize,
    },
    /// An ignore file that git does not read.
    #[error(
        "{0} is not a regular file: git reads no rules through a symbolic link or from a folder"
    )]
    NotAFile(PathBuf),
    /// An ignore file in an encoding that git does not read.
    #[error("{0} is UTF-16: git reads no rules from it")]
    Utf16(PathBuf),
    /// A file of a policy is somewhere else.
    #[error("{0} is a symbolic link: a policy's files must be inside it")]
    PolicyLink(PathBuf),
    /// Something needs a repository.
    #[error("{top} is not a repository yet")]
    NoRepository {
        /// Absolute path of the file or folder.
        top: PathBuf,
        /// What can't be done without.
        purpose: Purpose,
    },
}

/// What a repository is needed for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Purpose {
    /// Rules of this clone alone.
    CloneRules,
    /// What is staged.
    Staged,
    /// The journal.
    Journal,
    /// The check before commits.
    Hook,
    /// Hidden changes to tracked files.
    HiddenChanges,
    /// The next commit.
    NextCommit,
    /// Earlier commits.
    History,
    /// Attributes of paths.
    Attributes,
}

/// What the calls of this layer give.
pub type Result<T, E = Error> = std::result::Result<T, E>;

/// What the disk said of a path, as an error.
pub fn io_error_at(path: &Path) -> impl FnOnce(std::io::Error) -> Error + use<> {
    let path = path.to_owned();
    move |cause| Error::Disk { path, cause }
}
