//! The check before each commit: a block in git's `pre-commit` hook (githooks(5)), beside whatever
//! else stands there.

use crate::journal::{Area, Changes, Content, FileChange, Journal, Mode};
use crate::{Error, Result};
use bstr::{BStr, BString, ByteSlice, ByteVec};
use redshank_files::{FileKind, Root};
use redshank_git::Repository;
use redshank_worktree::{Purpose, Worktree};
use std::path::{Path, PathBuf};

const START: &str = "# redshank: start hook";
const END: &str = "# redshank: end hook";

/// What stands in the start line before the name of somebody's own hook that was put aside.
const THEN: &str = ", then ";

/// Where somebody's own hook is put that can't hold our block: it is no shell script, a link, or
/// not to be run.
const ASIDE: &str = "pre-commit.own";

/// The hook of a repository.
pub struct Hook<'a> {
    worktree: &'a Worktree,
    /// The script.
    pub path: PathBuf,
    /// The hooks folder is a part of the working tree, so that others get it, too.
    pub shared: bool,
    area: Area,
    root: Root,
    /// From the root.
    script: BString,
}

/// What stands in it.
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
    /// The hook of a place; `core.hooksPath` counts, as long as it stays in the repository.
    ///
    /// # Errors
    /// If the place is no repository, its hooks are kept elsewhere, or git can't be asked.
    pub fn of(worktree: &'a Worktree) -> Result<Self> {
        let repository = worktree.needs_repository(Purpose::Hook)?;
        let folder = repository.hooks_folder()?;
        let Some((area, root, below)) = home(worktree, repository, &folder)? else {
            return Err(Error::HooksElsewhere { folder });
        };
        let script = [below.as_slice(), b"pre-commit"].concat().into();
        Ok(Self {
            worktree,
            path: folder.join("pre-commit"),
            shared: area == Area::Worktree,
            area,
            root,
            script,
        })
    }

    /// What stands in it now.
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

    /// Puts the check in, through the journal. `program` is where Redshank is, for when it isn't on
    /// the PATH of whoever commits.
    ///
    /// # Errors
    /// If the hook can't be read or written.
    pub fn put_in(&self, program: &Path) -> Result<()> {
        if self.status()? != HookStatus::Off {
            return Ok(());
        }
        let program = if self.shared {
            None
        } else {
            Some(Vec::from_path_lossy(program).into_owned())
        };
        let now = self.content(self.script.as_bstr())?;
        let mode = self.mode(self.script.as_bstr())?;
        let mut files = Vec::new();
        let mut new_mode = Mode::Executable;
        let after = match &now {
            Content::Nothing => {
                [b"#!/bin/sh\n".as_slice(), &block(program.as_deref(), None)].concat()
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
                    &block(program.as_deref(), None),
                    &own[head..],
                ]
                .concat()
            }
            own => {
                let aside = self.free_name()?;
                let path = self.beside(&aside);
                let mode = mode.map_or(Mode::AsItWas, Mode::Exactly);
                files.push(self.change(path, Content::Nothing, own.clone(), mode));
                [
                    b"#!/bin/sh\n".as_slice(),
                    &block(program.as_deref(), Some(&aside)),
                ]
                .concat()
            }
        };
        files.push(self.change(self.script.clone(), now, Content::File(after), new_mode));
        Journal::of(self.worktree)?.apply("hook on", &Changes::of_files(files))
    }

    /// Takes the check out, through the journal; a hook of somebody's own is as it was: its bytes,
    /// its permissions, and whether it is a link.
    ///
    /// # Errors
    /// If the hook can't be read or written.
    pub fn take_out(&self) -> Result<()> {
        let now = self.content(self.script.as_bstr())?;
        let Content::File(text) = &now else {
            return Ok(());
        };
        let Some(block) = Block::in_text(text) else {
            return Ok(());
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
        Journal::of(self.worktree)?.apply("hook off", &Changes::of_files(files))
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
        Content::at(&self.root, path).map_err(crate::disk::refused(
            &self.root.path().join(path.to_path_lossy()),
        ))
    }

    /// The permissions of a file; none of a link or where nothing is.
    fn mode(&self, path: &BStr) -> Result<Option<u32>> {
        let found = self.root.meta_if_there(path);
        let found = found.map_err(crate::disk::refused(
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
        let names =
            std::iter::once(ASIDE.to_owned()).chain((2..).map(|nth| format!("{ASIDE}-{nth}")));
        for name in names {
            if self
                .content(self.beside(&name).as_bstr())
                .is_ok_and(|content| content == Content::Nothing)
            {
                return Ok(name);
            }
        }
        Err(Error::NotInArea { path: ASIDE.into() })
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
        let root = Root::open(common).map_err(crate::disk::refused(common))?;
        return Ok(Some((Area::Git, root, "hooks/".into())));
    }
    let Ok(below) = folder.strip_prefix(&worktree.top) else {
        return Ok(None);
    };
    let mut below = BString::from(Vec::from_path_lossy(below).into_owned());
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
        let is_name = |name: &&[u8]| name.starts_with(ASIDE.as_bytes()) && !name.contains(&b'/');
        let aside = first
            .strip_prefix(THEN.as_bytes())
            .filter(is_name)
            .map(ByteSlice::as_bstr);
        Some(Self {
            before: &text[..start],
            after: &text[end..],
            aside,
        })
    }

    /// Whether nothing else stands in the script.
    fn is_only_one(&self) -> bool {
        self.before.trim() == b"#!/bin/sh" && self.after.trim().is_empty()
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

/// The check, for any shell and whatever it was told (`-e` ends a script at the first command that
/// fails).
fn block(program: Option<&[u8]>, aside: Option<&str>) -> Vec<u8> {
    let then = aside.map_or(String::new(), |name| format!("{THEN}{name}"));
    let own = aside.map_or(String::new(), |name| {
        format!("own=$(dirname \"$0\")/{name}\nif [ -x \"$own\" ]; then exec \"$own\" \"$@\"; fi\n")
    });
    let otherwise = program.map_or(Vec::new(), |path| {
        [b"'".as_slice(), &path.replace("'", "'\\''"), b"'"].concat()
    });
    let start = format!("{START}{then}\nredshank=$(command -v redshank || echo ");
    let rest = format!(
        ")\n\
         if [ -x \"$redshank\" ]; then\n    \
             \"$redshank\" check --staged --level error || {{\n        \
                 status=$?\n        \
                 echo \"redshank stopped this commit; 'git commit --no-verify' makes it all the same\" >&2\n        \
                 exit $status\n    \
             }}\n\
         else\n    \
             echo \"redshank isn't here, so nothing was checked before this commit\" >&2\n\
         fi\n\
         {own}{END}\n"
    );
    [start.as_bytes(), &otherwise, rest.as_bytes()].concat()
}
