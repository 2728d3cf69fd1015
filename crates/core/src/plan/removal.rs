//! What may be moved out of the way: generated, kept out, and with a known way to be made again.

use crate::Result;
use crate::disk::refused;
use crate::effect::Amount;
use crate::findings::Class;
use crate::size::Bytes;
use crate::templates::Survey;
use crate::tree::{State, Tree};
use bstr::{BString, ByteSlice};
use std::path::Path;

/// What rules keep out already and projects of the survey can make again: the path, and how.
pub(super) fn kept_out<'s>(tree: &Tree, survey: &'s Survey) -> Vec<(BString, &'s str)> {
    let mut found: Vec<(BString, &str)> = Vec::new();
    for entry in tree.in_state(State::Ignored) {
        let path = &entry.path;
        let ends = path.find_iter("/").map(|slash| slash + 1).chain([path.len()]);
        let mut parts = ends.filter(|end| *end > 0).map(|end| path[..end].as_bstr());
        let claim = parts.find_map(|part| Some((part, survey.claims.on(part)?)));
        if let Some((part, claim)) = claim.filter(|(_, claim)| claim.class() == Class::Generated)
            && let Some(remake) = claim.remake()
            && found.last().is_none_or(|(last, _)| last != part)
        {
            found.push((part.to_owned(), remake));
        }
    }
    found
}

/// How much lies there; nothing if a repository lies within, which nothing makes again.
///
/// # Errors
/// If it can't be read.
pub(super) fn amount(path: &Path) -> Result<Option<Amount>> {
    let found = std::fs::symlink_metadata(path).map_err(refused(path))?;
    if !found.is_dir() {
        return Ok(Some(Amount { files: 1, size: Bytes(found.len()) }));
    }
    let mut sum = Amount::default();
    for entry in std::fs::read_dir(path).map_err(refused(path))? {
        let entry = entry.map_err(refused(path))?;
        if entry.file_name() == ".git" {
            return Ok(None);
        }
        match amount(&entry.path())? {
            Some(part) => sum += part,
            None => return Ok(None),
        }
    }
    Ok(Some(sum))
}
