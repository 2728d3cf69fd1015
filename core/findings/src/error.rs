/// All that can keep this layer from doing what it was asked. Each says what and where.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    /// From a layer below.
    #[error(transparent)]
    Worktree(#[from] redshank_worktree::Error),
    /// From a layer below.
    #[error(transparent)]
    Templates(#[from] redshank_templates::Error),
    /// An error of the git layer.
    #[error(transparent)]
    Git(#[from] redshank_git::Error),
    /// A table that comes with the program can't be used.
    #[error(transparent)]
    Table(#[from] redshank_tables::TableError),
}

/// What the calls of this layer give.
pub type Result<T, E = Error> = std::result::Result<T, E>;
