use std::path::PathBuf;

/// What can go wrong between us and git.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    /// The program `git` could not be started.
    #[error("git could not be started: {0}")]
    NotStarted(std::io::Error),
    /// git ended with an error.
    #[error("git refused `{command}`: {said}")]
    Refused {
        /// The words of the command.
        command: String,
        /// What git wrote on its standard error.
        said: String,
    },
    /// git is older than what is asked of it.
    #[error("this git is too old: version {found}, and {needed} is needed")]
    TooOld {
        /// Version that this git reports.
        found: String,
        /// The oldest that will do.
        needed: String,
    },
    /// There is no remote of that name, or none that a push would go to.
    #[error("{}", no_remote(named.as_deref(), remotes))]
    NoRemote {
        /// What was named.
        named: Option<String>,
        /// The remotes that there are.
        remotes: Vec<String>,
    },
    /// No branch is checked out, and none was named.
    #[error("no branch is checked out, so git wouldn't know where to push")]
    NoBranch,
    /// Something names no commit.
    #[error("{0} names no commit")]
    NoCommit(String),
    /// git was killed on the way.
    #[error("`{command}` was killed by signal {signal}")]
    Killed {
        /// The words of the command.
        command: String,
        /// The signal's number (signal(7)).
        signal: i32,
    },
    /// A repository without files to look at.
    #[error("{0} is a bare repository or a git folder: there are no files to look at")]
    NoWorkTree(PathBuf),
    /// The repository's configuration says that its files are elsewhere.
    #[error(
        "{git_folder} says that its working tree is {top}, which isn't where it is \
         (core.worktree)"
    )]
    TopElsewhere {
        /// The folder that it names.
        top: PathBuf,
        /// Absolute path of the file or folder.
        git_folder: PathBuf,
    },
    /// git would wait forever to read one of its own files.
    #[error("{0} is no regular file, and git can't read it")]
    Endless(PathBuf),
    /// A copy without history isn't what was to be copied.
    #[error("{0} doesn't hold the same as the next commit")]
    ExportDiffers(PathBuf),
    /// The folder to start from is not there.
    #[error("{path}: {cause}")]
    NoFolder {
        /// The folder asked for.
        path: PathBuf,
        /// What the system said.
        cause: std::io::Error,
    },
    /// The index could not be read.
    #[error("{path}: git's index cannot be read: {said}")]
    BadIndex {
        /// Absolute path of the file or folder.
        path: PathBuf,
        /// What the parser or the system reported.
        said: String,
    },
    /// Somebody else holds the index.
    #[error("{0} exists: another git is at work, or one was killed")]
    Locked(PathBuf),
    /// The disk said no.
    #[error("{path}: {cause}")]
    Disk {
        /// Absolute path of the file or folder.
        path: PathBuf,
        /// What the system said.
        cause: std::io::Error,
    },
}

fn no_remote(named: Option<&str>, remotes: &[String]) -> String {
    match (named, remotes) {
        (_, []) => "there is no remote to push to".to_owned(),
        (Some(named), remotes) => {
            format!(
                "{named} is no remote of this repository; there is {}",
                remotes.join(", ")
            )
        }
        (None, remotes) => format!(
            "several remotes, and none is the usual one: {}",
            remotes.join(", ")
        ),
    }
}
