use bstr::BString;
use std::path::PathBuf;

/// All that can keep the core from doing what it was asked. Each says what, where, and what to do.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    /// From git.
    #[error(transparent)]
    Git(#[from] redshank_git::Error),
    /// A file could not be read or written.
    #[error("{path}: {cause}")]
    Disk {
        /// Which.
        path: PathBuf,
        /// What the system said.
        cause: std::io::Error,
    },
    /// A file of ours is not in the format.
    #[error("{path}, line {line}: {said}")]
    Malformed {
        /// The file.
        path: PathBuf,
        /// From 1.
        line: usize,
        /// What was found, and what was expected.
        said: String,
    },
    /// A template of the repository is somewhere else.
    #[error(
        "{0} is a link: a repository's templates may not lie elsewhere\n  put the real file or folder in its place"
    )]
    TemplateLink(PathBuf),
    /// A template can't be used.
    #[error("template `{name}`: {said}")]
    Template {
        /// Its name.
        name: String,
        /// Why, and what to do.
        said: String,
    },
    /// The table of credential formats can't be used.
    #[error("the table of credential formats: {0}")]
    Formats(String),
    /// There is no such change to take back.
    #[error("there is no change {0} to take back\n  `redshank undo --list` shows those there are")]
    NoChange(u32),
    /// A later change stands in the way.
    #[error(
        "change {number} can't be taken back before change {later} (`{command}`): both touch {path}\n  take that one back first: `redshank undo {later}`"
    )]
    ChangedLater {
        /// The change that was to be taken back.
        number: u32,
        /// The later one.
        later: u32,
        /// Its command.
        command: String,
        /// What both touch.
        path: BString,
    },
    /// Only tracked files have changes to hide.
    #[error(
        "{path} is not tracked, so there are no changes to hide\n  to keep it out of commits, add a rule: `redshank add --like {path}`"
    )]
    NotTracked {
        /// Which.
        path: BString,
    },
    /// Nobody knows a template of that name.
    #[error("there is no template `{name}`\n  did you mean `{near}`? `redshank templates` lists them all")]
    NoTemplate {
        /// The name asked for.
        name: String,
        /// The name most like it.
        near: String,
    },
    /// No template has a variant of that name.
    #[error(
        "there is no variant `{name}`\n  did you mean `{near}`? `redshank templates show NAME` lists a template's variants"
    )]
    NoVariant {
        /// The variant asked for.
        name: String,
        /// The one most like it.
        near: String,
    },
    /// A folder named by the user is not there.
    #[error("{folder} is not a folder of this place\n  name one that exists, relative to {top}")]
    NoFolder {
        /// The folder asked for.
        folder: BString,
        /// The top.
        top: PathBuf,
    },
    /// An ignore file that git does not read.
    #[error(
        "{0} is not a regular file: git reads no rules through a link or from a folder\n  put a regular file in its place"
    )]
    NotAFile(PathBuf),
    /// An ignore file in an encoding that git does not read.
    #[error("{0} is UTF-16: git reads no rules from it\n  save it as UTF-8 first")]
    Unreadable16(PathBuf),
    /// The person has no place for a file of their own.
    #[error(
        "there is no place for your own ignore file: HOME is not set, or core.excludesFile is empty\n  set core.excludesFile with `git config --global`"
    )]
    NoPersonalFile,
    /// Something needs a repository.
    #[error("{top} is not a repository yet, and {what}\n  run `git init` there first")]
    NoRepository {
        /// The folder.
        top: PathBuf,
        /// What can't be done.
        what: &'static str,
    },
    /// There is nothing in the journal.
    #[error("there is nothing to undo here")]
    NothingToUndo,
    /// A record of the journal can't be understood.
    #[error("{path}: {said}\n  the copies beside it are as they were; nothing was changed")]
    BadJournal {
        /// The record.
        path: PathBuf,
        /// Why.
        said: String,
    },
    /// What was written has been changed since.
    #[error(
        "{path} was changed after Redshank wrote it, so undo would lose that\n  its earlier contents are safe in {saved}; nothing was changed"
    )]
    ChangedSince {
        /// The file.
        path: PathBuf,
        /// Where the copy is.
        saved: PathBuf,
    },
    /// A change was killed on its way.
    #[error(
        "change {number} (`{command}`) was cut short, and what it had done still stands\n  `redshank undo` takes it back; then try again"
    )]
    CutShort {
        /// Its number.
        number: u32,
        /// Its command.
        command: String,
    },
    /// A change could neither be made nor taken back.
    #[error(
        "{error}\n  change {number} was begun and could not be taken back: {also}\n  once that is mended, `redshank undo` takes it back; all that it replaced is safe in the journal"
    )]
    HalfDone {
        /// Its number.
        number: u32,
        /// What went wrong.
        error: String,
        /// What went wrong on the way back.
        also: String,
    },
    /// What is to be moved lies on another disk than the journal.
    #[error(
        "{0} lies on another disk than the git folder, so it can't be moved away in one step; nothing was changed\n  leave it out with `--skip`, or go on without `--remove`"
    )]
    OtherDisk(PathBuf),
    /// Another git changed the index at the same time.
    #[error("another git changed the index in the same moment; nothing was changed\n  try again")]
    IndexMoved,
    /// Something lies where a moved file or folder is to come back.
    #[error(
        "{path} is there again, so what was moved away can't come back\n  move it away or delete it first; what was there before is safe in {saved}; nothing was changed"
    )]
    InTheWay {
        /// The file or folder.
        path: PathBuf,
        /// Where the older one is.
        saved: PathBuf,
    },
    /// git is in the middle of something that touches the same.
    #[error(
        "{what} is not finished, and touches {path}\n  finish it or give it up with git first; nothing was changed"
    )]
    Unfinished {
        /// What git is doing.
        what: &'static str,
        /// One path that both touch.
        path: BString,
    },
    /// A merge is not decided.
    #[error("{path} is in conflict: a merge is not finished\n  decide it with git first; nothing was changed")]
    Conflicted {
        /// One path of it.
        path: BString,
    },
}

/// What the calls of the core give.
pub type Result<T, E = Error> = std::result::Result<T, E>;
