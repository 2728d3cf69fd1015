//! The check before each commit and each merge, and on request before each push and after each
//! merge: a block in git's `pre-commit`, `pre-merge-commit`, `pre-push` and `post-merge` hooks
//! (githooks(5)), beside whatever else is there.

use crate::journal::{Area, Changes, Content, FileChange, Journal, Mode};
use crate::{Error, Result};
use bstr::{BStr, BString, ByteSlice};
use redshank_files::{FileKind, Root};
use redshank_git::Repository;
use redshank_worktree::{Purpose, Worktree};
use std::path::{Path, PathBuf};

const START: &str = "# redshank: start hook";
const END: &str = "# redshank: end hook";

/// What is in the start line before the name of somebody's own hook that was put aside.
const THEN: &str = ", then ";

/// What is in the start line of a script that holds nothing else, for there was none before.
const ALONE: &str = ", alone";

/// What follows the name of somebody's own hook that is put aside: it can't hold our block, for it
/// is no shell script, a link, or not to be run.
const ASIDE: &str = ".own";

/// When git runs a hook.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum HookEvent {
    /// Before each commit.
    Commit,
    /// Before the commit of a merge that git makes by itself.
    Merge,
    /// Before each push.
    Push,
    /// After each merge, a pull's, too.
    Merged,
}

impl HookEvent {
    /// All of them, in their order.
    pub const ALL: [Self; 4] = [Self::Commit, Self::Merge, Self::Push, Self::Merged];

    /// The name of git's hook.
    pub fn name(self) -> &'static str {
        match self {
            Self::Commit => "pre-commit",
            Self::Merge => "pre-merge-commit",
            Self::Push => "pre-push",
            Self::Merged => "post-merge",
        }
    }

    /// What the script does with the program: it stops what is to come, or says what came.
    fn commands(self) -> String {
        let (check, noun, anyway) = match self {
            Self::Commit => (
                "check --staged --hook commit",
                "commit",
                "git commit --no-verify",
            ),
            Self::Merge => (
                "check --staged --hook commit",
                "merge",
                "git merge --no-verify",
            ),
            Self::Push => (
                "check --history --hook push",
                "push",
                "git push --no-verify",
            ),
            Self::Merged => {
                return "if [ -x \"$redshank\" ]; then\n    \
                            \"$redshank\" review --after-merge </dev/null || true\n\
                        fi\n"
                    .to_owned();
            }
        };
        format!(
            "if [ -x \"$redshank\" ]; then\n    \
                 \"$redshank\" {check} </dev/null || {{\n        \
                     status=$?\n        \
                     echo \"redshank stopped this {noun}. To {noun} anyway: {anyway}\" >&2\n        \
                     exit $status\n    \
                 }}\n\
             else\n    \
                 echo \"redshank isn't here, so nothing was checked before this {noun}\" >&2\n\
             fi\n"
        )
    }
}

/// A hook of a repository.
pub struct Hook<'a> {
    worktree: &'a Worktree,
    event: HookEvent,
    /// Absolute path of the file or folder.
    pub path: PathBuf,
    /// The hooks folder is a part of the working tree, so that others get it, too.
    pub shared: bool,
    area: Area,
    root: Root,
    script: BString,
}

/// What is in it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum HookStatus {
    /// No check of ours.
    Off,
    /// Our check, alone.
    On,
    /// Our check, beside a hook of somebody's own.
    Beside,
}

impl<'a> Hook<'a> {
    /// A hook of a repository; `core.hooksPath` counts, as long as it stays in the repository.
    ///
    /// # Errors
    /// If the place is not a repository, its hooks are kept elsewhere, or git can't be asked.
    pub fn find(worktree: &'a Worktree, event: HookEvent) -> Result<Self> {
        let repository = worktree.needs_repository(Purpose::Hook)?;
        let folder = repository.hooks_folder()?;
        let Some((area, root, below)) = home(worktree, repository, &folder)? else {
            return Err(Error::HooksElsewhere { folder });
        };
        let script = [below.as_slice(), event.name().as_bytes()].concat().into();
        Ok(Self {
            worktree,
            event,
            path: folder.join(event.name()),
            shared: area == Area::Worktree,
            area,
            root,
            script,
        })
    }

    /// What is in it now.
    ///
    /// # Errors
    /// If it can't be read.
    pub fn status(&self) -> Result<HookStatus> {
        let Content::File(text) = self.content(self.script.as_bstr())? else {
            return Ok(HookStatus::Off);
        };
        let Some(block) = Block::in_text(&text) else {
            return Ok(HookStatus::Off);
        };
        let is_alone = block.aside.is_none() && block.is_only_one();
        Ok(if is_alone {
            HookStatus::On
        } else {
            HookStatus::Beside
        })
    }

