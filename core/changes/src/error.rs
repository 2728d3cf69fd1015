use bstr::BString;
use redshank_git::Operation;
use redshank_rules::RepoPathBuf;
use std::path::PathBuf;

/// All that can keep this layer from doing what it was asked. Each says what and where.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    /// From a layer below.
    #[error(transparent)]
    Worktree(#[from] redshank_worktree::Error),
    /// From a layer below.
    #[error(transparent)]
    Templates(#[from] redshank_templates::Error),
    /// From a layer below.
    #[error(transparent)]
    Findings(#[from] redshank_findings::Error),
    /// An error of the git layer.
    #[error(transparent)]
    Git(#[from] redshank_git::Error),
    /// A table that comes with the program can't be used.
    #[error(transparent)]
    Table(#[from] redshank_tables::TableError),
    /// Large-file storage is asked for where no program for it is set up.
    #[error("large-file storage is not set up here")]
    NoStorage,
    /// There is no such change to undo.
    #[error("there is no change {0} to undo")]
    NoChange(u32),
    /// A later change is in the way.
    #[error(
        "change {number} can't be undone before change {later} (`{command}`): both touch {path}"
    )]
    ChangedLater {
        /// The change that was to be undone.
        number: u32,
        /// Number of the later change.
        later: u32,
        /// Command that made the change, as in the journal.
        command: String,
        /// Path relative to the repository's top.
        path: BString,
    },
    /// What is asked for is only possible for tracked files.
    #[error("{path} is not tracked")]
    NotTracked {
        /// Path relative to the repository's top.
        path: BString,
    },
    /// The person has no place for a file of their own.
    #[error(
        "there is no place for your own ignore file: HOME is not set, or core.excludesFile is empty"
    )]
    NoPersonalFile,
    /// git knows no author for a commit.
    #[error("git doesn't know who you are, and would not commit")]
    NoAuthor,
    /// Nothing of a policy is where it is said to be.
    #[error("{0} has no policy: neither `policy.toml` nor a template in `templates/`")]
    NoPolicy(String),
    /// A plain folder is asked for one of its revisions.
    #[error("{0} is a folder without revisions")]
    PolicyWithoutRevisions(PathBuf),
    /// An address has a password in it.
    #[error("the address has a password in it, which everybody would read in the settings")]
    PolicyPassword,
    /// The repository names no policy.
    #[error("no policy is named here")]
    NoPolicyNamed,
    /// Something is in the place of a copy.
    #[error("{0} is there already")]
    ExportTaken(PathBuf),
    /// A copy would be in the repository that it is of.
    #[error("{0} is in this repository")]
    ExportInside(PathBuf),
    /// A person's own attributes aren't written.
    #[error("your own attributes (core.attributesFile) are not edited here")]
    PersonalAttributes,
    /// A repository's configuration names a file as the person's own.
    #[error(
        "this repository's own configuration says that {0} holds your rules (core.excludesFile), \
         so nothing is written there"
    )]
    NotYourFile(PathBuf),
    /// There is nothing in the journal.
    #[error("there is nothing to undo here")]
    NothingToUndo,
    /// A record of the journal can't be understood.
    #[error("{path}: {said}")]
    BadJournal {
        /// Absolute path of the file or folder.
        path: PathBuf,
        /// What the parser or the system reported.
        said: String,
    },
    /// What is kept of earlier runs can't be understood.
    #[error("{path}: {said}")]
    BadRuns {
        /// Absolute path of the file or folder.
        path: PathBuf,
        /// What the parser or the system reported.
        said: String,
    },
    /// Something is not any more what it was when a change was decided.
    #[error("{path} was changed by somebody else meanwhile, so nothing was changed")]
    ChangedMeanwhile {
        /// Absolute path of the file or folder.
        path: PathBuf,
    },
    /// What was kept of a file is not what it was.
    #[error("{path} can't be undone: {saved} is not what was kept there; nothing was changed")]
    NotKept {
        /// Absolute path of the file or folder.
        path: PathBuf,
        /// Where it was kept.
        saved: PathBuf,
    },
    /// A path that no change may name.
    #[error("{path} is no place that a change may touch; nothing was changed")]
    NotInArea {
        /// Path relative to the repository's top.
        path: BString,
    },
    /// git would wait forever to read a file.
    #[error("{0} is not a regular file, and git would wait forever to read it")]
    Endless(PathBuf),
    /// The folder for rehearsals can be entered by others.
    #[error("{0} isn't private to you, so no clone is created there")]
    NotPrivate(PathBuf),
    /// git's hooks are kept where other repositories use them, too.
    #[error(
        "git takes its hooks from {folder}, outside this repository (core.hooksPath), \
         where nothing is written"
    )]
    HooksElsewhere {
        /// The folder, an absolute path.
        folder: PathBuf,
    },
    /// Something that was to be moved away holds what nothing makes again.
    #[error("{path} stays where it is: {because}; nothing was changed")]
    NotMoved {
        /// The file or folder.
        path: BString,
        /// The reason; `app/text` has its sentence.
        because: crate::Obstacle,
    },
    /// All that could be undone was made by somebody else.
    #[error(
        "there is nothing of yours to undo here; change {number} is not sealed with your key: \
         somebody else made it, or you did on another machine"
    )]
    OnlyForeign {
        /// Number of the change in the journal, from 1.
        number: u32,
    },
    /// Somebody else's record names more than the working tree.
    #[error(
        "change {number} is not sealed with your key, and it touches more than the working \
         tree, so it is not undone"
    )]
    ForeignRecord {
        /// Number of the change in the journal, from 1.
        number: u32,
    },
    /// What was written has been changed since.
    #[error(
        "files were changed after change {number}, so undo would lose that; nothing was changed"
    )]
    ChangedSince {
        /// Number of the change in the journal, from 1.
        number: u32,
        /// The files that somebody changed since.
        files: Vec<EditedSince>,
    },
    /// A change was killed on its way, and somebody changed what it touches since.
    #[error(
        "change {number} (`{command}`) was cut short, and files that it touches were changed since"
    )]
    CutShortAndEdited {
        /// Number of the change in the journal, from 1.
        number: u32,
        /// Command that made the change, as in the journal.
        command: String,
        /// The files that somebody changed since.
        files: Vec<EditedSince>,
    },
    /// A change was killed on its way.
    #[error("change {number} (`{command}`) was cut short, and what it had done is still there")]
    CutShort {
        /// Number of the change in the journal, from 1.
        number: u32,
        /// Command that made the change, as in the journal.
        command: String,
    },
    /// A change could neither be made nor undone.
    #[error("{error}\n  change {number} was begun and could not be undone: {also}")]
    HalfDone {
        /// Number of the change in the journal, from 1.
        number: u32,
        /// Why the change could not be made.
        error: String,
        /// What went wrong on the way back.
        also: String,
    },
    /// What is to be moved is on another disk than the journal.
    #[error(
        "{0} is on another disk than the git folder, so it can't be moved away in one step; \
         nothing was changed"
    )]
    OtherDisk(PathBuf),
    /// Another git changed the index at the same time.
    #[error("another git changed the index in the same moment; nothing was changed")]
    IndexMoved,
    /// git is in the middle of something that touches the same.
    #[error("{operation} is not finished, and touches {path}; nothing was changed")]
    Unfinished {
        /// What git is doing.
        operation: Operation,
        /// One path that both touch.
        path: BString,
    },
    /// Outside a repository nothing can be undone.
    #[error("outside a repository lines can only be added, to one file at the top")]
    OnlyAdding,
    /// A plan would change a path that none of its findings is about.
    #[error("the plan would change {path}, which none of its findings is about; it is not offered")]
    PlanTooWide {
        /// Path relative to the repository's top.
        path: RepoPathBuf,
    },
    /// A merge is not decided.
    #[error("{path} is in conflict: a merge is not finished; nothing was changed")]
    Conflicted {
        /// One path of it.
        path: BString,
    },
}

/// A file that somebody changed after a change of ours.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct EditedSince {
    /// Absolute path of the file or folder.
    pub path: PathBuf,
    /// Where its earlier contents are kept; nothing if it was not there before.
    pub kept: Option<PathBuf>,
}

/// What the calls of this layer give.
pub type Result<T, E = Error> = std::result::Result<T, E>;
