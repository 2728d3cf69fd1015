//! What a push would send: the remote and branch it goes to, the commits, objects and files that
//! are not there yet, as far as this clone's remote-tracking references know.

use crate::fetch::outside;
use crate::trees::{Changed, TreeMode};
use crate::versions::output;
use crate::{Error, Repository, Result};
use bstr::{BStr, BString, ByteSlice};
use std::cmp::Reverse;
use std::collections::{BTreeMap, BinaryHeap};
use std::ffi::OsString;
use std::io::BufRead;
use std::path::{Path, PathBuf};

/// Where a push goes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Destination {
    /// The remote's name.
    pub remote: String,
    /// The branch there.
    pub branch: String,
    /// The commit that the branch there is at, as far as this clone knows.
    pub known: Option<String>,
    /// Every branch and tag is pushed, and not only the current branch.
    pub all: bool,
    /// What the remote said of itself; without it, what the remote-tracking references know counts.
    pub answer: Option<RemoteAnswer>,
}

/// What a remote has, as it said when it was asked.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct RemoteAnswer {
    /// The commits and tags that its references are at and that this clone has.
    pub known: Vec<String>,
    /// How many of its references are at something that this clone doesn't have.
    pub unknown: usize,
    /// The commit of each branch.
    branches: BTreeMap<String, String>,
}

impl RemoteAnswer {
    /// Whether the remote has a branch.
    pub fn has(&self, branch: &str) -> bool {
        self.branches.contains_key(branch)
    }
}

impl Destination {
    /// The commits that a push would send, as git's arguments.
    pub fn range(&self) -> Vec<String> {
        let mut range: Vec<String> = if self.all {
            vec!["--branches".to_owned(), "--tags".to_owned()]
        } else {
            vec!["HEAD".to_owned()]
        };
        range.push("--not".to_owned());
        match &self.answer {
            Some(answer) => range.extend(answer.known.iter().cloned()),
            None => range.push(format!("--remotes={}", literal(&self.remote))),
        }
        range
    }
}

/// Somebody whom commits name.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Author {
    /// The name.
    pub name: String,
    /// The mail address.
    pub email: String,
}

impl std::fmt::Display for Author {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{} <{}>", self.name, self.email)
    }
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
    /// The largest contents on the way, the largest first; a few.
    pub largest: Vec<LargeObject>,
    /// What the files of `files` that are pointers stand for in large-file storage.
    pub stored: StoredSize,
}

/// Contents that are sent.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct LargeObject {
    /// Their size in bytes.
    pub size: u64,
    /// A path that they have in one of the commits.
    pub path: BString,
}

/// What large-file storage gets.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct StoredSize {
    /// Number of files.
    pub files: u64,
    /// Size of what they stand for, in bytes, as their pointers say.
    pub bytes: u64,
}

/// How many of the largest contents are named.
const LARGEST: usize = 5;

/// No pointer is longer, in bytes (the Git LFS specification, "The Pointer").
const LONGEST_POINTER: u64 = 1024;

