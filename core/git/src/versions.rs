//! Every version of every file that the history holds.

use crate::{Error, Repository, Result};
use bstr::{BString, ByteSlice};
use std::collections::{HashMap, HashSet};
use std::io::{BufRead, BufReader, Read};
use std::process::{Child, ChildStdout};

/// One version of a file's contents.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Version {
    /// The name of the contents in git's object store.
    pub blob: String,
    /// Size of the contents in bytes.
    pub size: u64,
    /// A path that they have somewhere in the history; for a note, the object that it is on.
    pub path: BString,
    /// Where git keeps them.
    pub kept: Kept,
}

/// Where git keeps a version.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Kept {
    /// In a commit that a branch, a tag or another reference reaches.
    History,
    /// In a note (git-notes(1)).
    Note,
    /// In the stash (git-stash(1)).
    Stash,
    /// In a commit that only the reflog remembers (git-reflog(1)).
    Reflog,
}

/// What keeps a clone from having all of the history.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum HistoryCut {
    /// It was cloned to a depth; the commits at which it ends.
    Shallow {
        /// Hashes of the commits.
        commits: Vec<String>,
    },
    /// Contents are fetched when they are needed; so many are not here.
    Partial {
        /// Number of objects that this clone lacks.
        missing: usize,
    },
    /// Grafts or replacements show another history than the one that is pushed.
    Grafted,
}

/// A commit, as a log tells of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Commit {
    /// The name, as it is written.
    pub name: String,
    /// Its day, `YYYY-MM-DD`.
    pub day: String,
    /// How many commits the log names before it, which are newer or on other branches.
    pub newer: u64,
}

/// git's lists of shallow and grafted commits are read up to this size, in bytes.
const LARGEST_LIST: u64 = 16 << 20;

/// References of an earlier version of this program are no history of anybody's.
pub(crate) const OURS: &str = "--exclude=refs/redshank/*";

impl Repository {
    /// Hands every version of every file that git keeps to `take`, once, with its contents, which
    /// needn't be read: those of reachable commits first, then those of notes, the stash and the
    /// reflog. What is in memory doesn't grow with the history. Returns how many contents are not
    /// here, as in a partial clone.
    ///
    /// # Errors
    /// If git can't be started or ends early, or `take` errs.
    pub fn every_version(
        &self,
        take: &mut dyn FnMut(Version, &mut dyn Read) -> std::io::Result<()>,
    ) -> Result<usize> {
        let mut missing = 0;
        let history = [
            "--exclude=refs/stash",
            "--exclude=refs/notes/*",
            OURS,
            "--all",
        ];
        let heads = self.heads_of_worktrees()?;
        let heads: Vec<&str> = heads.iter().map(String::as_str).collect();
        let history = [&history[..], &heads].concat();
        missing += self.versions_of(Kept::History, &history, take)?;
        if self.has_reference("refs/notes/")? {
            let notes = [&["--glob=refs/notes/*", "--not"], &history[..]].concat();
            missing += self.versions_of(Kept::Note, &notes, take)?;
        }
        let stash = if self.has_reference("refs/stash")? {
            self.stash()?
        } else {
            Vec::new()
        };
        let stash: Vec<&str> = stash.iter().map(String::as_str).collect();
        if !stash.is_empty() {
            let stashed = [&stash[..], &["--not"], &history[..]].concat();
            missing += self.versions_of(Kept::Stash, &stashed, take)?;
        }
        let known = ["--reflog", "--not", "--glob=refs/notes/*"];
        let reflog = [&known, &stash[..], &history[..]].concat();
        missing += self.versions_of(Kept::Reflog, &reflog, take)?;
        Ok(missing)
    }

    /// The commits that all working trees of this repository are at, whether on a branch or not.
    fn heads_of_worktrees(&self) -> Result<Vec<String>> {
        let said = self
            .git()
            .args(["worktree", "list", "--porcelain"])
            .output()?;
        // `HEAD COMMIT`; all noughts before the first commit (git-worktree(1), "Porcelain format").
        let heads = ByteSlice::lines(&said[..]).filter_map(|line| line.strip_prefix(b"HEAD "));
        let heads = heads.filter(|commit| commit.iter().any(|digit| *digit != b'0'));
        Ok(heads
            .map(|commit| commit.to_str_lossy().into_owned())
            .collect())
    }

    fn has_reference(&self, below: &str) -> Result<bool> {
        let list = ["for-each-ref", "--count=1", "--format=x", below];
        Ok(!self.git().args(list).output()?.is_empty())
    }

    /// The commits of the stash, the newest first.
    ///
    /// # Errors
    /// If git refuses.
    pub fn stash(&self) -> Result<Vec<String>> {
        let list = ["log", "--walk-reflogs", "--format=%H", "refs/stash", "--"];
        let names = self.git().args(list).output()?;
        Ok(ByteSlice::lines(&names[..])
            .map(|name| name.to_str_lossy().into_owned())
            .collect())
    }

    fn versions_of(
        &self,
        kept: Kept,
        from: &[&str],
        take: &mut dyn FnMut(Version, &mut dyn Read) -> std::io::Result<()>,
    ) -> Result<usize> {
        let list = ["rev-list", "--objects", "--missing=allow-promisor"];
        let list = list.into_iter().chain(from.iter().copied());
        let list = list.chain(["--filter=object:type=blob", "--filter-provided-objects"]);
        let mut lister = self.git().args(list).fed_by(None)?;
        // git-cat-file(1), batch output: `name size path` LF contents LF.
        let print = [
            "cat-file",
            "--buffer",
            "--batch=%(objectname) %(objectsize) %(rest)",
        ];
        let mut printer = self.git().args(print).fed_by(lister.stdout.take())?;
        let mut printed = output(&mut printer)?;
        let read = read_versions(&mut printed, kept, take).map_err(|error| Error::Refused {
            command: "git cat-file --batch".to_owned(),
            said: error.to_string(),
        });
        drop(printed);
        let fine = [lister.wait(), printer.wait()]
            .into_iter()
            .all(|status| status.is_ok_and(|status| status.success()));
        let missing = read?;
        if fine {
            return Ok(missing);
        }
        Err(Error::Refused {
            command: "git rev-list --objects --all".to_owned(),
            said: "it ended early".to_owned(),
        })
    }

