//! What is too large for git: single files, and folders that are heavy in sum.

use super::claimed::Claimed;
use super::inside::Inside;
use super::{Class, Finding, Found, Level, Look, Remedy};
use crate::Result;
use crate::edit::Width;
use crate::effect::Amount;
use crate::ignore_file::NewRule;
use crate::rules::Names;
use crate::templates::exactly;
use crate::tree::{Entry, Kind, State};
use bstr::{BStr, BString, ByteSlice};
use redshank_pattern::{Case, Rule};
use serde::Deserialize;
use std::collections::HashSet;
use std::sync::LazyLock;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Type {
    title: String,
    store: bool,
    patterns: Names,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    r#type: Vec<Type>,
}

/// The table that comes with the program; the tests see to it that it can be read.
static TYPES: LazyLock<Vec<Type>> = LazyLock::new(|| {
    toml::from_str::<Table>(include_str!("large.toml"))
        .map(|table| table.r#type)
        .unwrap_or_default()
});

/// The attribute's value for files of which git keeps a pointer only.
const STORED: &[u8] = b"lfs";

/// How a pointer starts, in the place of a large file (the Git LFS specification, "The Pointer").
pub(super) const POINTER: &[u8] = b"version https://git-lfs.github.com/spec/";

/// No pointer is longer, in bytes (the same).
const LONGEST_POINTER: u64 = 1024;

/// Why a file is kept out that belongs in large-file storage, where no program for that is set up.
pub const NOT_STORED: &str =
    "too large for git; where Git LFS is set up, large-file storage takes it instead";

pub(super) fn find(
    look: &Look,
    claimed: &Claimed,
    inside: &Inside,
    found: &mut Found,
) -> Result<()> {
    let covered = covered(look)?;
    let is_stored = |entry: &Entry| covered.contains(entry.path.as_bstr());
    let limits = &look.settings.limits;
    let mut heavy = HashSet::new();
    for entry in look
        .tree
        .to_commit()
        .filter(|entry| entry.size > limits.file_warning && !claimed.has(entry))
    {
        // What git keeps a pointer of only, is not too large for it.
        if !is_stored(entry) {
            found.findings.push(file(look, entry));
            heavy.insert(entry.path.as_bstr());
        }
    }
    folders(
        look,
        &|entry| claimed.has(entry) || is_stored(entry) || heavy.contains(entry.path.as_bstr()),
        found,
    );
    pointers(look, &covered, inside, found)
}

pub(super) fn file(look: &Look, entry: &Entry) -> Finding {
    let limits = &look.settings.limits;
    let (level, limit) = if entry.size > limits.file_error {
        (Level::Error, limits.file_error)
    } else {
        (Level::Warning, limits.file_warning)
    };
    let kind = type_of(entry);
    let stored_here = look
        .place
        .repository
        .as_ref()
        .is_some_and(|repository| repository.stores_large_files);
    let (kind, reason) = match kind {
        Some(row) if row.store => (
            format!("{}, which belongs in large-file storage; ", row.title),
            NOT_STORED,
        ),
        Some(row) => (format!("{}; ", row.title), "too large for git"),
        None => (
            String::new(),
            "too large for git; keep it in a store for large files",
        ),
    };
    let message = format!("{kind}over the limit of {limit}; every clone would carry it for ever");
    let made = Finding::on(entry, Class::Oversized, "file", level, message);
    if stored_here && type_of(entry).is_some_and(|row| row.store) {
        let pattern = [
            attribute_pattern(look, entry).as_slice(),
            b" filter=lfs diff=lfs merge=lfs -text",
        ]
        .concat();
        let reason = "large files of which git keeps a pointer only (Git LFS)".to_owned();
        let remedy = Remedy::Attribute(NewRule {
            pattern: pattern.into(),
            reason,
            remake: None,
        });
        return Finding { remedy, ..made };
    }
    made.kept_out_by(exactly(entry.path.as_bstr()), reason, None)
}

fn type_of(entry: &Entry) -> Option<&'static Type> {
    TYPES
        .iter()
        .find(|row| row.patterns.has(entry.path.as_bstr()))
}

