//! What a finding is: plain data, of which the program makes sentences.

use bstr::BString;
use jiff::civil::Date;
use redshank_origin::Judgement;
use redshank_rules::Ruling;
use redshank_rules::ignore_file::NewRule;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_secrets::Downgrade;
use redshank_worktree::attributes::AttributeUsage;
use redshank_worktree::size::Bytes;
use redshank_worktree::tree::{Entry, State};
use redshank_worktree::usage::{RuleStatus, StrayReason};
use redshank_worktree::{Class, FileStats};
use serde::{Deserialize, Serialize};
use std::fmt;

/// How bad it is, the worst first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub enum Level {
    /// Don't commit before it's dealt with.
    Error,
    /// It doesn't belong.
    Warning,
    /// Worth knowing.
    Note,
}

impl Level {
    /// All levels, the worst first.
    pub const ALL: [Self; 3] = [Self::Error, Self::Warning, Self::Note];

    /// The word for it in documents and messages.
    pub fn word(self) -> &'static str {
        match self {
            Self::Error => "error",
            Self::Warning => "warning",
            Self::Note => "note",
        }
    }
}

impl fmt::Display for Level {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.word())
    }
}

/// How far a file got.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub enum Exposure {
    /// Only on this disk.
    Disk,
    /// In the index.
    Staged,
    /// In a commit.
    Committed,
    /// In a commit that another machine has.
    Pushed,
}

/// Which finder's which rule found it: `class/name`.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct FindingRule {
    /// Class of what is wrong.
    pub class: Class,
    /// The rest of the name.
    pub name: String,
}

impl fmt::Display for FindingRule {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}/{}", self.class, self.name)
    }
}

