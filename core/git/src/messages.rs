//! What commits and tags say: their messages, and whom they name.

use crate::versions::OURS;
use crate::{Author, Destination, Repository, Result};
use bstr::{BString, ByteSlice};
use std::collections::BTreeMap;

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
        /// Its day, `YYYY-MM-DD`.
        day: String,
    },
    /// A tag with a message of its own.
    Tag {
        /// Its name, without `refs/tags/`.
        name: String,
    },
}

/// Somebody whom commits name, and where.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Named {
    /// The commits that name them, as author or as committer, the newest first; never empty.
    pub all: Vec<String>,
    /// The day of the oldest, `YYYY-MM-DD`.
    pub since: String,
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
const EVERYTHING: [&str; 5] = [
    "--exclude=refs/stash",
    "--exclude=refs/notes/*",
    OURS,
    "--all",
    "HEAD",
];

impl Repository {
    /// The messages of all commits and tags, or of the commits that a push would send; the newest
    /// commit first.
    ///
    /// # Errors
    /// If git refuses.
    pub fn messages(&self, outgoing: Option<&Destination>) -> Result<Vec<Message>> {
        if !self.has_commit() {
            return Ok(Vec::new());
        }
        let range = match outgoing {
            Some(destination) => destination.range(),
            None => EVERYTHING.map(str::to_owned).to_vec(),
        };
        let log = ["log", "-z", "--encoding=UTF-8", "--format=%H %cs%n%B"];
        let log = self.git().args(log).args(range).args(["--"]).output()?;
        let records = log.split(|byte| *byte == 0);
        let commits = records.filter_map(|record| {
            let (head, text) = record.split_once_str("\n")?;
            let (name, day) = head.split_once_str(" ")?;
            let (name, day) = (name.to_str_lossy().into(), day.to_str_lossy().into());
            Some(Message {
                on: MessageOn::Commit { name, day },
                text: text.into(),
            })
        });
        let mut messages: Vec<Message> = commits.collect();
        if outgoing.is_none_or(|destination| destination.all) {
            messages.extend(self.tag_messages()?);
        }
        Ok(messages)
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

    /// Everybody whom commits name as author or committer, of all branches and tags.
    ///
    /// # Errors
    /// If git refuses.
    pub fn people(&self) -> Result<BTreeMap<Author, Named>> {
        let mut people: BTreeMap<Author, Named> = BTreeMap::new();
        if !self.has_commit() {
            return Ok(people);
        }
        let log = ["log", "-z", "--encoding=UTF-8"];
        let format = "--format=%H%x01%cs%x01%an%x01%ae%x01%cn%x01%ce";
        let log = self.git().args(log).args([format]).args(EVERYTHING);
        for record in log.args(["--"]).output()?.split(|byte| *byte == 0) {
            let record = record.to_str_lossy();
            let words: Vec<&str> = record.split('\x01').collect();
            let [commit, day, author, email, committer, other] = words[..] else {
                continue;
            };
            let mut named = vec![(author, email)];
            named.extend(Some((committer, other)).filter(|one| *one != (author, email)));
            for (name, email) in named {
                let author = Author {
                    name: name.to_owned(),
                    email: email.to_owned(),
                };
                let one = people.entry(author).or_default();
                one.all.push(commit.to_owned());
                day.clone_into(&mut one.since);
            }
        }
        Ok(people)
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
