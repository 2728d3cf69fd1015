//! The check before each commit: a block in git's `pre-commit` hook (githooks(5)), beside whatever else stands there.

use crate::disk::{read_if_there, refused, replace};
use crate::platform;
use crate::tree::Place;
use crate::{Error, Result};
use bstr::ByteSlice;
use std::path::{Path, PathBuf};

const START: &str = "# redshank: start hook";
const END: &str = "# redshank: end hook";

/// Where somebody's own hook is put that is no shell script; ours runs it afterwards.
const ASIDE: &str = "pre-commit.own";

/// The hook of a repository.
pub struct Hook {
    /// The script.
    pub path: PathBuf,
    /// The hooks folder is a part of the working tree, so that others get it, too.
    pub shared: bool,
}

/// What stands in it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Standing {
    /// No check of ours.
    Off,
    /// Our check, alone.
    On,
    /// Our check, beside a hook of somebody's own.
    Beside,
}

impl Hook {
    /// The hook of a place; `core.hooksPath` counts.
    ///
    /// # Errors
    /// If the place is no repository or git can't be asked.
    pub fn of(place: &Place) -> Result<Self> {
        let what = "there are no commits to check";
        let Some(repository) = &place.repository else {
            return Err(Error::NoRepository { top: place.top.clone(), what });
        };
        let folder = repository.hooks_folder()?;
        let shared = folder.starts_with(&repository.top)
            && !folder.starts_with(&repository.common_folder)
            && !folder.starts_with(&repository.git_folder);
        Ok(Self { path: folder.join("pre-commit"), shared })
    }

    /// What stands in it now.
    ///
    /// # Errors
    /// If it can't be read.
    pub fn standing(&self) -> Result<Standing> {
        let Some(text) = self.text()? else { return Ok(Standing::Off) };
        let Some((before, after)) = around(&text) else { return Ok(Standing::Off) };
        let own = !is_only_a_start(before) || !after.trim().is_empty() || self.aside().exists();
        Ok(if own { Standing::Beside } else { Standing::On })
    }

    /// Puts the check in. `program` is where Redshank is, for when it isn't on the PATH of whoever commits.
    ///
    /// # Errors
    /// If the hook can't be read or written.
    pub fn put_in(&self, program: &Path) -> Result<()> {
        if self.standing()? != Standing::Off {
            return Ok(());
        }
        let folder = self.path.parent().unwrap_or(Path::new("."));
        std::fs::create_dir_all(folder).map_err(refused(folder))?;
        let program = if self.shared { None } else { program.to_str() };
        let text = match self.text()? {
            None => format!("#!/bin/sh\n{}", block(program, false)),
            // Ours comes first, for the own one may end the script.
            Some(own) if is_shell(&own) => {
                let head = own.find_byte(b'\n').map_or(own.len(), |end| end + 1);
                let end = if own[..head].ends_with(b"\n") { "" } else { "\n" };
                let [head, rest] = [&own[..head], &own[head..]].map(|part| part.to_str_lossy());
                format!("{head}{end}{}{rest}", block(program, false))
            }
            Some(_) => {
                let aside = self.aside();
                std::fs::rename(&self.path, &aside).map_err(refused(&aside))?;
                format!("#!/bin/sh\n{}", block(program, true))
            }
        };
        replace(&self.path, text.as_bytes())?;
        self.make_executable()
    }

    /// Takes the check out; a hook of somebody's own is as it was.
    ///
    /// # Errors
    /// If the hook can't be read or written.
    pub fn take_out(&self) -> Result<()> {
        let Some(text) = self.text()? else { return Ok(()) };
        let Some((before, after)) = around(&text) else { return Ok(()) };
        if self.aside().exists() {
            return std::fs::rename(self.aside(), &self.path).map_err(refused(&self.path));
        }
        if is_only_a_start(before) && after.trim().is_empty() {
            return std::fs::remove_file(&self.path).map_err(refused(&self.path));
        }
        replace(&self.path, &[before, after].concat())
    }

    fn aside(&self) -> PathBuf {
        self.path.with_file_name(ASIDE)
    }

    fn text(&self) -> Result<Option<Vec<u8>>> {
        read_if_there(&self.path)
    }

    fn make_executable(&self) -> Result<()> {
        platform::make_executable(&self.path).map_err(refused(&self.path))
    }
}

/// What stands before and behind our block.
fn around(text: &[u8]) -> Option<(&[u8], &[u8])> {
    let start = text.find(START)?;
    let end = start + text[start..].find(END)? + END.len();
    let end = end + usize::from(text.get(end) == Some(&b'\n'));
    Some((&text[..start], &text[end..]))
}

fn is_only_a_start(before: &[u8]) -> bool {
    before.trim() == b"#!/bin/sh"
}

fn is_shell(text: &[u8]) -> bool {
    let first = text.lines().next().unwrap_or_default();
    let shells = ["sh", "bash", "dash", "zsh", "ksh"];
    first.starts_with(b"#!")
        && first.fields().any(|word| shells.iter().any(|shell| word.rsplit_str("/").next() == Some(shell.as_bytes())))
}

fn block(program: Option<&str>, runs_own: bool) -> String {
    let otherwise = program.map_or(String::new(), |path| format!(" || echo {}", quoted(path)));
    let own = if runs_own { format!("exec \"$(dirname \"$0\")/{ASIDE}\" \"$@\"\n") } else { String::new() };
    format!(
        "{START}\n\
         redshank=$(command -v redshank{otherwise})\n\
         if [ -x \"$redshank\" ]; then\n    \
             \"$redshank\" check --staged || {{\n        \
                 status=$?\n        \
                 echo \"redshank stopped this commit; 'git commit --no-verify' makes it all the same\" >&2\n        \
                 exit $status\n    \
             }}\n\
         else\n    \
             echo \"redshank isn't here, so nothing was checked before this commit\" >&2\n\
         fi\n\
         {own}{END}\n"
    )
}

/// A word as the shell takes it whole.
fn quoted(word: &str) -> String {
    format!("'{}'", word.replace('\'', "'\\''"))
}
