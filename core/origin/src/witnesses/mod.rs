//! The witnesses, each in a file of its own with its table beside it: it looks at one file and
//! gives evidence.

pub(crate) mod declared;
mod derived;
pub(crate) mod format;
pub(crate) mod language;
pub(crate) mod linked;
mod name;
pub(crate) mod place;
pub(crate) mod rebuilt;
mod referenced;
pub(crate) mod says_so;
mod tool;

use crate::Surroundings;
use crate::evidence::{Evidence, Origin};
use format::is_binary;
use language::{Group, language};
use place::{hidden_folder, output_folder, release_folder};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_worktree::size::Bytes;
use std::cell::OnceCell;

/// A file that is being judged.
pub(crate) struct Subject<'f> {
    /// Path relative to the repository's top.
    pub(crate) path: &'f RepoPath,
    pub(crate) size: Bytes,
    /// Its first bytes; empty where it can't be read.
    pub(crate) head: &'f [u8],
    /// What a template says of it.
    pub(crate) claim: Option<&'f Claim>,
    /// Whether the names of the folders that it is in are heard: not where they are in question.
    pub(crate) hears_folders: bool,
    /// The language of a file of that name: its ending, and the kind of language.
    pub(crate) language: Option<(&'static str, Group)>,
    /// The uppermost folder that it is in which has a name of what tools make.
    pub(crate) output: Option<&'f RepoPath>,
    /// The uppermost hidden folder that it is in which people aren't known to keep.
    pub(crate) hidden: Option<&'f RepoPath>,
    /// The uppermost folder that it is in which has a version in its name.
    pub(crate) release: Option<&'f RepoPath>,
    /// Whether it is no text.
    pub(crate) is_binary: bool,
    /// What the project's own texts say of it, once it was looked up.
    said: OnceCell<Option<declared::SaidOfFile>>,
}

impl<'f> Subject<'f> {
    /// A file with what most witnesses ask for.
    pub(crate) fn new(
        path: &'f RepoPath,
        size: Bytes,
        head: &'f [u8],
        claim: Option<&'f Claim>,
        hears_folders: bool,
    ) -> Self {
        Self {
            path,
            size,
            head,
            claim,
            hears_folders,
            language: language(path),
            output: output_folder(path),
            hidden: hidden_folder(path),
            release: release_folder(path),
            is_binary: is_binary(head),
            said: OnceCell::new(),
        }
    }
}

/// What a template says of a path.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Claim {
    /// The template's name.
    pub template: String,
    /// Why what is there doesn't belong.
    pub reason: String,
    /// Where the template says that it comes from.
    pub origin: Origin,
    /// What the claim rests on.
    pub basis: Basis,
    /// What it is about: the file, or a folder that it is in; a folder's path ends in a slash.
    pub place: RepoPathBuf,
}

impl Claim {
    /// Whether it is about a folder that the file is in, not the file itself.
    pub(crate) fn is_of_folder(&self) -> bool {
        self.place.is_folder()
    }
}

/// What a template's claim rests on; what says most comes first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Basis {
    /// A file in the folder that only the tool leaves, or the tool's own settings.
    Mark,
    /// A name that only the tool gives.
    ToolsName,
    /// The whole name of a file.
    OneName,
    /// A name that people give as well.
    AnyName,
}

/// What every witness is.
type Testify = fn(&Surroundings, &Subject, &mut Vec<Evidence>);

/// All witnesses but the neighbours, who are heard last.
const ALL: [Testify; 10] = [
    tool::testify,
    declared::testify,
    says_so::testify,
    format::testify,
    derived::testify,
    name::testify,
    language::testify,
    place::testify,
    referenced::testify,
    rebuilt::testify,
];

/// Hears every witness on a file.
pub(crate) fn hear(around: &Surroundings, subject: &Subject) -> Vec<Evidence> {
    let mut evidence = Vec::new();
    for testify in ALL {
        testify(around, subject, &mut evidence);
    }
    evidence
}
