//! What the values of arguments can be that name files, folders and commands, for a shell that
//! completes. Names come from the repository: each is quoted as the shell must read it.

use crate::shell::asking;
use crate::values::quoted_for;
use bstr::{BStr, BString, ByteSlice, ByteVec};
use clap_complete::engine::ValueCompleter;
use clap_complete::{ArgValueCompleter, CompletionCandidate};
use redshank_files::{FileKind, Root};
use std::ffi::OsStr;
use std::path::{Path, PathBuf};

/// At most so many commands are offered.
const MOST_COMMANDS: usize = 200;

/// Files and folders.
pub fn paths() -> ArgValueCompleter {
    ArgValueCompleter::new(|typed: &OsStr| named(typed, |_| true))
}

/// Folders only.
pub fn folders() -> ArgValueCompleter {
    ArgValueCompleter::new(|typed: &OsStr| named(typed, |kind| kind == FileKind::Folder))
}

/// A command and its arguments: what can be started by its name, then paths.
pub fn command() -> ArgValueCompleter {
    ArgValueCompleter::new(CommandLine)
}

struct CommandLine;

impl ValueCompleter for CommandLine {
    fn complete(&self, typed: &OsStr) -> Vec<CompletionCandidate> {
        self.complete_at(0, typed)
    }

    fn complete_at(&self, nth: usize, typed: &OsStr) -> Vec<CompletionCandidate> {
        if nth > 0 || bytes(typed).contains(&b'/') {
            named(typed, |_| true)
        } else {
            commands(typed)
        }
    }
}

/// The paths that begin as is typed, one level deep.
fn named(typed: &OsStr, is_wanted: impl Fn(FileKind) -> bool) -> Vec<CompletionCandidate> {
    let typed = unquoted(typed);
    let (folder, begun) = match typed.rfind_byte(b'/') {
        Some(slash) => typed.split_at(slash + 1),
        None => (&b""[..], &typed[..]),
    };
    let here = match folder {
        b"" => Path::new(".").to_owned(),
        folder => folder.to_path_lossy().into_owned(),
    };
    let mut offered = Vec::new();
    for (name, kind) in names_in(&here) {
        let is_hidden = name.starts_with(b".") && !begun.starts_with(b".");
        // What a link leads to counts where folders are wanted.
        let is_folder = kind == FileKind::Folder
            || kind == FileKind::Link && Root::open(&here.join(name.to_path_lossy())).is_ok();
        // On the way to what is wanted, folders are, too.
        if is_hidden || !name.starts_with(begun) || !(is_folder || is_wanted(kind)) {
            continue;
        }
        let slash = if is_folder { "/" } else { "" };
        offered.push([folder, &name, slash.as_bytes()].concat());
    }
    candidates(offered)
}

/// What can be started, of the names that begin as is typed.
fn commands(typed: &OsStr) -> Vec<CompletionCandidate> {
    let typed = unquoted(typed);
    let folders = std::env::var_os("PATH").unwrap_or_default();
    let mut offered: Vec<Vec<u8>> = Vec::new();
    // A relative folder in it would be one of the repository's.
    for folder in std::env::split_paths(&folders).filter(|folder| folder.is_absolute()) {
        let names = names_in(&folder).into_iter().map(|(name, _)| name);
        offered.extend(names.filter(|name| name.starts_with(&typed)).map(Vec::from));
    }
    offered.sort();
    offered.dedup();
    offered.truncate(MOST_COMMANDS);
    candidates(offered)
}

/// The names in a folder, in order; none where it can't be read.
fn names_in(folder: &Path) -> Vec<(BString, FileKind)> {
    let listed = Root::open(folder).and_then(|root| root.list(BStr::new("")));
    let mut names = listed.unwrap_or_default();
    names.sort();
    names
}

fn candidates(offered: Vec<Vec<u8>>) -> Vec<CompletionCandidate> {
    let shell = asking();
    let offered = offered.into_iter().filter_map(|value| {
        // A name that isn't text can't be put on the line.
        let value = quoted_for(shell, std::str::from_utf8(&value).ok()?)?;
        Some(CompletionCandidate::new(value))
    });
    offered.collect()
}

/// What is typed, as the shell would read it: bash hands over what stands on the line.
fn unquoted(typed: &OsStr) -> Vec<u8> {
    let typed = bytes(typed);
    if asking() != "bash" {
        return typed;
    }
    let mut read = Vec::new();
    let mut rest = typed.iter();
    while let Some(byte) = rest.next() {
        match byte {
            b'\\' => read.extend(rest.next()),
            b'"' | b'\'' => {}
            byte => read.push(*byte),
        }
    }
    read
}

fn bytes(typed: &OsStr) -> Vec<u8> {
    Vec::from_path_buf(PathBuf::from(typed)).unwrap_or_default()
}