/// What a finding is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Cause {
    /// What a row of a table, or a template, says in a sentence of its own.
    Said(String),
    /// A credential, in its issuer's word; and why it is a note, if it is one.
    Credential {
        /// What it is, in a few words.
        title: String,
        /// Why it hurts less than others.
        downgrade: Option<Downgrade>,
        /// Where it is undone and made again, in its issuer's words.
        replace: Option<&'static str>,
    },
    /// The same of a folder, in whose place a symbolic link lies, which a rule for folders misses.
    LinkForFolder(String),
    /// A path of one person's machine.
    MachinePath,
    /// A path of somebody's home folder, which has their name.
    HomePath,
    /// An address inside a network, which says how it is built.
    InternalHost {
        /// The host, as it is written.
        host: String,
    },
    /// Nothing says what others may do with it.
    NoLicence,
    /// Others' work, without the licence that it came with.
    CopyWithoutLicence,
    /// Commits name an address that reaches nobody, or that a machine made up.
    OddAddress {
        /// Name and address.
        who: redshank_git::Author,
        /// How many commits.
        commits: u64,
    },
    /// Whom commits name.
    People {
        /// Some names with their addresses.
        who: Vec<String>,
        /// How many there are.
        all: usize,
    },
    /// A tool made it, fetched it or left it, by what is known of it.
    Origin(Judgement),
    /// A file has no companion beside it.
    CompanionMissing {
        /// What the companion's name ends in.
        extension: String,
        /// What breaks without it.
        reason: String,
    },
    /// A companion has nothing beside it.
    CompanionAlone {
        /// What its name ends in.
        extension: String,
    },
    /// git is set not to look for changes to it.
    HiddenChanges,
    /// A symbolic link to a place on this machine.
    AbsoluteLink,
    /// A symbolic link to what is outside the repository.
    LinkOutside,
    /// A symbolic link to what isn't there.
    BrokenLink,
    /// A symbolic link to what a rule ignores.
    LinkToIgnored,
    /// A name that some systems can't hold.
    UnportableName(NameFault),
    /// A path that is the same as another one where upper and lower case are the same.
    CaseClash {
        /// Path relative to the repository's top.
        first: RepoPathBuf,
    },
    /// A path that is the same as another one in Unicode's composed form.
    FormClash {
        /// Path relative to the repository's top.
        first: RepoPathBuf,
    },
    /// The repository is somebody's home folder.
    HomeRepository,
    /// Everything is in one folder, which is a project; the repository begins a level above.
    TopTooHigh,
    /// An ignore file is right above the repository, where git doesn't read it.
    RulesTooHigh,
    /// The repository follows a policy, and has no copy of it.
    PolicyMissing {
        /// Where it comes from.
        from: String,
    },
    /// The copy is of another policy, or of another revision, than the settings name.
    PolicyOther {
        /// Where the copy comes from.
        from: String,
    },
    /// Somebody changed the copy of a policy.
    PolicyChanged,
    /// A block was written from an earlier revision of a policy's template.
    BehindPolicy {
        /// Label of the block, as in its first mark.
        label: String,
        /// The policy's revision, in a few letters.
        revision: String,
    },
    /// A path longer than some systems take, in characters.
    LongPath(usize),
    /// A byte-order mark before the `#!` of a script.
    MarkBeforeScript,
    /// A script that another file runs by its path, and that may not be run.
    NotExecutable {
        /// The file that runs it.
        by: RepoPathBuf,
    },
    /// Nothing that could be run, and it may be.
    NeedlesslyExecutable,
    /// A rule ignores it, but it's needed.
    Swallowed {
        /// What breaks without it.
        reason: String,
    },
    /// A rule ignores it that covers what tools make, and somebody wrote what is there.
    WorkKeptOut,
    /// A repository of its own.
    NestedRepository,
    /// A submodule at a commit that no remote of its has.
    SubmoduleUnpushed {
        /// The commit's name.
        commit: String,
    },
    /// A submodule whose address is a place on this machine.
    SubmoduleHere {
        /// The address, as `.gitmodules` has it.
        address: String,
    },
    /// A file over the limit.
    TooLarge {
        /// What kind of file it is, where that is known.
        kind: Option<&'static str>,
        /// It belongs in large-file storage.
        is_for_storage: bool,
        /// The limit that is exceeded.
        limit: Bytes,
    },
    /// A rule ignores it for its size alone: no clone has it.
    OnlyHere,
    /// A folder over the limit in sum.
    HeavyFolder {
        /// The limit that is exceeded.
        limit: Bytes,
    },
    /// A folder with more files than the limit.
    ManyFiles {
        /// The limit that is exceeded.
        limit: u64,
    },
    /// What a pattern of the settings matches, or everything, is over a limit in sum.
    HeavyTotal {
        /// The pattern; `None` for everything.
        pattern: Option<String>,
        /// What it comes to.
        stats: FileStats,
        /// The limit that is exceeded.
        limit: Bytes,
    },
    /// A push over the limit.
    HeavyPush {
        /// The size of the push.
        size: Bytes,
        /// The limit that is exceeded.
        limit: Bytes,
    },
    /// A source that large-file storage holds.
    StoredCode,
    /// A pointer into large-file storage, whose contents are not here.
    PointerAlone,
    /// A pointer into large-file storage that no attribute covers.
    PointerUncovered,
    /// Its attributes send it to large-file storage, but git holds it whole.
    StoredWhole,
    /// The same, and git would hold it whole: no program for that is set up.
    WouldBeStoredWhole,
    /// The team says that it must not go out.
    Reserved {
        /// The reason, in one sentence.
        because: String,
        /// The repository is public.
        is_public: bool,
    },
    /// A script whose lines end as its interpreter can't read them.
    ScriptEnds(LineEnds),
    /// git tracks it although a rule would ignore it.
    TrackedAnyway,
    /// An acceptance of a finding that is found no longer.
    StaleAcceptance {
        /// Id of the accepted finding.
        finding: String,
    },
    /// A line of an attribute file that git drops, or of which it ignores a part.
    AttributeLine(AttributeUsage),
    /// A rule that doesn't do what it seems to.
    Rule(RuleStatus),
    /// A file that only looks like an ignore file.
    StrayFile(StrayReason),
}

/// Why some systems can't hold a name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum NameFault {
    /// A part of it is a device there.
    Device(BString),
    /// It holds a character that no name there holds.
    Character(u8),
    /// A part of it ends in a dot or a space.
    End(char),
}

/// How the lines of a script must end.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LineEnds {
    /// In a line feed only.
    Lf,
    /// In a carriage return and a line feed.
    Crlf,
}

