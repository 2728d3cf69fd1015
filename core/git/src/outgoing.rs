//! What a push would send: the remote and branch it goes to, the commits, objects and files that are
//! not there yet, as far as this clone's remote-tracking references know.

use crate::trees::Changed;
use crate::{Error, Repository, Result};
use bstr::{BStr, ByteSlice};
use std::collections::BTreeMap;

/// Where a push goes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Destination {
    /// The remote's name.
    pub remote: String,
    /// The branch there.
    pub branch: String,
    /// The commit that the branch there is at, as far as this clone knows.
    pub known: Option<String>,
}

/// Somebody whom commits name.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Author {
    /// The name.
    pub name: String,
    /// The mail address.
    pub email: String,
}

/// What a push would send.
#[derive(Debug, Clone)]
pub struct Outgoing {
    /// Number of commits.
    pub commits: u64,
    /// Number of objects: commits, folders and contents.
    pub objects: u64,
    /// How much room they take as git stores them here, in bytes.
    pub bytes: u64,
    /// The files that differ between the branch there and the current commit, sorted.
    pub files: Vec<Changed>,
    /// Who made the commits, and how many each.
    pub authors: BTreeMap<Author, u64>,
}

/// The start of the references that say where a remote's branches are.
const TRACKING: &str = "refs/remotes/";

impl Repository {
    /// The names of the remotes.
    ///
    /// # Errors
    /// If git refuses.
    pub fn remotes(&self) -> Result<Vec<String>> {
        self.words(&["remote"])
    }

    /// Where a push goes: to what is named, as `REMOTE` or `REMOTE/BRANCH`, or where git would push
    /// the current branch to.
    ///
    /// # Errors
    /// If there is no such remote, none at all, or no branch to push; or git refuses.
    pub fn destination(&self, named: Option<&str>) -> Result<Destination> {
        let remotes = self.remotes()?;
        let current = self.quiet(&["symbolic-ref", "--quiet", "--short", "HEAD"]);
        let (remote, branch) = match named {
            Some(named) => split(named, &remotes)?,
            None => self.usual(&remotes, current.as_deref())?,
        };
        let branch = branch.or(current).ok_or(Error::NoBranch)?;
        let reference = format!("{TRACKING}{remote}/{branch}^{{commit}}");
        let known = self.quiet(&["rev-parse", "--verify", "--quiet", &reference]);
        Ok(Destination {
            remote,
            branch,
            known,
        })
    }

    /// Where git pushes the current branch to, and else the remote that there is.
    fn usual(&self, remotes: &[String], current: Option<&str>) -> Result<(String, Option<String>)> {
        let pushed = self.quiet(&["rev-parse", "--symbolic-full-name", "--quiet", "@{push}"]);
        let below = pushed
            .as_deref()
            .and_then(|full| full.strip_prefix(TRACKING));
        if let Some(below) = below {
            return split(below, remotes);
        }
        let of_branch = current.and_then(|current| {
            let key = format!("branch.{current}.remote");
            self.quiet(&["config", "--get", &key])
        });
        let keys = ["remote.pushDefault"].iter();
        let configured = keys
            .filter_map(|key| self.quiet(&["config", "--get", key]))
            .next();
        let remote = configured
            .or(of_branch)
            .filter(|name| remotes.contains(name));
        match remote
            .or_else(|| remotes.iter().find(|name| *name == "origin").cloned())
            .or_else(|| remotes.first().filter(|_| remotes.len() == 1).cloned())
        {
            Some(remote) => Ok((remote, None)),
            None => Err(Error::NoRemote {
                named: None,
                remotes: remotes.to_vec(),
            }),
        }
    }