    /// Whether git runs it: a script that isn't executable is passed over without a word that all
    /// read (githooks(5)).
    ///
    /// # Errors
    /// If its permissions can't be read.
    pub fn is_executable(&self) -> Result<bool> {
        let mode = self.mode(self.script.as_bstr())?;
        Ok(mode.is_some_and(|mode| mode & 0o111 != 0))
    }

    /// Puts checks in, through the journal, as one change under the command's name. `program` is
    /// where Redshank is, for when it isn't on the PATH of anyone who commits.
    ///
    /// # Errors
    /// If a hook can't be read or written.
    pub fn turn_on(hooks: &[Self], program: &Path, command: &str) -> Result<()> {
        Self::apply(hooks, command, &|hook| hook.edits_on(program))
    }

    /// Takes checks out, through the journal, as one change; a hook of somebody's own is as it was:
    /// its bytes, its permissions, and whether it is a link.
    ///
    /// # Errors
    /// If a hook can't be read or written.
    pub fn turn_off(hooks: &[Self]) -> Result<()> {
        Self::apply(hooks, "hook off", &Self::edits_off)
    }

    fn apply(
        hooks: &[Self],
        command: &str,
        edits: &dyn Fn(&Self) -> Result<Vec<FileChange>>,
    ) -> Result<()> {
        let files: Result<Vec<Vec<FileChange>>> = hooks.iter().map(edits).collect();
        let files = files?.concat();
        match hooks.first().filter(|_| !files.is_empty()) {
            Some(hook) => Journal::open(hook.worktree)?.apply(command, &Changes::of_files(files)),
            None => Ok(()),
        }
    }

    fn edits_on(&self, program: &Path) -> Result<Vec<FileChange>> {
        if self.status()? != HookStatus::Off {
            return Ok(Vec::new());
        }
        let program = if self.shared {
            None
        } else {
            Some(redshank_files::path_bytes(program).into_owned())
        };
        let now = self.content(self.script.as_bstr())?;
        let mode = self.mode(self.script.as_bstr())?;
        let mut files = Vec::new();
        let mut new_mode = Mode::Executable;
        let after = match &now {
            Content::Nothing => {
                let block = self.block(program.as_deref(), Beside::Nothing);
                [b"#!/bin/sh\n".as_slice(), &block].concat()
            }
            // Ours comes first, for the own one may end the script.
            Content::File(own) if is_shell(own) && mode.is_some_and(|mode| mode & 0o111 != 0) => {
                new_mode = Mode::AsItWas;
                let head = own.find_byte(b'\n').map_or(own.len(), |end| end + 1);
                let end: &[u8] = if own[..head].ends_with(b"\n") {
                    b""
                } else {
                    b"\n"
                };
                [
                    &own[..head],
                    end,
                    &self.block(program.as_deref(), Beside::Lines),
                    &own[head..],
                ]
                .concat()
            }
            own => {
                let aside = self.free_name()?;
                let path = self.beside(&aside);
                let mode = mode.map_or(Mode::AsItWas, Mode::Exactly);
                files.push(self.change(path, Content::Nothing, own.clone(), mode));
                let block = self.block(program.as_deref(), Beside::File(&aside));
                [b"#!/bin/sh\n".as_slice(), &block].concat()
            }
        };
        files.push(self.change(self.script.clone(), now, Content::File(after), new_mode));
        Ok(files)
    }

    fn edits_off(&self) -> Result<Vec<FileChange>> {
        let now = self.content(self.script.as_bstr())?;
        let Content::File(text) = &now else {
            return Ok(Vec::new());
        };
        let Some(block) = Block::in_text(text) else {
            return Ok(Vec::new());
        };
        let own = block.aside.map(|name| self.beside(&name.to_str_lossy()));
        let mut files = Vec::new();
        let (after, mode) = match own
            .map(|path| Ok::<_, Error>((self.content(path.as_bstr())?, path)))
            .transpose()?
        {
            Some((own, path)) if own != Content::Nothing => {
                let mode = self
                    .mode(path.as_bstr())?
                    .map_or(Mode::AsItWas, Mode::Exactly);
                files.push(self.change(path, own.clone(), Content::Nothing, Mode::AsItWas));
                (own, mode)
            }
            _ if block.is_only_one() => (Content::Nothing, Mode::AsItWas),
            _ => (
                Content::File([block.before, block.after].concat()),
                Mode::AsItWas,
            ),
        };
        files.push(self.change(self.script.clone(), now.clone(), after, mode));
        Ok(files)
    }

    fn change(&self, path: BString, before: Content, after: Content, mode: Mode) -> FileChange {
        FileChange {
            area: self.area,
            path,
            before,
            after,
            mode,
        }
    }

    fn content(&self, path: &BStr) -> Result<Content> {
        Content::at(&self.root, path).map_err(crate::disk::io_error_at(
            &self.root.path().join(path.to_path_lossy()),
        ))
    }

