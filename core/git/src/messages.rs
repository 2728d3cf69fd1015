//! What commits and tags say, and which branches and tags reach a commit.

use crate::versions::OURS;
use crate::{Repository, Result};
use bstr::{BString, ByteSlice};

/// The message of a commit, or of a tag.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Message {
    /// Where it is.
    pub on: MessageOn,
    /// The text, in UTF-8 as far as git can tell.
    pub text: BString,
}

/// What a message belongs to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum MessageOn {
    /// A commit.
    Commit {
        /// Its name.
        name: String,
    },
    /// A tag with a message of its own.
    Tag {
        /// Its name, without `refs/tags/`.
        name: String,
    },
}

/// A branch or tag that reaches a commit.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Reach {
    /// The local branches.
    pub branches: Vec<String>,
    /// The tags.
    pub tags: Vec<String>,
    /// The remote-tracking branches, as `REMOTE/BRANCH`.
    pub remotes: Vec<String>,
}

/// How many commits one command line may name.
const COMMITS_A_CALL: usize = 200;

/// What all of this clone's branches, tags and the current commit reach.
pub(crate) const EVERYTHING: [&str; 5] = [
    "--exclude=refs/stash",
    "--exclude=refs/notes/*",
    OURS,
    "--all",
    "HEAD",
];

impl Repository {
    /// The messages of all commits and tags; the newest commit first.
    ///
    /// # Errors
    /// If git refuses.
    pub fn messages(&self) -> Result<Vec<Message>> {
        if !self.has_commit() {
            return Ok(Vec::new());
        }
        let log = ["log", "-z", "--encoding=UTF-8", "--format=%H%n%B"];
        let log = self
            .git()
            .args(log)
            .args(EVERYTHING)
            .args(["--"])
            .output()?;
        let records = log.split(|byte| *byte == 0);
        let commits = records.filter_map(|record| {
            let (name, text) = record.split_once_str("\n")?;
            let name = name.to_str_lossy().into();
            Some(Message {
                on: MessageOn::Commit { name },
                text: text.into(),
            })
        });
        let mut messages: Vec<Message> = commits.collect();
        messages.extend(self.tag_messages()?);
        Ok(messages)
    }

    /// The day of a commit, `YYYY-MM-DD`.
    ///
    /// # Errors
    /// If git refuses.
    pub fn day_of(&self, commit: &str) -> Result<String> {
        let show = ["log", "--max-count=1", "--format=%cs", commit, "--"];
        let day = self.git().args(show).output()?;
        Ok(day.trim().to_str_lossy().into_owned())
    }

    fn tag_messages(&self) -> Result<Vec<Message>> {
        let format = "--format=%(objecttype) %(refname:strip=2)%0a%(contents)%00";
        let listed = self
            .git()
            .args(["for-each-ref", format, "refs/tags"])
            .output()?;
        let records = listed.split(|byte| *byte == 0);
        let tags = records.filter_map(|record| {
            let record = record.strip_prefix(b"\n").unwrap_or(record);
            let (head, text) = record.split_once_str("\n")?;
            let name = head.strip_prefix(b"tag ")?.to_str_lossy().into();
            Some(Message {
                on: MessageOn::Tag { name },
                text: text.into(),
            })
        });
        Ok(tags.collect())
    }

    /// The branches and tags that reach any of these commits; of very many, of the last ones.
    ///
    /// # Errors
    /// If git refuses.
    pub fn reach_of<S: AsRef<str>>(&self, commits: &[S]) -> Result<Reach> {
        let commits = &commits[commits.len().saturating_sub(COMMITS_A_CALL)..];
        if commits.is_empty() {
            return Ok(Reach::default());
        }
        let kinds = ["refs/heads", "refs/tags", "refs/remotes"];
        let list = ["for-each-ref", "--format=%(refname)"];
        let contains = commits.iter().flat_map(|one| ["--contains", one.as_ref()]);
        let list = self.git().args(list).args(contains).args(kinds);
        let listed = list.output()?;
        let mut reach = Reach::default();
        for name in ByteSlice::lines(&listed[..]) {
            let name = name.to_str_lossy();
            let kinds = [
                ("refs/heads/", &mut reach.branches),
                ("refs/tags/", &mut reach.tags),
                ("refs/remotes/", &mut reach.remotes),
            ];
            for (start, names) in kinds {
                // The remote's own pointer to its main branch is no branch.
                let rest = name.strip_prefix(start);
                names.extend(
                    rest.filter(|rest| !rest.ends_with("/HEAD"))
                        .map(str::to_owned),
                );
            }
        }
        Ok(reach)
    }

    /// The name of the current commit and of the current branch, as far as there are any.
    pub fn head(&self) -> (Option<String>, Option<String>) {
        let commit = self.commit_named("HEAD").ok();
        let said = ["symbolic-ref", "--quiet", "--short", "HEAD"];
        let branch = self.git().args(said).output().ok();
        let branch = branch.map(|branch| branch.trim().to_str_lossy().into_owned());
        (commit, branch)
    }
}