    /// What a push of the current commit to a remote would send.
    ///
    /// # Errors
    /// If git refuses.
    pub fn outgoing(&self, destination: &Destination) -> Result<Outgoing> {
        let beyond = beyond(&destination.remote);
        let beyond: Vec<&str> = beyond.iter().map(String::as_str).collect();
        let number = |command: &[&str]| -> Result<u64> {
            let said = self.git().args(command).args(&beyond).output()?;
            Ok(said.trim().to_str_lossy().parse().unwrap_or_default())
        };
        let listed = self
            .git()
            .args(["rev-list", "--objects"])
            .args(&beyond)
            .output()?;
        let log = ["log", "-z", "--format=%an%x01%ae"];
        let log = self.git().args(log).args(&beyond).args(["--"]).output()?;
        let mut authors: BTreeMap<Author, u64> = BTreeMap::new();
        for part in log.split(|byte| *byte == 0).filter(|part| !part.is_empty()) {
            let part = part.to_str_lossy();
            let (name, email) = part.split_once('\x01').unwrap_or_default();
            let author = Author {
                name: name.to_owned(),
                email: email.to_owned(),
            };
            *authors.entry(author).or_default() += 1;
        }
        Ok(Outgoing {
            commits: number(&["rev-list", "--count"])?,
            objects: ByteSlice::lines(&listed[..]).count() as u64,
            bytes: number(&["rev-list", "--objects", "--disk-usage"])?,
            files: self.changed_between(destination.known.as_deref(), "HEAD")?,
            authors,
        })
    }

    /// The lines that a git command gives.
    fn words(&self, command: &[&str]) -> Result<Vec<String>> {
        let said = self.git().args(command).output()?;
        Ok(ByteSlice::lines(&said[..])
            .map(|line| line.to_str_lossy().into_owned())
            .collect())
    }

    /// The only line of a git command that may have none to give.
    fn quiet(&self, command: &[&str]) -> Option<String> {
        let said = self.git().args(command).output().ok()?;
        let line = said.trim().to_str_lossy().into_owned();
        (!line.is_empty()).then_some(line)
    }
}

/// The commits that the current one reaches, and no branch of a remote, as git's arguments.
pub(crate) fn beyond(remote: &str) -> Vec<String> {
    vec![
        "HEAD".to_owned(),
        "--not".to_owned(),
        format!("--remotes={}", literal(remote)),
    ]
}

/// A remote's name as a pattern that means nothing else.
fn literal(name: &str) -> String {
    let mut pattern = String::new();
    for sign in name.chars() {
        if "*?[\\".contains(sign) {
            pattern.push('\\');
        }
        pattern.push(sign);
    }
    pattern
}

/// A remote, and the branch behind it.
fn split(named: &str, remotes: &[String]) -> Result<(String, Option<String>)> {
    let remote = remotes
        .iter()
        .filter(|remote| {
            named
                .strip_prefix(remote.as_str())
                .is_some_and(|rest| rest.is_empty() || rest.starts_with('/'))
        })
        .max_by_key(|name| name.len());
    let Some(remote) = remote else {
        return Err(Error::NoRemote {
            named: Some(named.to_owned()),
            remotes: remotes.to_vec(),
        });
    };
    let branch = named[remote.len()..].trim_matches('/');
    let branch = (!branch.is_empty()).then(|| branch.to_owned());
    Ok((remote.clone(), branch))
}

impl Repository {
    /// Who the next commit is by; `None` where git doesn't know and would refuse it.
    pub fn author(&self) -> Option<Author> {
        // `NAME <EMAIL> TIME ZONE` (git-var(1)).
        let said = self.git().args(["var", "GIT_AUTHOR_IDENT"]).output().ok()?;
        let (name, rest) = said.split_once_str(" <")?;
        let (email, _) = rest.split_once_str(">")?;
        Some(Author {
            name: name.to_str_lossy().into_owned(),
            email: email.to_str_lossy().into_owned(),
        })
    }
}

/// Whether an address of mail reaches nobody: none, one without a domain, or of a machine.
pub fn is_no_address(email: &BStr) -> bool {
    let Some((name, host)) = email.split_once_str("@") else {
        return true;
    };
    let ends = [
        &b".local"[..],
        b".localdomain",
        b".lan",
        b".internal",
        b".(none)",
    ];
    name.is_empty() || !host.contains(&b'.') || ends.iter().any(|end| host.ends_with(end))
}
