//! Starting git.

use crate::{Error, Result};
use std::ffi::{OsStr, OsString};
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// One call of git to be made.
pub struct Git {
    folder: PathBuf,
    words: Vec<OsString>,
    settings: Vec<(OsString, OsString)>,
    unset: Vec<&'static str>,
}

impl Git {
    /// git, run in `folder`.
    pub fn at(folder: &Path) -> Self {
        Self { folder: folder.into(), words: Vec::new(), settings: Vec::new(), unset: Vec::new() }
    }

    /// Adds arguments.
    pub fn words<S: AsRef<OsStr>>(mut self, words: impl IntoIterator<Item = S>) -> Self {
        self.words.extend(words.into_iter().map(|word| word.as_ref().to_owned()));
        self
    }

    /// Sets a variable of git's environment.
    pub fn setting(mut self, name: impl Into<OsString>, value: impl Into<OsString>) -> Self {
        self.settings.push((name.into(), value.into()));
        self
    }

    /// Takes variables out of git's environment.
    pub(crate) fn without(mut self, names: impl IntoIterator<Item = &'static str>) -> Self {
        self.unset.extend(names);
        self
    }

    /// Runs it and gives its standard output.
    ///
    /// # Errors
    /// If git can't be started, or ends with anything but success.
    pub fn output(self) -> Result<Vec<u8>> {
        self.with_input(&[])
    }

    /// Runs it with `input` on its standard input.
    ///
    /// # Errors
    /// If git can't be started, or ends with anything but success.
    pub fn with_input(self, input: &[u8]) -> Result<Vec<u8>> {
        let mut child = self
            .command()
            .stdin(if input.is_empty() { Stdio::null() } else { Stdio::piped() })
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .map_err(Error::NotStarted)?;
        let (stdin, stdout, stderr) = (child.stdin.take(), child.stdout.take(), child.stderr.take());
        let (out, said) = std::thread::scope(|scope| {
            let said = scope.spawn(|| drained(stderr));
            // A git that ends early closes the pipe; its own message then says why.
            scope.spawn(move || stdin.map(|mut pipe| pipe.write_all(input)));
            (drained(stdout), said.join().unwrap_or_default())
        });
        let status = child.wait().map_err(Error::NotStarted)?;
        if status.success() {
            return Ok(out);
        }
        let said = String::from_utf8_lossy(&said).trim().trim_start_matches("fatal: ").to_owned();
        Err(Error::Refused { command: self.shown(), said })
    }

    /// Starts it with its input and output as pipes; its messages are dropped.
    ///
    /// # Errors
    /// If git can't be started.
    pub(crate) fn piped(self) -> Result<std::process::Child> {
        let mut command = self.command();
        let command = command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::null());
        command.spawn().map_err(Error::NotStarted)
    }

    /// Starts it with another process's output as its input, or none; its messages are dropped.
    ///
    /// # Errors
    /// If git can't be started.
    pub(crate) fn fed_by(self, input: Option<std::process::ChildStdout>) -> Result<std::process::Child> {
        let mut command = self.command();
        let command = command.stdin(input.map_or_else(Stdio::null, Stdio::from)).stdout(Stdio::piped());
        command.stderr(Stdio::null()).spawn().map_err(Error::NotStarted)
    }

    /// Runs it with this process's own input and outputs; gives whether it succeeded.
    ///
    /// # Errors
    /// If git can't be started.
    pub fn passed_through(self) -> Result<bool> {
        Ok(self.command().status().map_err(Error::NotStarted)?.success())
    }

    fn command(&self) -> Command {
        let mut command = Command::new("git");
        // Messages are compared and shown; they come in one language. Reading never takes the index's lock.
        command.current_dir(&self.folder).args(&self.words).env("LC_ALL", "C").env("GIT_OPTIONAL_LOCKS", "0");
        for name in &self.unset {
            command.env_remove(name);
        }
        command.envs(self.settings.iter().map(|(name, value)| (name, value)));
        command
    }

    /// The command as a person would type it.
    fn shown(&self) -> String {
        let words = self.words.iter().map(|word| word.to_string_lossy());
        std::iter::once("git".into()).chain(words).collect::<Vec<_>>().join(" ")
    }
}

fn drained(pipe: Option<impl Read>) -> Vec<u8> {
    let mut bytes = Vec::new();
    // What was read before a failure is still worth having; the exit status tells of the failure.
    let _ = pipe.map(|mut pipe| pipe.read_to_end(&mut bytes));
    bytes
}
