use std::path::PathBuf;

/// All that can keep the core from doing what it was asked. Each says what, where, and what to do.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    /// From git.
    #[error(transparent)]
    Git(#[from] redshank_git::Error),
    /// A file could not be read or written.
    #[error("{path}: {source}")]
    Disk {
        /// Which.
        path: PathBuf,
        /// What the system said.
        source: std::io::Error,
    },
}

/// What the calls of the core give.
pub type Result<T, E = Error> = std::result::Result<T, E>;