    /// The permissions of a file; none of a link or where nothing is.
    fn mode(&self, path: &BStr) -> Result<Option<u32>> {
        let found = self.root.meta_if_there(path);
        let found = found.map_err(crate::disk::io_error_at(
            &self.root.path().join(path.to_path_lossy()),
        ))?;
        Ok(found
            .filter(|found| found.kind == FileKind::File)
            .map(|found| found.mode))
    }

    /// The path of a file beside the script.
    fn beside(&self, name: &str) -> BString {
        let folder = &self.script[..self.script.rfind_byte(b'/').map_or(0, |slash| slash + 1)];
        [folder, name.as_bytes()].concat().into()
    }

    /// A name for somebody's own hook that nothing has yet.
    fn free_name(&self) -> Result<String> {
        let own = format!("{}{ASIDE}", self.event.name());
        let names = std::iter::once(own.clone()).chain((2..).map(|nth| format!("{own}-{nth}")));
        for name in names {
            if self
                .content(self.beside(&name).as_bstr())
                .is_ok_and(|content| content == Content::Nothing)
            {
                return Ok(name);
            }
        }
        Err(Error::NotInArea { path: own.into() })
    }
}

/// Where the hooks folder lies: which area it belongs to, the root that it is opened from, and the
/// path from there, with a slash at its end. Nothing if it is neither in the git folder nor in the
/// working tree.
fn home(
    worktree: &Worktree,
    repository: &Repository,
    folder: &Path,
) -> Result<Option<(Area, Root, BString)>> {
    let common = &repository.common_folder;
    if folder == common.join("hooks") {
        let root = Root::open(common).map_err(crate::disk::io_error_at(common))?;
        return Ok(Some((Area::Git, root, "hooks/".into())));
    }
    let Ok(below) = folder.strip_prefix(&worktree.top) else {
        return Ok(None);
    };
    let mut below = BString::from(redshank_files::path_bytes(below).into_owned());
    if below.split_str("/").any(|part| part == b"..") || folder.starts_with(common) {
        return Ok(None);
    }
    if !below.is_empty() {
        below.push(b'/');
    }
    Ok(Some((Area::Worktree, worktree.root.clone(), below)))
}

/// Our block in a script.
struct Block<'t> {
    before: &'t [u8],
    after: &'t [u8],
    /// The name of somebody's own hook that was put aside.
    aside: Option<&'t BStr>,
    /// There was no script before.
    is_alone: bool,
}

impl<'t> Block<'t> {
    fn in_text(text: &'t [u8]) -> Option<Self> {
        let start = text.find(START)?;
        let end = start + text[start..].find(END)? + END.len();
        let end = end + usize::from(text.get(end) == Some(&b'\n'));
        let first = text[start + START.len()..]
            .lines()
            .next()
            .unwrap_or_default();
        let aside = first
            .strip_prefix(THEN.as_bytes())
            .filter(|name| name.contains_str(ASIDE) && !name.contains(&b'/'))
            .map(ByteSlice::as_bstr);
        Some(Self {
            before: &text[..start],
            after: &text[end..],
            aside,
            is_alone: first == ALONE.as_bytes(),
        })
    }

    /// Whether nothing else is in the script, and nothing was.
    fn is_only_one(&self) -> bool {
        self.is_alone && self.before.trim() == b"#!/bin/sh" && self.after.trim().is_empty()
    }
}

fn is_shell(text: &[u8]) -> bool {
    let first = text.lines().next().unwrap_or_default();
    let shells = ["sh", "bash", "dash", "zsh", "ksh"];
    first.starts_with(b"#!")
        && first.fields().any(|word| {
            shells
                .iter()
                .any(|shell| word.rsplit_str("/").next() == Some(shell.as_bytes()))
        })
}

/// What somebody has beside our block.
enum Beside<'n> {
    Nothing,
    /// Lines in the same script.
    Lines,
    /// A hook that was put aside, by its name.
    File(&'n str),
}

impl Hook<'_> {
    /// The check, for any shell and whatever it was told (`-e` ends a script at the first command
    /// that fails).
    fn block(&self, program: Option<&[u8]>, beside: Beside) -> Vec<u8> {
        let (then, own) = match beside {
            Beside::Nothing => (ALONE.to_owned(), String::new()),
            Beside::Lines => (String::new(), String::new()),
            Beside::File(name) => (
                format!("{THEN}{name}"),
                format!(
                    "own=$(dirname \"$0\")/{name}\n\
                     if [ -x \"$own\" ]; then exec \"$own\" \"$@\"; fi\n"
                ),
            ),
        };
        let otherwise = program.map_or(Vec::new(), |path| {
            [b"'".as_slice(), &path.replace("'", "'\\''"), b"'"].concat()
        });
        let start = format!("{START}{then}\nredshank=$(command -v redshank || echo ");
        let rest = format!(")\n{}{own}{END}\n", self.event.commands());
        [start.as_bytes(), &otherwise, rest.as_bytes()].concat()
    }
}
