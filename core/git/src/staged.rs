//! What is staged: the contents that the next commit would hold, not those on disk.

use crate::{Error, Git, Repository, Result};
use bstr::{BStr, BString, ByteSlice};
use std::collections::HashMap;
use std::io::{BufRead, BufReader, Read, Write};
use std::process::{Child, ChildStdin, ChildStdout};

/// A path whose staged contents differ from the current commit's.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Staged {
    /// Relative to the top.
    pub path: BString,
    /// The name of the contents in git's object store.
    pub blob: String,
}

impl Repository {
    /// The files that the next commit adds or changes; all of them if there is no commit yet.
    ///
    /// # Errors
    /// If git refuses.
    pub fn staged(&self) -> Result<Vec<Staged>> {
        let diff = [
            "diff",
            "--cached",
            "--raw",
            "-z",
            "--no-abbrev",
            "--no-renames",
            "--diff-filter=d",
            "--no-ext-diff",
            "--no-textconv",
        ];
        let listed = self.git().args(diff).output()?;
        // `:mode mode blob blob status` NUL `path` NUL (git-diff-index(1), raw output format).
        let mut fields = listed.split(|byte| *byte == 0);
        let mut staged = Vec::new();
        while let (Some(head), Some(path)) =
            (fields.next().filter(|head| !head.is_empty()), fields.next())
        {
            let words: Vec<&[u8]> = head.split_str(" ").collect();
            let [_, mode, _, blob, _] = words[..] else {
                continue;
            };
            // A link or another repository has no contents to look into.
            if mode.starts_with(b"100") {
                staged.push(Staged {
                    path: path.into(),
                    blob: blob.to_str_lossy().into_owned(),
                });
            }
        }
        Ok(staged)
    }

    /// How large the staged contents of these paths are, in bytes; of those that are tracked.
    ///
    /// # Errors
    /// If the index can't be read or git refuses.
    pub fn staged_sizes(&self, paths: &[&BStr]) -> Result<HashMap<BString, u64>> {
        if paths.is_empty() {
            return Ok(HashMap::new());
        }
        let index = self.index()?;
        let tracked: Vec<_> = paths.iter().filter_map(|path| index.get(path)).collect();
        let blobs: String = tracked
            .iter()
            .map(|tracked| tracked.blob() + "\n")
            .collect();
        let sizes = self
            .git()
            .args(["cat-file", "--batch-check=%(objectsize)"])
            .with_input(blobs.as_bytes())?;
        let sizes = ByteSlice::lines(&sizes[..])
            .map(|line| line.to_str().ok().and_then(|size| size.parse().ok()));
        let known = tracked
            .iter()
            .zip(sizes)
            .filter_map(|(tracked, size)| Some((tracked.path.to_owned(), size?)));
        Ok(known.collect())
    }

    /// Opens git's object store for reading.
    ///
    /// # Errors
    /// If git can't be started.
    pub fn blobs(&self) -> Result<Blobs> {
        Blobs::start(self.git())
    }
}

/// git's object store, read through one process (git-cat-file(1), batch output).
pub struct Blobs {
    child: Child,
    questions: Option<ChildStdin>,
    answers: BufReader<ChildStdout>,
}

impl Blobs {
    fn start(git: Git) -> Result<Self> {
        let mut child = git.args(["cat-file", "--batch"]).piped()?;
        let (questions, answers) = (child.stdin.take(), child.stdout.take());
        let answers =
            answers.ok_or_else(|| Error::NotStarted(std::io::Error::other("git has no output")))?;
        Ok(Self {
            child,
            questions,
            answers: BufReader::new(answers),
        })
    }

    /// Passes a blob's size in bytes and its contents to `take`, which needn't read them all.
    ///
    /// # Errors
    /// If there is no such blob, git ends, or `take` errs.
    pub fn read<T>(
        &mut self,
        blob: &str,
        take: impl FnOnce(u64, &mut dyn Read) -> std::io::Result<T>,
    ) -> std::io::Result<T> {
        let questions = self
            .questions
            .as_mut()
            .ok_or_else(|| std::io::Error::other("git ended early"))?;
        writeln!(questions, "{blob}")?;
        questions.flush()?;
        let mut head = String::new();
        self.answers.read_line(&mut head)?;
        let size = head
            .trim_end()
            .rsplit(' ')
            .next()
            .and_then(|size| size.parse::<u64>().ok());
        let size = size
            .ok_or_else(|| std::io::Error::other(format!("git has no contents here for {blob}")))?;
        let mut contents = Read::by_ref(&mut self.answers).take(size);
        let taken = take(size, &mut contents);
        // The rest, and the line end behind it.
        std::io::copy(&mut contents, &mut std::io::sink())?;
        self.answers.read_exact(&mut [0])?;
        taken
    }
}

impl Drop for Blobs {
    fn drop(&mut self) {
        // Without questions git ends by itself.
        drop(self.questions.take());
        let _ = self.child.wait();
    }
}
