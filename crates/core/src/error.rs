use crate::shell::quoted;
use bstr::{BString, ByteSlice};
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
        "{path} is not tracked, so there are no changes to hide\n  to keep it out of commits, add a rule: `redshank add --like {}`",
        quoted(path.as_bstr())
    )]
    NotTracked {
        /// Which.
        path: BString,
    },
    /// Nobody knows a template of that name.
    #[error(
        "there is no template `{name}`\n  did you mean `{near}`? `redshank templates` lists them all"
    )]
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
    /// A repository's configuration names a file as the person's own.
    #[error(
        "this repository's own configuration says that {0} holds your rules (core.excludesFile), so nothing is written there\n  take that setting out of the repository first"
    )]
    NotYourFile(PathBuf),
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
    #[error(
        "{path}: {said}\n  no record that this version wrote; the copies beside it are as they were, and nothing was changed"
    )]
    BadJournal {
        /// The record.
        path: PathBuf,
        /// Why.
        said: String,
    },
    /// Something is not any more what it was when a change was decided.
    #[error("{path} was changed by somebody else meanwhile, so nothing was changed\n  try again")]
    ChangedMeanwhile {
        /// Which.
        path: PathBuf,
    },
    /// What was kept of a file is not what it was.
    #[error("{path} can't be taken back: {saved} is not what was kept there; nothing was changed")]
    NotKept {
        /// The file.
        path: PathBuf,
        /// Where it was kept.
        saved: PathBuf,
    },
    /// A path that no change may name.
    #[error("{path} is no place that a change may touch; nothing was changed")]
    NotInArea {
        /// Which.
        path: BString,
    },
    /// git would wait for ever to read a file.
    #[error(
        "{0} is no regular file, and git would wait for ever to read it\n  put a regular file in its place, or take it away"
    )]
    Endless(PathBuf),
    /// The folder for rehearsals can be entered by others.
    #[error(
        "{0} isn't yours alone, so no clone is laid out there\n  name another folder for temporary files with TMPDIR"
    )]
    NotPrivate(PathBuf),
    /// git's hooks are kept where other repositories use them, too.
    #[error(
        "git takes its hooks from {folder}, outside this repository (core.hooksPath), where nothing is written\n  to have commits checked, add this line to the pre-commit hook there: redshank check --staged"
    )]
    HooksElsewhere {
        /// The folder.
        folder: PathBuf,
    },
    /// Something that was to be moved away holds what nothing makes again.
    #[error(
        "{path} stays where it is: {because}; nothing was changed\n  leave it out with `--skip`, or go on without `--remove`"
    )]
    NotMoved {
        /// The file or folder.
        path: BString,
        /// Why.
        because: String,
    },
    /// All that could be taken back was made by somebody else.
    #[error(
        "there is nothing of yours to undo here; change {number} is not sealed with your key: somebody else made it, or you did on another machine\n  `redshank undo {number}` takes it back all the same, `redshank undo --forget {number}` deletes its record"
    )]
    OnlyForeign {
        /// The newest one.
        number: u32,
    },
    /// Somebody else's record names more than the working tree.
    #[error(
        "change {number} is not sealed with your key, and it touches more than the working tree, so it is not taken back\n  `redshank undo --forget {number}` deletes its record"
    )]
    ForeignRecord {
        /// Its number.
        number: u32,
    },
    /// What was written has been changed since.
    #[error(
        "files were changed after change {number}, so undo would lose that; nothing was changed{}\n  `redshank undo {number} --keep-mine` leaves those as they are and takes back the rest\n  `redshank undo {number} --replace` brings back what they held",
        list(.files)
    )]
    ChangedSince {
        /// The change.
        number: u32,
        /// The files, and where their earlier contents are kept.
        files: Vec<(PathBuf, Option<PathBuf>)>,
    },
    /// A change was killed on its way, and somebody changed what it touches since.
    #[error(
        "change {number} (`{command}`) was cut short, and files that it touches were changed since{}\n  `redshank undo {number} --keep-mine` leaves those as they are and takes back the rest\n  `redshank undo {number} --replace` brings back what they held\n  `redshank undo --forget {number}` leaves all as it is",
        list(.files)
    )]
    CutShortAndEdited {
        /// Its number.
        number: u32,
        /// Its command.
        command: String,
        /// The files, and where their earlier contents are kept.
        files: Vec<(PathBuf, Option<PathBuf>)>,
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
    #[error(
        "{path} is in conflict: a merge is not finished\n  decide it with git first; nothing was changed"
    )]
    Conflicted {
        /// One path of it.
        path: BString,
    },
}

/// Files that were changed since, a line each.
fn list(files: &[(PathBuf, Option<PathBuf>)]) -> String {
    let line = |(path, saved): &(PathBuf, Option<PathBuf>)| match saved {
        Some(saved) => format!(
            "\n  {}: what it held before is in {}",
            path.display(),
            saved.display()
        ),
        None => format!("\n  {}: it was not there before", path.display()),
    };
    files.iter().map(line).collect()
}

/// What the calls of the core give.
pub type Result<T, E = Error> = std::result::Result<T, E>;