/// What gives a finding away.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Evidence {
    /// The first bytes of the file.
    FirstBytes,
    /// The first lines of the file.
    FirstLines,
    /// Its lines, which nobody types.
    LongLines,
    /// The name of the file.
    Name,
    /// Another file.
    File(RepoPathBuf),
    /// A home folder that it names.
    HomeFolder,
    /// The target of the link.
    LinkTarget(BString),
    /// The object that a note is on.
    Note(String),
    /// The start and the length of a secret.
    Secret(redshank_secrets::Secret),
    /// Several files whose names end so, each by the same.
    Extension(BString, Option<Box<Evidence>>),
    /// Some of the paths, and whether there are others.
    Paths(Vec<RepoPathBuf>, bool),
    /// An entry of the settings, by its pattern.
    Reserved(String),
    /// A rule, where it is.
    Ruling {
        /// The file that holds it, as git prints it.
        source: BString,
        /// Its line there, from 1.
        line: u32,
        /// The pattern, as it is written in the file.
        pattern: BString,
    },
    /// The pattern that matches it.
    Pattern(BString),
    /// What was accepted: the rule and the path, as the settings name them.
    Accepted(String, String),
}

impl From<&Ruling> for Evidence {
    fn from(ruling: &Ruling) -> Self {
        Self::Ruling {
            source: ruling.source().shown.clone(),
            line: ruling.rule().line,
            pattern: ruling.excerpt(),
        }
    }
}

/// What fixes a finding.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Remedy {
    /// A rule that ignores it, for the ignore file at the top; and if git tracks it, git stops.
    KeepOut(KeepOut),
    /// A rule that re-includes it.
    LetIn {
        /// The folder whose ignore file takes the rule.
        folder: RepoPathBuf,
        /// The rule that is written.
        rule: NewRule,
    },
    /// A rule written as it was meant.
    Fix {
        /// The ignore file that holds it.
        file: RepoPathBuf,
        /// Its line, from 1.
        line: u32,
        /// The line as it is, without its end.
        from: BString,
        /// What is to be there; perhaps several lines.
        with: BString,
    },
    /// A line for the attributes at the top (gitattributes(5)), as its pattern.
    Attribute {
        /// The line that is written.
        line: NewRule,
        /// It sends files to large-file storage.
        is_storage: bool,
    },
    /// Permission to run it, or none.
    Mode {
        /// It is to be one that may be run.
        is_executable: bool,
    },
    /// Something that only a person can do.
    ByHand(ByHand),
}

/// A rule that ignores something.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct KeepOut {
    /// The rule that is written.
    pub rule: NewRule,
    /// Large-file storage would take it instead, were a program for that set up.
    pub is_for_storage: bool,
}

