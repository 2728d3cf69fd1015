//! Starting git.

#![allow(clippy::disallowed_methods, reason = "this is the door")]

use crate::programs::{ALWAYS, ENVIRONMENT};
use crate::{Error, Result};
use redshank_progress::Phase;
use std::ffi::{OsStr, OsString};
use std::fs::File;
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use std::process::{Command, ExitStatus, Stdio};
use std::thread::Builder;

/// A thread that only reads or writes a pipe.
pub(crate) fn small_thread() -> Builder {
    Builder::new().stack_size(64 << 10)
}

/// One call of git to be made.
pub struct Git {
    folder: PathBuf,
    args: Vec<OsString>,
    env: Vec<(OsString, OsString)>,
    unset: Vec<&'static str>,
    /// Configuration that is set for this call, as `-c key=value`.
    config: Vec<OsString>,
    /// Configuration keys that keep what the repository says.
    kept: Vec<&'static str>,
    is_guarded: bool,
}

impl Git {
    /// git, run in `folder`, and starting no program that a repository's configuration names
    /// (`programs.rs`).
    pub fn at(folder: &Path) -> Self {
        Self {
            folder: folder.into(),
            args: Vec::new(),
            env: Vec::new(),
            unset: Vec::new(),
            config: Vec::new(),
            kept: Vec::new(),
            is_guarded: true,
        }
    }

    /// Lets git run all that it would run for a person: hooks, filters, monitors. Only for a
    /// repository of our own making.
    #[must_use]
    pub fn as_a_person_would(mut self) -> Self {
        self.is_guarded = false;
        self
    }

    /// Adds arguments.
    #[must_use]
    pub fn args<S: AsRef<OsStr>>(mut self, args: impl IntoIterator<Item = S>) -> Self {
        self.args
            .extend(args.into_iter().map(|arg| arg.as_ref().to_owned()));
        self
    }

    /// Sets configuration for this call, as `-c key=value`.
    pub(crate) fn config(mut self, config: &[OsString]) -> Self {
        self.config.extend_from_slice(config);
        self
    }

    /// Leaves a key that is set otherwise in every call as it is, for a call that only asks for it.
    pub(crate) fn keeping(mut self, key: &'static str) -> Self {
        self.kept.push(key);
        self
    }

    /// Sets a variable of git's environment.
    #[must_use]
    pub fn env(mut self, name: impl Into<OsString>, value: impl Into<OsString>) -> Self {
        self.env.push((name.into(), value.into()));
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
    pub(crate) fn with_input(self, input: &[u8]) -> Result<Vec<u8>> {
        self.with_files(input, None, None)
    }

    /// Runs it with `input`, or a file, on its standard input; returns its standard output, or
    /// writes it into a file.
    ///
    /// # Errors
    /// If git can't be started, or ends with anything but success.
    pub(crate) fn with_files(
        self,
        input: &[u8],
        from: Option<File>,
        into: Option<File>,
    ) -> Result<Vec<u8>> {
        let Ended { status, out, said } = self.run(input, from, into)?;
        if status.success() {
            return Ok(out);
        }
        #[cfg(unix)]
        if let Some(signal) = std::os::unix::process::ExitStatusExt::signal(&status) {
            let command = self.shown();
            return Err(Error::Killed { command, signal });
        }
        let said = String::from_utf8_lossy(&said)
            .trim()
            .trim_start_matches("fatal: ")
            .to_owned();
        Err(Error::Refused {
            command: self.shown(),
            said,
        })
    }

    /// Runs it and returns its exit code and its standard output, for a command whose code is a part
    /// of the answer; a signal that ended it counts as 128 and more, as in a shell.
    ///
    /// # Errors
    /// If git can't be started.
    pub(crate) fn ended(self) -> Result<(i32, Vec<u8>)> {
        let Ended { status, out, .. } = self.run(&[], None, None)?;
        Ok((status.code().unwrap_or(128), out))
    }

    fn run(&self, input: &[u8], from: Option<File>, into: Option<File>) -> Result<Ended> {
        let asked = Phase::Git.begin();
        let from = match from {
            Some(file) => Stdio::from(file),
            None if input.is_empty() => Stdio::null(),
            None => Stdio::piped(),
        };
        let mut child = self
            .command()
            .stdin(from)
            .stdout(into.map_or_else(Stdio::piped, Stdio::from))
            .stderr(Stdio::piped())
            .spawn()
            .map_err(Error::NotStarted)?;
        let (stdin, stdout, stderr) =
            (child.stdin.take(), child.stdout.take(), child.stderr.take());
        let piped = std::thread::scope(|scope| {
            let said = small_thread().spawn_scoped(scope, || drained(stderr))?;
            if let Some(mut pipe) = stdin {
                // A git that ends early closes the pipe; its own message then says why.
                small_thread().spawn_scoped(scope, move || pipe.write_all(input))?;
            }
            Ok((drained(stdout), said.join().unwrap_or_default()))
        });
        let (out, said) = piped.map_err(|error| {
            let _ = child.kill();
            Error::NotStarted(error)
        })?;
        let status = child.wait().map_err(Error::NotStarted)?;
        asked.seen(1, out.len() as u64);
        Ok(Ended { status, out, said })
    }

    /// Starts it with its input and output as pipes; its messages are dropped.
    ///
    /// # Errors
    /// If git can't be started.
    pub(crate) fn piped(self) -> Result<std::process::Child> {
        let mut command = self.command();
        let command = command
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::null());
        command.spawn().map_err(Error::NotStarted)
    }