/// What to call a file by in the attributes: all files of its type, but only itself where git holds
/// others of them whole already, which would seem changed.
fn attribute_pattern(look: &Look, entry: &Entry) -> BString {
    let path = entry.path.as_bstr();
    let of_type = Width::Type.pattern(path).filter(|pattern| {
        let others = look
            .tree
            .in_state(State::Tracked)
            .filter(|other| other.path != entry.path);
        let rule = Rule::parse(pattern, 1, Case::Sensitive);
        !others
            .into_iter()
            .any(|other| rule.matches(other.path.as_bstr(), false))
    });
    // White space ends a pattern there (gitattributes(5)).
    of_type
        .unwrap_or_else(|| exactly(path))
        .replace(" ", "[[:space:]]")
        .into()
}

/// Folders over a limit, in sum or in number; the deepest that holds most of it, and no folder
/// above one that is found.
fn folders(look: &Look, is_counted_elsewhere: &dyn Fn(&Entry) -> bool, found: &mut Found) {
    let limits = &look.settings.limits;
    let is_heavy =
        |amount: Amount| amount.size > limits.folder_warning || amount.files > limits.folder_files;
    let files = look
        .tree
        .to_commit()
        .filter(|entry| entry.kind == Kind::File && !is_counted_elsewhere(entry));
    for Sum {
        path,
        amount,
        tracked,
    } in sums(files, &is_heavy)
    {
        let (name, limit) = if amount.size > limits.folder_warning {
            (
                "folder",
                format!("over the limit of {} for a folder", limits.folder_warning),
            )
        } else {
            (
                "many-files",
                format!(
                    "over the limit of {} files for a folder",
                    limits.folder_files
                ),
            )
        };
        // What is tracked already was decided once.
        let level = if tracked { Level::Note } else { Level::Warning };
        let made = Finding::new(
            Class::Oversized,
            name,
            level,
            path,
            format!("heavy in sum: {limit}"),
        );
        found.findings.push(Finding {
            size: Some(amount.size),
            files: amount.files,
            state: if tracked { State::Tracked } else { State::Candidate },
            ..made.by_hand("see what it holds; a rule keeps it out, large-file storage takes media and measurements")
        });
    }
}

/// What the files of a folder come to.
struct Sum<'t> {
    /// With a slash at its end.
    path: &'t BStr,
    amount: Amount,
    /// git tracks all of them.
    tracked: bool,
}

/// The folders that are heavy and hold none that is, of files that come sorted.
fn sums<'t>(
    files: impl Iterator<Item = &'t Entry>,
    is_heavy: &dyn Fn(Amount) -> bool,
) -> Vec<Sum<'t>> {
    // The folders on the way to the file before, each with whether a heavy one lies in it.
    let mut open: Vec<(Sum, bool)> = Vec::new();
    let mut heavy = Vec::new();
    let mut close = |open: &mut Vec<(Sum<'t>, bool)>| {
        let Some((sum, holds_heavy)) = open.pop() else {
            return;
        };
        let is_it = !holds_heavy && is_heavy(sum.amount);
        if let Some((above, above_holds)) = open.last_mut() {
            above.amount += sum.amount;
            above.tracked &= sum.tracked;
            *above_holds |= holds_heavy || is_it;
        }
        if is_it {
            heavy.push(sum);
        }
    };
    for entry in files {
        while open
            .last()
            .is_some_and(|(sum, _)| !entry.path.starts_with(sum.path))
        {
            close(&mut open);
        }
        let known = open.last().map_or(0, |(sum, _)| sum.path.len());
        for slash in entry.path[known..]
            .find_iter("/")
            .map(|slash| known + slash)
        {
            let path = entry.path[..=slash].as_bstr();
            open.push((
                Sum {
                    path,
                    amount: Amount::default(),
                    tracked: true,
                },
                false,
            ));
        }
        if let Some((sum, _)) = open.last_mut() {
            sum.amount += Amount {
                files: 1,
                size: entry.size,
            };
            sum.tracked &= entry.state == State::Tracked;
        }
    }
    while !open.is_empty() {
        close(&mut open);
    }
    heavy
}