    /// What keeps this clone from having all of the history, as far as git knows without looking at
    /// contents.
    ///
    /// # Errors
    /// If git refuses.
    pub fn history_cuts(&self) -> Result<Vec<HistoryCut>> {
        let mut cuts = Vec::new();
        let asked = ["rev-parse", "--is-shallow-repository"];
        if self.git().args(asked).output()?.starts_with(b"true") {
            let path = self.common_folder.join("shallow");
            let held = redshank_files::read_trusted(&path, LARGEST_LIST).unwrap_or_default();
            let commits = ByteSlice::lines(&held[..]).map(|name| name.to_str_lossy().into_owned());
            let commits = commits.collect();
            cuts.push(HistoryCut::Shallow { commits });
        }
        let grafts = self.common_folder.join("info/grafts");
        let grafts = redshank_files::read_trusted(&grafts, LARGEST_LIST).unwrap_or_default();
        if !grafts.is_empty() || self.has_reference("refs/replace/")? {
            cuts.push(HistoryCut::Grafted);
        }
        Ok(cuts)
    }

    /// The commits that brought these contents in, newest first, by the contents' names: of all
    /// references, or of the reflog and the stash as well.
    ///
    /// # Errors
    /// If git can't be started.
    pub fn commits_with(
        &self,
        blobs: &HashSet<String>,
        with_reflog: bool,
    ) -> Result<HashMap<String, Vec<Commit>>> {
        let mut found: HashMap<String, Vec<Commit>> = HashMap::new();
        let log = [
            "log",
            OURS,
            if with_reflog {
                "--reflog"
            } else {
                "--exclude=refs/stash"
            },
            "--all",
            "HEAD",
            "--topo-order",
            "--raw",
            "--no-abbrev",
            "--no-renames",
            "-r",
            "-m",
            "-z",
            "--root",
        ];
        let mut logger = self
            .git()
            .args(log)
            .args(["--format=%x01%H %cs"])
            .fed_by(None)?;
        let mut commit = Commit {
            name: String::new(),
            day: String::new(),
            newer: 0,
        };
        for part in output(&mut logger)?.split(0) {
            let Ok(part) = part else { break };
            let part = part.trim_start_with(|c| c == '\n');
            if let Some(head) = part.strip_prefix(b"\x01") {
                let head = head.to_str_lossy();
                let (name, day) = head.split_once(' ').unwrap_or_default();
                // A merge comes once for each parent.
                let newer = commit.newer + u64::from(commit.name != name);
                commit = Commit {
                    name: name.to_owned(),
                    day: day.to_owned(),
                    newer,
                };
            } else if let Some(new) = part
                .strip_prefix(b":")
                .and_then(|raw| raw.split(|byte| *byte == b' ').nth(3))
            {
                let commits = new
                    .to_str()
                    .ok()
                    .filter(|new| blobs.contains(*new))
                    .map(|new| found.entry(new.to_owned()));
                if let Some(commits) = commits.map(|entry| entry.or_default())
                    && commits.last() != Some(&commit)
                {
                    commits.push(commit.clone());
                }
            }
        }
        // A log that ended early names fewer commits, and the finding stands anyway.
        let _ = logger.wait();
        Ok(found)
    }
}

pub(crate) fn output(child: &mut Child) -> Result<BufReader<ChildStdout>> {
    let output = child
        .stdout
        .take()
        .ok_or_else(|| Error::NotStarted(std::io::Error::other("git has no output")))?;
    Ok(BufReader::with_capacity(1 << 18, output))
}

/// Whether the second word of a line is a number.
fn has_size(head: &[u8]) -> bool {
    let second = head.split_str(" ").nth(1).unwrap_or_default();
    !second.is_empty() && second.iter().all(u8::is_ascii_digit)
}

fn read_versions(
    printed: &mut impl BufRead,
    kept: Kept,
    take: &mut dyn FnMut(Version, &mut dyn Read) -> std::io::Result<()>,
) -> std::io::Result<usize> {
    let mut head = Vec::new();
    let mut missing = 0;
    loop {
        head.clear();
        if printed.read_until(b'\n', &mut head)? == 0 {
            return Ok(missing);
        }
        // What is not here is named with the path that was asked for.
        if head.trim_end_with(|c| c == '\n').ends_with(b" missing") && !has_size(&head) {
            missing += 1;
            continue;
        }
        let mut words = head
            .trim_end_with(|c| c == '\n')
            .splitn(3, |byte| *byte == b' ');
        let (blob, size, path) = (words.next(), words.next(), words.next().unwrap_or_default());
        let size = size
            .and_then(|size| size.to_str().ok())
            .and_then(|size| size.parse::<u64>().ok());
        let (Some(blob), Some(size)) = (blob, size) else {
            return Err(std::io::Error::other(format!(
                "an unknown line: {}",
                head.as_bstr()
            )));
        };
        let version = Version {
            blob: blob.to_str_lossy().into_owned(),
            size,
            path: path.into(),
            kept,
        };
        let mut contents = Read::by_ref(printed).take(size);
        take(version, &mut contents)?;
        std::io::copy(&mut contents, &mut std::io::sink())?;
        printed.read_exact(&mut [0])?;
    }
}