/// How a pointer begins (the same).
const POINTER: &[u8] = b"version https://git-lfs.github.com/spec/";

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
            all: false,
            answer: None,
        })
    }

    /// Asks a remote what it has. git goes where this repository says, with the person's own
    /// configuration and none of the repository's, by `https`, `ssh` or a path; `scratch` is an
    /// empty folder.
    ///
    /// # Errors
    /// If git can't reach it.
    pub fn ask_remote(&self, destination: &mut Destination, scratch: &Path) -> Result<()> {
        let remote = &destination.remote;
        let address = self.quiet(&["ls-remote", "--get-url", "--", remote]);
        let address = address.unwrap_or_else(|| remote.clone());
        let here = redshank_files::canonical(&self.top.join(&address));
        let address = here.map_or(address.into(), PathBuf::into_os_string);
        let words = ["ls-remote", "--heads", "--tags", "--"].map(OsString::from);
        let said = outside(scratch).args(words).args([address]).output()?;
        // `object` TAB `reference`, and for a tag also what it is on (git-ls-remote(1)).
        let said = said.to_str_lossy();
        let lines = said.lines().filter_map(|line| line.split_once('\t'));
        let (mut objects, mut answer) = (Vec::new(), RemoteAnswer::default());
        for (object, reference) in lines {
            objects.push(object);
            if let Some(branch) = reference.strip_prefix("refs/heads/") {
                answer.branches.insert(branch.to_owned(), object.to_owned());
            }
        }
        let missing = self.missing(objects.iter().copied())?;
        answer.unknown = objects
            .iter()
            .filter(|object| missing.contains(**object))
            .count();
        let known = objects.iter().filter(|object| !missing.contains(**object));
        answer.known = known.map(|object| (*object).to_owned()).collect();
        let at = answer.branches.get(&destination.branch);
        destination.known = at.filter(|at| answer.known.contains(at)).cloned();
        destination.answer = Some(answer);
        Ok(())
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
        let beyond = destination.range();
        let beyond: Vec<&str> = beyond.iter().map(String::as_str).collect();
        let mut sent = self.sent_objects(&beyond)?;
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
        sent.files = self.files_to_push(destination)?;
        sent.stored = self.stored_by(&sent.files)?;
        sent.authors = authors;
        Ok(sent)
    }

    /// The objects of a push, counted in one walk.
    fn sent_objects(&self, beyond: &[&str]) -> Result<Outgoing> {
        let list = ["rev-list", "--objects", "--missing=allow-promisor"];
        let mut lister = self.git().args(list).args(beyond).fed_by(None)?;
        let form = "--batch-check=%(objecttype) %(objectsize) %(objectsize:disk) %(rest)";
        let mut counter = self
            .git()
            .args(["cat-file", "--buffer", form])
            .fed_by(lister.stdout.take())?;
        let mut sent = Outgoing {
            commits: 0,
            objects: 0,
            bytes: 0,
            files: Vec::new(),
            authors: BTreeMap::new(),
            largest: Vec::new(),
            stored: StoredSize::default(),
        };
        let mut largest: BinaryHeap<Reverse<LargeObject>> = BinaryHeap::new();
        for line in output(&mut counter)?.split(b'\n') {
            let line = line.map_err(Error::NotStarted)?;
            let mut words = line.splitn(4, |byte| *byte == b' ');
            let kind = words.next().unwrap_or_default();
            let mut number = || {
                words
                    .next()
                    .and_then(|word| word.to_str().ok()?.parse().ok())
            };
            // What is not here is named with the word `missing`, and not sent from here.
            let (Some(size), Some(disk)) = (number(), number()) else {
                continue;
            };
            let _: u64 = disk;
            sent.objects += 1;
            sent.bytes += disk;
            sent.commits += u64::from(kind == b"commit");
            if kind == b"blob" {
                let path = words.next().unwrap_or_default().into();
                largest.push(Reverse(LargeObject { size, path }));
                if largest.len() > LARGEST {
                    largest.pop();
                }
            }
        }
        let ended = [lister.wait(), counter.wait()];
        if !ended
            .into_iter()
            .all(|one| one.is_ok_and(|status| status.success()))
        {
            return Err(Error::Refused {
                command: "git rev-list --objects".to_owned(),
                said: "it ended early".to_owned(),
            });
        }
        // Turned round, the largest come first.
        sent.largest = largest
            .into_sorted_vec()
            .into_iter()
            .map(|Reverse(one)| one)
            .collect();
        Ok(sent)
    }

    /// What pointers among these files stand for.
    fn stored_by(&self, files: &[Changed]) -> Result<StoredSize> {
        let mut stored = StoredSize::default();
        let small = files.iter().filter(|file| {
            let is_small = file.size.is_some_and(|size| size <= LONGEST_POINTER);
            is_small && matches!(file.is, Some(TreeMode::File | TreeMode::Executable))
        });
        let mut blobs = None;
        for file in small {
            let Some(object) = &file.object else { continue };
            let blobs = match &mut blobs {
                Some(blobs) => blobs,
                None => blobs.insert(self.blobs()?),
            };
            let mut held = Vec::new();
            let read = blobs.read(object, |_, blob| blob.read_to_end(&mut held));
            if read.is_err() || !held.starts_with(POINTER) {
                continue;
            }
            let size = ByteSlice::lines(&held[..]).find_map(|line| line.strip_prefix(b"size "));
            let size = size.and_then(|size| size.to_str().ok()?.parse::<u64>().ok());
            if let Some(size) = size {
                stored.files += 1;
                stored.bytes += size;
            }
        }
        Ok(stored)
    }

    /// The files that differ between what is there and what is pushed: of the current branch, or of
    /// every one; each path once.
    fn files_to_push(&self, destination: &Destination) -> Result<Vec<Changed>> {
        let current = self.changed_between(destination.known.as_deref(), "HEAD")?;
        if !destination.all {
            return Ok(current);
        }
        let list = [
            "for-each-ref",
            "--format=%(refname)",
            "refs/heads",
            "refs/tags",
        ];
        let mut files: BTreeMap<BString, Changed> = BTreeMap::new();
        for reference in self.words(&list)? {
            let commit = format!("{reference}^{{commit}}");
            let Some(commit) = self.quiet(&["rev-parse", "--verify", "--quiet", &commit]) else {
                continue;
            };
            let there = reference.strip_prefix("refs/heads/").and_then(|branch| {
                let named = || format!("{TRACKING}{}/{branch}^{{commit}}", destination.remote);
                match &destination.answer {
                    Some(answer) => answer.branches.get(branch).cloned(),
                    None => self.quiet(&["rev-parse", "--verify", "--quiet", &named()]),
                }
            });
            let is_here = |commit: &String| {
                let answer = destination.answer.as_ref();
                answer.is_none_or(|answer| answer.known.contains(commit))
            };
            let base = there.filter(is_here).or_else(|| destination.known.clone());
            for file in self.changed_between(base.as_deref(), &commit)? {
                files.entry(file.path.clone()).or_insert(file);
            }
        }
        Ok(files.into_values().collect())
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