/// What only a person can do.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum ByHand {
    /// Fewer or smaller files, large-file storage, or another limit.
    ThinOut,
    /// The repository belongs elsewhere.
    MoveRepository,
    /// The ignore file belongs in the repository.
    MoveRulesIn,
    /// The policy must be fetched again.
    UpdatePolicy,
    /// The blocks must be written again.
    RefreshBlocks,
    /// The mark before the script goes.
    DropMark,
    /// The line of the attributes covers too much.
    NarrowAttribute,
    /// What a row of a table says.
    Said(String),
    /// Ignore it, unless it is kept on purpose.
    IgnoreUnlessOnPurpose {
        /// The command that makes it again.
        remake: String,
    },
    /// Ignore it, if it is made here.
    IgnoreIfMadeHere,
    /// Make a path relative, or read it from the environment.
    MakePathRelative,
    /// Open the project in its editor, which writes what is missing.
    OpenInEditor,
    /// Delete it, or let in what it belongs to.
    DeleteOrLetIn,
    /// Bring hidden changes back.
    Unmute,
    /// Make a symbolic link relative, or ignore it.
    MakeLinkRelative,
    /// Put what a symbolic link leads to into the repository, or ignore it.
    BringTargetIn,
    /// Fix the symbolic link, or delete it.
    FixLink,
    /// Let in what a symbolic link leads to, or ignore it, too.
    LetTargetIn,
    /// Give it another name.
    Rename,
    /// Rename one of two.
    RenameOne,
    /// Narrow the rule that excludes a folder, or add the file by force.
    NarrowOrForce {
        /// The folder, relative to the repository's top.
        folder: RepoPathBuf,
    },
    /// Say where a nested repository comes from, or stop tracking it.
    DeclareSubmodule,
    /// Add it as a submodule, take in its files, or ignore it.
    AddSubmodule,
    /// Push the submodule first, or give it an address that others reach.
    PushSubmodule,
    /// See what a folder holds.
    SeeWhatItHolds,
    /// Fetch the contents from large-file storage.
    FetchContents,
    /// Say in the attributes that it is stored.
    DeclareStored,
    /// Add it again with the large-file program installed.
    Renormalize,
    /// Install a large-file program first.
    InstallStorage,
    /// Send it to large-file storage, or ignore it and keep it elsewhere.
    StoreOrIgnore,
    /// Send it to large-file storage, or accept that it is kept elsewhere.
    StoreElsewhere,
    /// Nothing, as long as the repository is private.
    NothingWhilePrivate,
    /// Narrow the rule that excludes its folder, or stop tracking it.
    NarrowOrUntrack,
    /// Stop tracking it, or take out the rule that names it.
    UntrackOrDropRule,
    /// Take out the exception that re-includes it, or accept it.
    DropException {
        /// The pattern, as it is written in the file.
        pattern: BString,
    },
    /// Take an acceptance out of the settings.
    TakeAcceptanceOut,
    /// Narrow the rule that excludes the folder.
    NarrowShuttingRule,
    /// Narrow a rule, so that others get the file that it is in.
    NarrowRule,
    /// See what may have been meant.
    SeeMeant(BString),
    /// Fix the pattern, or take it out.
    FixPattern,
    /// Give a file the name and the place of the one that was meant.
    GiveRightName,
    /// Write a narrower rule.
    WriteNarrowerRule {
        /// The rule that would fix it.
        pattern: BString,
        /// What it would ignore, too.
        path: RepoPathBuf,
    },
    /// Rename a file, if it was meant to be the one of this name.
    RenameIfMeant(RepoPathBuf),
    /// Take a secret out of the file.
    ReadFromEnvironment,
    /// Nothing: a rule ignores it.
    NothingKeptOut,
    /// Nothing, if it is meant to be there.
    NothingIfMeant,
    /// Only writing the history again takes it out.
    RewriteHistory,
    /// Write the message of a commit again.
    RewordCommit,
    /// Make a tag again, with another message.
    RemakeTag,
    /// Take an address inside a network out, or leave it on purpose.
    HideHost,
    /// Add a licence.
    AddLicence,
    /// Add the licence that a copy came with.
    AddCopiedLicence,
    /// Set another address, and write the commits again that have the old one.
    ChangeAddress,
    /// Know that they are seen.
    AskPeople,
    /// Remove the note that holds it.
    RemoveNote,
    /// Drop an entry of the stash.
    DropStash {
        /// Number of the entry in the reflog, from 0.
        entry: usize,
    },
    /// Let the reflog forget it.
    ExpireReflog,
    /// No remedy is known.
    Nothing,
}

/// What became of a file so far.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Past {
    /// How many commits added or changed it.
    pub commits: u64,
    /// The day of the first one.
    pub since: String,
    /// The first one's name.
    pub first: String,
    /// The remote branches that hold it.
    pub remotes: Vec<String>,
    /// The local branches that hold it.
    pub branches: Vec<String>,
    /// The tags that hold it.
    pub tags: Vec<String>,
    /// Only the current commit of the current branch holds it.
    pub is_last: bool,
}

