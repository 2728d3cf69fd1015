//! Files that only look like ignore files.

use crate::Snapshot;
use crate::tree::{Entry, EntryKind, Tree};
use bstr::{BStr, ByteSlice};
use redshank_rules::ignore_file::is_utf16;
use redshank_rules::{Case, IGNORE_FILE, RepoPathBuf, folder_of_ignore_file};

/// Why git doesn't read a file that looks like an ignore file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum StrayReason {
    /// It is a symbolic link, and git follows none here.
    SymbolicLink,
    /// It is UTF-16.
    Utf16,
    /// Upper and lower case count in its name.
    LetterCase,
    /// Its name has an extension too many.
    ExtraExtension,
    /// Its name is misspelt: a slip away from the right one.
    Misspelt,
    /// It is a slip away from the name of git's file of attributes.
    Attributes,
}

/// A file that looks like an ignore file and that git does not read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stray {
    /// Relative to the top.
    pub path: RepoPathBuf,
    /// Why git doesn't read it.
    pub because: StrayReason,
}

/// git's file of attributes (gitattributes(5)).
const ATTRIBUTES: &str = ".gitattributes";

/// How many edits a misspelt name may be away.
const NEAR_NAME: usize = 2;

pub(super) fn strays(snapshot: &Snapshot, tree: &Tree) -> Vec<Stray> {
    let files = tree
        .to_commit()
        .filter(|entry| entry.kind != EntryKind::Repository);
    let strays = files.filter_map(|entry| {
        let because = why_not_read(snapshot, entry, entry.path.name())?;
        Some(Stray {
            path: entry.path.clone(),
            because,
        })
    });
    strays.collect()
}

/// Whether a name has enough of the right letters to be looked at; most have not.
fn may_be_meant(name: &BStr) -> bool {
    let right = name.iter().filter(|byte| {
        let byte = byte.to_ascii_lowercase();
        IGNORE_FILE.as_bytes().contains(&byte)
    });
    right.count() + NEAR_NAME >= IGNORE_FILE.len()
}

fn why_not_read(snapshot: &Snapshot, entry: &Entry, name: &BStr) -> Option<StrayReason> {
    if name == IGNORE_FILE {
        if entry.kind == EntryKind::Link {
            return Some(StrayReason::SymbolicLink);
        }
        let folder = folder_of_ignore_file(&entry.path)?;
        let file = snapshot.ignore_file(folder).ok()??;
        return is_utf16(&file.contents).then_some(StrayReason::Utf16);
    }
    let is_like_attributes = name.len().abs_diff(ATTRIBUTES.len()) <= NEAR_NAME
        && name.to_ascii_lowercase().contains_str("attr");
    if !may_be_meant(name) && !is_like_attributes {
        return None;
    }
    let lower = name.to_str().ok()?.to_lowercase();
    if lower == IGNORE_FILE {
        return (snapshot.case() == Case::Sensitive).then_some(StrayReason::LetterCase);
    }
    let bare = lower.trim_start_matches(['.', '_']);
    if bare
        .strip_prefix("gitignore.")
        .is_some_and(|end| ["txt", "text", "bak", "md"].contains(&end))
    {
        return Some(StrayReason::ExtraExtension);
    }
    // Of another folder's rules, or a program's own: only names a slip away count, and none that is
    // a file of git's.
    let known =
        [".gitattributes", ".gitmodules", ".gitkeep", ".gitconfig"].contains(&lower.as_str());
    // Many a program has an ignore file of its own.
    let of_program = lower
        .strip_suffix("ignore")
        .is_some_and(|program| strsim::damerau_levenshtein(program, ".git") > 1);
    if !known && lower != ATTRIBUTES && strsim::damerau_levenshtein(&lower, ATTRIBUTES) <= NEAR_NAME
    {
        return Some(StrayReason::Attributes);
    }
    (!known
        && !of_program
        && lower.len().abs_diff(IGNORE_FILE.len()) <= NEAR_NAME
        && strsim::damerau_levenshtein(&lower, IGNORE_FILE) <= NEAR_NAME)
        .then_some(StrayReason::Misspelt)
}
