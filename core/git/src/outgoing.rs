//! What a push would send: the remote and branch it goes to, the commits, objects and files that
//! are not there yet, as far as this clone's remote-tracking references know.

use crate::authors::{Author, AuthorShare};
use crate::command::small_thread;
use crate::fetch::outside;
use crate::messages::MessageOn;
use crate::trees::{Changed, TreeMode};
use crate::versions::{Kept, Version, output};
use crate::{Error, Repository, Result};
use bstr::{BString, ByteSlice};
use std::cmp::Reverse;
use std::collections::{BTreeMap, BinaryHeap};
use std::ffi::OsString;
use std::io::{BufRead, BufWriter, Read, Write};
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
    /// Who made the commits.
    pub authors: BTreeMap<Author, AuthorShare>,
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

/// An object that a push sends and that holds something to read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum SentObject {
    /// One version of a file's contents.
    Version(Version),
    /// The message of a commit or a tag.
    Message(MessageOn),
}

/// What git's objects are.
const KINDS: [&[u8]; 4] = [b"blob", b"tree", b"commit", b"tag"];

/// The objects of a push.
#[derive(Default)]
struct Counts {
    objects: u64,
    /// How much room they take, in bytes.
    bytes: u64,
    /// Those that are not here.
    missing: usize,
}

impl Counts {
    /// Counts the objects that `counted` lists, and asks for the contents of all but folders.
    fn read(counted: impl BufRead, asked: Option<impl Write>) -> std::io::Result<Self> {
        let mut counts = Self::default();
        let mut asked = asked.map(BufWriter::new);
        for line in counted.split(b'\n') {
            let line = line?;
            let words: Vec<&[u8]> = line.splitn(4, |byte| *byte == b' ').collect();
            let is_here = KINDS.contains(&words[0]);
            let disk = words.get(2).filter(|_| is_here);
            let disk = disk.and_then(|disk| disk.to_str().ok()?.parse::<u64>().ok());
            let Some(disk) = disk else {
                // `NAME missing`, and the path that was asked for.
                counts.missing += 1;
                continue;
            };
            counts.objects += 1;
            counts.bytes += disk;
            if words[0] == b"tree" {
                continue;
            }
            if let Some(asked) = &mut asked {
                asked.write_all(words[1])?;
                asked.write_all(b" ")?;
                asked.write_all(words.get(3).copied().unwrap_or_default())?;
                asked.write_all(b"\n")?;
            }
        }
        asked.as_mut().map_or(Ok(()), Write::flush)?;
        Ok(counts)
    }
}

/// A walk through the contents and messages of a push.
#[derive(Default)]
struct Walk {
    commits: u64,
    authors: BTreeMap<Author, u64>,
    /// The smallest of the largest is on top.
    largest: BinaryHeap<Reverse<LargeObject>>,
}

impl Walk {
    fn read(
        &mut self,
        printed: &mut impl BufRead,
        take: &mut dyn FnMut(SentObject, &mut dyn Read) -> std::io::Result<()>,
    ) -> std::io::Result<()> {
        let mut head = Vec::new();
        loop {
            head.clear();
            if printed.read_until(b'\n', &mut head)? == 0 {
                return Ok(());
            }
            let line = head.trim_end_with(|sign| sign == '\n');
            let words: Vec<&[u8]> = line.splitn(4, |byte| *byte == b' ').collect();
            let size = words
                .get(2)
                .and_then(|size| size.to_str().ok()?.parse().ok());
            let Some(size) = size else {
                let said = format!("an unknown line: {}", line.as_bstr());
                return Err(std::io::Error::other(said));
            };
            let mut contents = Read::by_ref(printed).take(size);
            let name = words[1].to_str_lossy().into_owned();
            let path = words.get(3).copied().unwrap_or_default();
            match words[0] {
                b"blob" => {
                    self.note(size, path);
                    let version = Version {
                        blob: name,
                        size,
                        path: path.into(),
                        kept: Kept::History,
                    };
                    take(SentObject::Version(version), &mut contents)?;
                }
                b"commit" | b"tag" => {
                    let mut held = Vec::new();
                    contents.read_to_end(&mut held)?;
                    self.take_message(name, &held, take)?;
                }
                _ => {}
            }
            std::io::copy(&mut contents, &mut std::io::sink())?;
            printed.read_exact(&mut [0])?;
        }
    }

    fn note(&mut self, size: u64, path: &[u8]) {
        if self.largest.len() < LARGEST
            || self
                .largest
                .peek()
                .is_some_and(|smallest| size > smallest.0.size)
        {
            let path = path.into();
            self.largest.push(Reverse(LargeObject { size, path }));
        }
        if self.largest.len() > LARGEST {
            self.largest.pop();
        }
    }