/// Something that should be tracked and isn't, or is (or would be) and shouldn't.
#[derive(Debug, Clone)]
pub struct Finding {
    /// The same as long as its cause is the same.
    pub id: String,
    /// Which finder's which rule, and so its class.
    pub rule: FindingRule,
    /// How bad it is.
    pub level: Level,
    /// Relative to the top; a folder ends in a slash and stands for all in it.
    pub path: RepoPathBuf,
    /// Line number, from 1; none for a whole file.
    pub line: Option<u64>,
    /// In bytes; of a folder, the sum of its files.
    pub size: Option<Bytes>,
    /// Number of files it covers.
    pub files: u64,
    /// git's verdict on the path.
    pub state: State,
    /// How far it got.
    pub exposure: Exposure,
    /// Its file's past, where it matters.
    pub past: Option<Past>,
    /// Found in the history only; whether the file is still there.
    pub only_past: Option<bool>,
    /// It was accepted until that day, which is over.
    pub accepted_until: Option<Date>,
    /// The same in other places, each with what fixes it there.
    pub also: Vec<Self>,
    /// The other places hold others of its kind, each with an id that stands for it alone.
    pub is_gathered: bool,
    /// The cause; `app/text` has its sentence.
    pub cause: Cause,
    /// What gives it away; never a whole secret.
    pub evidence: Option<Evidence>,
    /// What fixes it; `app/text` has its sentence.
    pub remedy: Remedy,
}

impl Finding {
    /// A finding on a path, by the last part of its rule's name. What else is known of it is added
    /// with the methods below.
    pub(crate) fn new(
        class: Class,
        name: &str,
        level: Level,
        path: &RepoPath,
        cause: Cause,
    ) -> Self {
        let rule = FindingRule {
            class,
            name: name.to_owned(),
        };
        Self {
            id: Self::identity(&rule, path, b""),
            rule,
            level,
            path: path.to_owned(),
            line: None,
            size: None,
            files: 1,
            state: State::Candidate,
            exposure: Exposure::Disk,
            past: None,
            only_past: None,
            accepted_until: None,
            also: Vec::new(),
            is_gathered: false,
            cause,
            evidence: None,
            remedy: Remedy::ByHand(ByHand::Nothing),
        }
    }

    /// A finding on an entry of the tree.
    pub(crate) fn on(entry: &Entry, class: Class, name: &str, level: Level, cause: Cause) -> Self {
        Self {
            size: Some(entry.size),
            state: entry.state,
            ..Self::new(class, name, level, &entry.path, cause)
        }
    }

    /// What is wrong.
    pub fn class(&self) -> Class {
        self.rule.class
    }

    /// This place and the others.
    pub fn places(&self) -> impl Iterator<Item = &Self> {
        std::iter::once(self).chain(&self.also)
    }

    pub(crate) fn each_place(&mut self, change: &mut dyn FnMut(&mut Self)) {
        change(self);
        self.also.iter_mut().for_each(change);
    }

    /// What sets it apart from others of its rule on its path.
    pub(crate) fn with_cause(self, cause: &[u8]) -> Self {
        Self {
            id: Self::identity(&self.rule, &self.path, cause),
            ..self
        }
    }

    pub(crate) fn with_evidence(self, evidence: Evidence) -> Self {
        Self {
            evidence: Some(evidence),
            ..self
        }
    }

    pub(crate) fn at_line(self, line: u64) -> Self {
        Self {
            line: Some(line),
            ..self
        }
    }

    pub(crate) fn with_remedy(self, remedy: Remedy) -> Self {
        Self { remedy, ..self }
    }

    /// Corrected by a rule that ignores it.
    pub(crate) fn kept_out_by(
        self,
        pattern: BString,
        reason: impl Into<String>,
        remake: Option<String>,
    ) -> Self {
        self.with_remedy(Remedy::KeepOut(KeepOut {
            rule: NewRule {
                pattern,
                reason: reason.into(),
                remake,
            },
            is_for_storage: false,
        }))
    }

    /// Corrected by a person only.
    pub(crate) fn by_hand(self, what: ByHand) -> Self {
        self.with_remedy(Remedy::ByHand(what))
    }

    /// An identity that depends on the rule, the path and what else sets causes apart; nothing can
    /// be read out of it.
    fn identity(rule: &FindingRule, path: &RepoPath, cause: &[u8]) -> String {
        let mut hash = blake3::Hasher::new();
        for part in [rule.to_string().as_bytes(), path.as_ref(), cause] {
            hash.update(&(part.len() as u64).to_le_bytes());
            hash.update(part);
        }
        hash.finalize().to_hex()[..12].to_owned()
    }
}