/// git reads no larger file of attributes (gitattributes(5)), in bytes.
const LARGEST_ATTRIBUTES: u64 = 100 << 20;

/// The files of which git keeps a pointer only, by their attributes. git is only asked where some
/// file speaks of it.
fn covered<'a>(look: &Look<'a>) -> Result<HashSet<&'a BStr>> {
    let Some(repository) = &look.place.repository else {
        return Ok(HashSet::new());
    };
    let speaks_of_it = |text: &[u8]| text.contains_str("filter=");
    let is_attributes =
        |entry: &Entry| entry.path == ".gitattributes" || entry.path.ends_with(b"/.gitattributes");
    let files = look.tree.to_commit().filter(|entry| is_attributes(entry));
    let mut texts = files.filter_map(|entry| look.place.read(entry.path.as_bstr()).ok());
    let own = || {
        redshank_files::read_trusted(
            &repository.common_folder.join("info/attributes"),
            LARGEST_ATTRIBUTES,
        )
    };
    if look.tree.endless_attributes(look.place).is_some() {
        return Ok(HashSet::new());
    }
    if !texts.any(|text| speaks_of_it(&text)) && !own().is_ok_and(|text| speaks_of_it(&text)) {
        return Ok(HashSet::new());
    }
    let tree = look.tree;
    let paths: Vec<&BStr> = tree
        .to_commit()
        .filter(|entry| entry.kind == Kind::File)
        .map(|entry| entry.path.as_bstr())
        .collect();
    let values = repository.attribute("filter", &paths)?;
    Ok(paths
        .into_iter()
        .filter(|path| values.get(*path).is_some_and(|value| value == STORED))
        .collect())
}

/// Files that their attributes send to large-file storage and that git would hold whole, pointers
/// that no attribute speaks of, and pointers whose contents are not here.
fn pointers(
    look: &Look,
    covered: &HashSet<&BStr>,
    inside: &Inside,
    found: &mut Found,
) -> Result<()> {
    let Some(repository) = &look.place.repository else {
        return Ok(());
    };
    let tracked: Vec<&BStr> = covered
        .iter()
        .copied()
        .filter(|path| is_tracked(look, path))
        .collect();
    let whole = repository.staged_sizes(&tracked)?;
    for entry in look
        .tree
        .to_commit()
        .filter(|entry| entry.kind == Kind::File)
    {
        let path = entry.path.as_bstr();
        let is_covered = covered.contains(path);
        let is_pointer = entry.size.0 <= LONGEST_POINTER && inside.pointers.contains(path);
        let make = |name, level, message: &str, words: &str| {
            Finding::on(entry, Class::Oversized, name, level, message).by_hand(words)
        };
        let made = match (is_covered, is_pointer) {
            (true, true) => make(
                "pointer-alone",
                Level::Note,
                "a pointer into large-file storage; its contents are not here",
                "`git lfs pull` fetches them",
            ),
            (false, true) => make(
                "pointer-uncovered",
                Level::Warning,
                "a pointer into large-file storage, but no attribute says so; a clone would get the pointer",
                "say so in .gitattributes: `git lfs track`",
            ),
            (true, false) if whole.get(path).is_some_and(|size| *size > LONGEST_POINTER) => make(
                "stored-whole",
                Level::Warning,
                "its attributes send it to large-file storage, but git holds it whole",
                "`git add --renormalize` it with the large-file program installed",
            ),
            (true, false) if entry.state == State::Candidate && !repository.stores_large_files => {
                make(
                    "stored-whole",
                    Level::Warning,
                    "its attributes send it to large-file storage, but no program for that is set up here; git would hold it whole",
                    "install Git LFS and run `git lfs install` before you add it",
                )
            }
            _ => continue,
        };
        found.findings.push(made);
    }
    Ok(())
}

fn is_tracked(look: &Look, path: &BStr) -> bool {
    look.tree
        .get(path)
        .is_some_and(|entry| entry.state == State::Tracked)
}
