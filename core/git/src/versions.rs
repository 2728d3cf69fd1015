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
    /// In bytes.
    pub size: u64,
    /// A path that they have somewhere in the history.
    pub path: BString,
}

/// A commit, as a log tells of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Commit {
    /// Its name.
    pub name: String,
    /// Its day, `YYYY-MM-DD`.
    pub day: String,
    /// How many commits the log names before it, which are newer or on other branches.
    pub newer: u64,
}

/// References of an earlier version of this program are no history of anybody's.
pub(crate) const OURS: &str = "--exclude=refs/redshank/*";

impl Repository {
    /// Hands every version of every file that a reachable commit holds to `take`, once, with its
    /// contents, which needn't be read. What is in memory doesn't grow with the history.
    ///
    /// # Errors
    /// If git can't be started or ends early, or `take` errs.
    pub fn every_version(
        &self,
        take: &mut dyn FnMut(Version, &mut dyn Read) -> std::io::Result<()>,
    ) -> Result<()> {
        if !self.has_commit() {
            return Ok(());
        }
        let list = [
            "rev-list",
            "--objects",
            OURS,
            "--all",
            "HEAD",
            "--missing=allow-promisor",
        ];
        let list = list
            .into_iter()
            .chain(["--filter=object:type=blob", "--filter-provided-objects"]);
        let mut lister = self.git().args(list).fed_by(None)?;
        // git-cat-file(1), batch output: `name size path` LF contents LF.
        let print = [
            "cat-file",
            "--buffer",
            "--batch=%(objectname) %(objectsize) %(rest)",
        ];
        let mut printer = self.git().args(print).fed_by(lister.stdout.take())?;
        let mut printed = output(&mut printer)?;
        let read = read_versions(&mut printed, take).map_err(|error| Error::Refused {
            command: "git cat-file --batch".to_owned(),
            said: error.to_string(),
        });
        drop(printed);
        let fine = [lister.wait(), printer.wait()]
            .into_iter()
            .all(|status| status.is_ok_and(|status| status.success()));
        read?;
        if fine {
            return Ok(());
        }
        Err(Error::Refused {
            command: "git rev-list --objects --all".to_owned(),
            said: "it ended early".to_owned(),
        })
    }

    /// The commits that brought these contents in, newest first, by the contents' names.
    ///
    /// # Errors
    /// If git can't be started.
    pub fn commits_with(&self, blobs: &HashSet<String>) -> Result<HashMap<String, Vec<Commit>>> {
        let mut found: HashMap<String, Vec<Commit>> = HashMap::new();
        let log = [
            "log",
            OURS,
            "--all",
            "HEAD",
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
        // A log that ended early names fewer commits, and the finding stands all the same.
        let _ = logger.wait();
        Ok(found)
    }
}

fn output(child: &mut Child) -> Result<BufReader<ChildStdout>> {
    let output = child
        .stdout
        .take()
        .ok_or_else(|| Error::NotStarted(std::io::Error::other("git has no output")))?;
    Ok(BufReader::with_capacity(1 << 18, output))
}

fn read_versions(
    printed: &mut impl BufRead,
    take: &mut dyn FnMut(Version, &mut dyn Read) -> std::io::Result<()>,
) -> std::io::Result<()> {
    let mut head = Vec::new();
    loop {
        head.clear();
        if printed.read_until(b'\n', &mut head)? == 0 {
            return Ok(());
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
        };
        let mut contents = Read::by_ref(printed).take(size);
        take(version, &mut contents)?;
        std::io::copy(&mut contents, &mut std::io::sink())?;
        printed.read_exact(&mut [0])?;
    }
}
