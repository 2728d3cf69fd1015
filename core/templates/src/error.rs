use crate::Fault;
use redshank_rules::RepoPathBuf;
use std::path::PathBuf;

/// All that can keep this layer from doing what it was asked. Each says what and where.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    /// From the layer below.
    #[error(transparent)]
    Worktree(#[from] redshank_worktree::Error),
    /// A template of the repository is somewhere else.
    #[error("{0} is a symbolic link: a repository's templates must be inside it")]
    TemplateLink(PathBuf),
    /// Templates come with each other in a circle.
    #[error("template `{name}`: `with` leads in a circle: `{}`", circle.join("` → `"))]
    Circle {
        /// The name, as it is written.
        name: String,
        /// All of them, in order; the first one is the last one, too.
        circle: Vec<String>,
    },
    /// A template contradicts itself, or doesn't mean what it says.
    #[error("{path}, line {line}: the template is not valid")]
    Invalid {
        /// Absolute path of the file or folder.
        path: PathBuf,
        /// Line number, from 1.
        line: usize,
        /// What is wrong with the template.
        fault: Box<Fault>,
    },
    /// Nobody knows a template of that name.
    #[error("there is no template `{name}`")]
    NoTemplate {
        /// The name asked for.
        name: String,
        /// The name most like it.
        near: String,
    },
    /// No template has a variant of that name.
    #[error("there is no variant `{name}`")]
    NoVariant {
        /// The variant asked for.
        name: String,
        /// The one most like it.
        near: String,
    },
    /// A folder named by the person is not there.
    #[error("{folder} is not a folder of {top}")]
    NoFolder {
        /// The folder asked for.
        folder: RepoPathBuf,
        /// Absolute path of the file or folder.
        top: PathBuf,
    },
    /// A template that comes with the program is not in the format.
    #[error("a template of the program itself is not in the format")]
    Packed(#[source] serde_json::Error),
    /// No home folder is known.
    #[error("no home folder is known")]
    NoHome,
}

/// What the calls of this layer give.
pub type Result<T, E = Error> = std::result::Result<T, E>;
