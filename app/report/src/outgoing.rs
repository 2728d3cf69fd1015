//! What a push would send.

use super::{FindingOut, PathOut, root};
use redshank_findings::ScanResult;
use redshank_git::{Change, Changed, Destination, Oddity, Outgoing, TreeMode};
use redshank_worktree::size::Bytes;
use redshank_worktree::{Absence, Published};
use serde::Serialize;
use std::path::Path;

/// `outgoing --format json`.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "redshank.outgoing/1"))]
pub struct OutgoingOut {
    /// Always `redshank.outgoing/1`.
    pub schema: &'static str,
    /// The repository's top folder, an absolute path.
    pub root: String,
    /// The remote's name.
    pub remote: String,
    /// The branch there.
    pub branch: String,
    /// The commit that the branch there is at, as far as this clone knows; none if it doesn't know
    /// the branch.
    pub known: Option<String>,
    /// Every branch and tag is pushed, and not only the current branch.
    pub all: bool,
    /// The remote was asked what it has; else it is what this clone last knew.
    pub asked: bool,
    /// How many of the remote's references are at commits that this clone doesn't have; null if it
    /// wasn't asked.
    pub unknown: Option<usize>,
    /// Number of commits that are not there.
    pub commits: u64,
    /// Number of objects that are not there: commits, folders and contents.
    pub objects: u64,
    /// How much room they take as git stores them here, in bytes.
    pub bytes: u64,
    /// Files that differ between the branch there and the current commit.
    pub files: Vec<OutgoingFileOut>,
    /// The largest contents on the way, the largest first; at most five.
    pub largest: Vec<LargeObjectOut>,
    /// What large-file storage gets, by the pointers among `files`.
    pub stored: StoredOut,
    /// Who made the commits.
    pub authors: Vec<AuthorOut>,
    /// What shouldn't be pushed, in any version on the way.
    pub findings: Vec<FindingOut>,
    /// Where the versions of this clone are cut off, each in a sentence.
    pub history_cut: Vec<String>,
    /// With `--compare`, the files here beside those there.
    pub compare: Option<CompareOut>,
}

/// One entry of the list.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct OutgoingFileOut {
    /// The path that it is about.
    #[serde(flatten)]
    pub path: PathOut,
    /// `added`, `changed` or `removed`.
    pub change: &'static str,
    /// Size in bytes; none for what is removed, or another repository.
    pub size: Option<Bytes>,
    /// What it is: `file`, `executable`, `link` or `submodule`; null for what is removed.
    pub mode: Option<&'static str>,
    /// What it was; null for what is added.
    pub mode_before: Option<&'static str>,
}

/// Contents that are sent.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct LargeObjectOut {
    /// A path that they have in one of the commits.
    #[serde(flatten)]
    pub path: PathOut,
    /// Their size in bytes.
    pub size: Bytes,
}

/// What large-file storage gets.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct StoredOut {
    /// Number of files.
    pub files: u64,
    /// Size of what they stand for, in bytes.
    pub size: Bytes,
}

/// Somebody whom commits name.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct AuthorOut {
    /// The name.
    pub name: String,
    /// The mail address.
    pub email: String,
    /// Number of commits.
    pub commits: u64,
    /// What is odd about the address: `no-address`, `made-up`, `other-address` where the same name
    /// has another one in most commits; null if nothing is.
    pub odd: Option<&'static str>,
}

/// The files here beside those there.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct CompareOut {
    /// What is here and not there.
    pub missing: Vec<MissingFromRemoteOut>,
    /// What is there and not here.
    pub extra: Vec<PathOut>,
    /// What is on both sides and differs.
    pub differing: Vec<DifferingOut>,
}

/// One entry of the list.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct DifferingOut {
    /// The path that it is about.
    #[serde(flatten)]
    pub path: PathOut,
    /// `contents`; or only `line-endings`, or only `mode`.
    pub in_what: &'static str,
}

/// One entry of the list.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct MissingFromRemoteOut {
    /// The path that it is about.
    #[serde(flatten)]
    pub path: PathOut,
    /// `ignored`, `untracked`, `staged` or `unpushed`.
    pub reason: &'static str,
}

impl OutgoingOut {
    /// Builds the document of a push.
    pub fn new(
        top: &Path,
        destination: &Destination,
        outgoing: &Outgoing,
        scanned: &ScanResult,
        history_cut: Vec<String>,
    ) -> Self {
        Self {
            schema: "redshank.outgoing/1",
            root: root(top),
            remote: destination.remote.clone(),
            branch: destination.branch.clone(),
            known: destination.known.clone(),
            all: destination.all,
            asked: destination.answer.is_some(),
            unknown: destination.answer.as_ref().map(|answer| answer.unknown),
            commits: outgoing.commits,
            objects: outgoing.objects,
            bytes: outgoing.bytes,
            files: outgoing.files.iter().map(OutgoingFileOut::from).collect(),
            largest: outgoing
                .largest
                .iter()
                .map(|one| LargeObjectOut {
                    path: PathOut::new(one.path.as_ref()),
                    size: Bytes(one.size),
                })
                .collect(),
            stored: StoredOut {
                files: outgoing.stored.files,
                size: Bytes(outgoing.stored.bytes),
            },
            authors: outgoing
                .authors
                .iter()
                .map(|(author, share)| AuthorOut {
                    name: author.name.clone(),
                    email: author.email.clone(),
                    commits: share.commits,
                    odd: share.oddity.map(Oddity::word),
                })
                .collect(),
            findings: scanned.findings.iter().map(FindingOut::from).collect(),
            history_cut,
            compare: None,
        }
    }
}

impl From<&Changed> for OutgoingFileOut {
    fn from(file: &Changed) -> Self {
        Self {
            path: PathOut::new(file.path.as_ref()),
            change: change_word(file.change),
            size: file.size.map(Bytes),
            mode: file.is.map(TreeMode::word),
            mode_before: file.was.map(TreeMode::word),
        }
    }
}

impl From<&Published> for CompareOut {
    fn from(published: &Published) -> Self {
        let missing = published
            .missing
            .iter()
            .map(|(path, absence)| MissingFromRemoteOut {
                path: PathOut::new(path),
                reason: match absence {
                    Absence::Ignored(_) => "ignored",
                    Absence::Untracked => "untracked",
                    Absence::Staged => "staged",
                    Absence::Unpushed => "unpushed",
                },
            });
        Self {
            missing: missing.collect(),
            extra: published
                .extra
                .iter()
                .map(|path| PathOut::new(path))
                .collect(),
            differing: published
                .differing
                .iter()
                .map(|(path, difference)| DifferingOut {
                    path: PathOut::new(path),
                    in_what: difference.word(),
                })
                .collect(),
        }
    }
}

/// The word for a change.
pub fn change_word(change: Change) -> &'static str {
    match change {
        Change::Added => "added",
        Change::Changed => "changed",
        Change::Removed => "removed",
    }
}