    /// Starts it with another process's output as its input, or none; its messages are dropped.
    ///
    /// # Errors
    /// If git can't be started.
    pub(crate) fn fed_by(
        self,
        input: Option<std::process::ChildStdout>,
    ) -> Result<std::process::Child> {
        let mut command = self.command();
        let command = command
            .stdin(input.map_or_else(Stdio::null, Stdio::from))
            .stdout(Stdio::piped());
        command
            .stderr(Stdio::null())
            .spawn()
            .map_err(Error::NotStarted)
    }

    /// Runs it with this process's own input and outputs; returns whether it succeeded.
    ///
    /// # Errors
    /// If git can't be started.
    pub fn passed_through(self) -> Result<bool> {
        Ok(self
            .command()
            .status()
            .map_err(Error::NotStarted)?
            .success())
    }

    fn command(&self) -> Command {
        let mut command = Command::new("git");
        command.current_dir(&self.folder).envs(
            ENVIRONMENT
                .iter()
                .copied()
                .take(if self.is_guarded { usize::MAX } else { 1 }),
        );
        if self.is_guarded {
            let set = ALWAYS.iter().filter(|(key, _)| !self.kept.contains(key));
            command
                .arg("--no-pager")
                .args(set.flat_map(|(key, value)| ["-c".to_owned(), format!("{key}={value}")]));
            command.args(&self.config);
        }
        command.args(&self.args);
        for name in &self.unset {
            command.env_remove(name);
        }
        command.envs(self.env.iter().map(|(name, value)| (name, value)));
        command
    }

    /// The command as a person would type it.
    fn shown(&self) -> String {
        let words = self.args.iter().map(|word| word.to_string_lossy());
        std::iter::once("git".into())
            .chain(words)
            .collect::<Vec<_>>()
            .join(" ")
    }
}

/// What came of a call.
struct Ended {
    status: ExitStatus,
    /// Its standard output.
    out: Vec<u8>,
    /// What it said on its standard error.
    said: Vec<u8>,
}

fn drained(pipe: Option<impl Read>) -> Vec<u8> {
    let mut bytes = Vec::new();
    // What was read before a failure is still worth having; the exit status tells of the failure.
    let _ = pipe.map(|mut pipe| pipe.read_to_end(&mut bytes));
    bytes
}