    /// A commit or a tag: `KEY SP VALUE` lines, an empty one, the message (git-cat-file(1), `-p`).
    fn take_message(
        &mut self,
        name: String,
        held: &[u8],
        take: &mut dyn FnMut(SentObject, &mut dyn Read) -> std::io::Result<()>,
    ) -> std::io::Result<()> {
        let (heads, mut message) = held.split_once_str("\n\n").unwrap_or((held, b""));
        let value = |key: &str| {
            let mut lines = ByteSlice::lines(heads);
            lines.find_map(|line| line.strip_prefix(key.as_bytes()))
        };
        let on = match (value("tag "), value("author ")) {
            (Some(tag), None) => MessageOn::Tag {
                name: tag.to_str_lossy().into_owned(),
            },
            (_, author) => {
                self.commits += 1;
                if let Some(author) = author.and_then(Author::parse) {
                    *self.authors.entry(author).or_default() += 1;
                }
                MessageOn::Commit { name }
            }
        };
        take(SentObject::Message(on), &mut message)
    }
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

    /// What a push would send. Each contents and each message is handed to `take` on the way, once,
    /// and needn't be read. Also returns how many objects are not here, as in a partial clone.
    ///
    /// # Errors
    /// If git can't be started or ends early, or `take` errs.
    pub fn outgoing(
        &self,
        destination: &Destination,
        take: &mut dyn FnMut(SentObject, &mut dyn Read) -> std::io::Result<()>,
    ) -> Result<(Outgoing, usize)> {
        let list = ["rev-list", "--objects", "--missing=allow-promisor"];
        let list = self.git().args(list).args(destination.range());
        let mut lister = list.fed_by(None)?;
        let form = "--batch-check=%(objecttype) %(objectname) %(objectsize:disk) %(rest)";
        let count = self.git().args(["cat-file", "--buffer", form]);
        let mut counter = count.fed_by(lister.stdout.take())?;
        // git-cat-file(1), batch output: the line below, LF, contents, LF.
        let form = "--batch=%(objecttype) %(objectname) %(objectsize) %(rest)";
        let mut printer = self.git().args(["cat-file", "--buffer", form]).piped()?;
        let (counted, asked) = (output(&mut counter)?, printer.stdin.take());
        let mut printed = output(&mut printer)?;
        let mut walk = Walk::default();
        let walked = std::thread::scope(|scope| {
            // The contents of folders take long to print and are of no use here.
            let count = move || Counts::read(counted, asked);
            let count = small_thread().spawn_scoped(scope, count)?;
            let read = walk.read(&mut printed, take);
            // Whoever writes to somebody who stopped reading ends.
            drop(printed);
            let counts = count
                .join()
                .unwrap_or_else(|_| Err(std::io::Error::other("counting ended early")));
            read.and(counts)
        });
        let ended = [lister.wait(), counter.wait(), printer.wait()];
        let mut ended = ended.into_iter();
        let is_fine = ended.all(|one| one.is_ok_and(|status| status.success()));
        let counts = walked.map_err(|error| Error::Refused {
            command: "git cat-file --batch".to_owned(),
            said: error.to_string(),
        })?;
        if !is_fine {
            return Err(Error::Refused {
                command: "git rev-list --objects".to_owned(),
                said: "it ended early".to_owned(),
            });
        }
        let files = self.files_to_push(destination)?;
        let outgoing = Outgoing {
            commits: walk.commits,
            objects: counts.objects,
            bytes: counts.bytes,
            authors: self.with_oddities(walk.authors)?,
            largest: walk
                .largest
                .into_sorted_vec()
                .into_iter()
                .map(|Reverse(one)| one)
                .collect(),
            stored: self.stored_by(&files)?,
            files,
        };
        Ok((outgoing, counts.missing))
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
            let there = reference
                .strip_prefix("refs/heads/")
                .and_then(|branch| match &destination.answer {
                    Some(answer) => answer.branches.get(branch).cloned(),
                    None => self.quiet(&[
                        "rev-parse",
                        "--verify",
                        "--quiet",
                        &format!("{TRACKING}{}/{branch}^{{commit}}", destination.remote),
                    ]),
                });
            let base = there
                .filter(|commit| {
                    let answer = destination.answer.as_ref();
                    answer.is_none_or(|answer| answer.known.contains(commit))
                })
                .or_else(|| destination.known.clone());
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
