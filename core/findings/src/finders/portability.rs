//! Names that not every system can hold: a clone there lacks the file, or git refuses to lay it
//! out.

use crate::{ByHand, Cause, Finding, Known, Level, NameFault, Result, ScanContext};
use bstr::{BStr, ByteSlice};
use foldhash::fast::FixedState;
use hashbrown::HashTable;
use redshank_rules::RepoPath;
use redshank_worktree::Class;
use redshank_worktree::tree::Entry;
use std::borrow::Cow;
use std::hash::BuildHasher;
use unicode_normalization::UnicodeNormalization;

/// Names that Windows keeps for devices, with any extension ("Naming Files, Paths, and Namespaces",
/// Microsoft).
const DEVICES: [&str; 22] = [
    "con", "prn", "aux", "nul", "com1", "com2", "com3", "com4", "com5", "com6", "com7", "com8",
    "com9", "lpt1", "lpt2", "lpt3", "lpt4", "lpt5", "lpt6", "lpt7", "lpt8", "lpt9",
];

/// Characters that no name on Windows holds (the same); the slash can't be in one, a back-slash
/// parts folders there.
const FORBIDDEN: &[u8] = b"<>:\"|?*\\";

/// Windows takes paths of up to 260 characters unless somebody changed that, the clone's own folder
/// among them ("Maximum Path Length Limitation", Microsoft): longer ones leave it no room.
const LONGEST_PATH: usize = 240;

pub(super) fn find(scan: &ScanContext, _known: &Known) -> Result<Vec<Finding>> {
    let mut findings = clashes(scan);
    findings.extend(scan.tree.to_commit().filter_map(|entry| {
        let (name, cause) = match fault(&entry.path) {
            Some(fault) => ("unportable-name", Cause::UnportableName(fault)),
            None => ("long-path", Cause::LongPath(too_long(&entry.path)?)),
        };
        let made = Finding::on(entry, Class::Needed, name, Level::Warning, cause);
        Some(made.by_hand(ByHand::Rename))
    }));
    Ok(findings)
}

/// The length of a path in characters, if a clone on Windows has no room for it.
fn too_long(path: &BStr) -> Option<usize> {
    if path.len() <= LONGEST_PATH {
        return None;
    }
    let length = path.chars().map(char::len_utf16).sum();
    (length > LONGEST_PATH).then_some(length)
}

/// Why Windows can't hold a path.
fn fault(path: &BStr) -> Option<NameFault> {
    let mut parts = path.split_str("/").filter(|part| !part.is_empty());
    parts.find_map(|part| {
        let stem = &part[..part.find_byte(b'.').unwrap_or(part.len())];
        // All of them are that short.
        if stem.len() >= 3 {
            let stem = stem.trim_end();
            if stem.len() <= 4
                && DEVICES
                    .iter()
                    .any(|device| stem.eq_ignore_ascii_case(device.as_bytes()))
            {
                return Some(NameFault::Device(part.into()));
            }
        }
        if let Some(byte) = part
            .iter()
            .find(|byte| FORBIDDEN.contains(byte) || **byte < 32)
        {
            return Some(NameFault::Character(*byte));
        }
        let last = part.last().filter(|byte| [b'.', b' '].contains(byte))?;
        Some(NameFault::End(char::from(*last)))
    })
}

/// Paths, or folders on their way, that are one where upper and lower case are the same.
fn clashes(scan: &ScanContext) -> Vec<Finding> {
    let mut findings = Vec::new();
    // The first spelling of each name, found by what it is in lower case.
    let mut spellings: HashTable<&RepoPath> = HashTable::new();
    let hash = |lower: &[u8]| HASH.hash_one(lower);
    let mut before = RepoPath::top();
    for entry in scan.tree.to_commit() {
        let path = &entry.path;
        for part in parts_not_shared(path, before) {
            let lower = lower(part);
            let same = |known: &&RepoPath| self::lower(known) == lower;
            let spelling = spellings.entry(hash(&lower), same, |known| hash(&self::lower(known)));
            let first = *spelling.or_insert(part).get();
            // Below two folders that clash, only what has the same name there clashes, too; the
            // folder's finding says so.
            if first != part && first.folder() == part.folder() {
                findings.push(clash(entry, part, first));
            }
        }
        before = path;
    }
    findings
}

/// A name as it is where upper and lower case are the same, and the forms in which Unicode writes a
/// letter with an accent.
fn lower(name: &RepoPath) -> Cow<'_, [u8]> {
    if name
        .iter()
        .all(|byte| byte.is_ascii() && !byte.is_ascii_uppercase())
    {
        Cow::Borrowed(name.as_bytes())
    } else {
        let name = match name.to_str() {
            Ok(text) if !text.is_ascii() => text.nfc().collect::<String>().into(),
            _ => name.as_bstr().to_owned(),
        };
        Cow::Owned(name.to_lowercase())
    }
}

/// How names are hashed.
const HASH: FixedState = FixedState::with_seed(0);

/// The folders on the way to a path, and the path, without those that it shares with the path
/// before, which were looked at then.
fn parts_not_shared<'p>(
    path: &'p RepoPath,
    before: &RepoPath,
) -> impl Iterator<Item = &'p RepoPath> {
    let both = path.iter().zip(before.iter());
    let shared = both.take_while(|(a, b)| a == b).count();
    let new = path.parts().filter(move |part| part.bare().len() >= shared);
    new.map(RepoPath::bare)
}

fn clash(entry: &Entry, part: &RepoPath, first: &RepoPath) -> Finding {
    let at = if part.len() < entry.path.len() {
        part.as_folder()
    } else {
        part.to_owned()
    };
    let forms = [part, first].map(|path| path.to_str_lossy().nfc().collect::<String>());
    let first = first.to_owned();
    let (name, cause) = if forms[0] == forms[1] {
        ("form-clash", Cause::FormClash { first })
    } else {
        ("case-clash", Cause::CaseClash { first })
    };
    Finding {
        state: entry.state,
        ..Finding::new(Class::Needed, name, Level::Warning, &at, cause).by_hand(ByHand::RenameOne)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_that_windows_cannot_hold_are_told_from_those_it_can() {
        for bad in [
            "data/aux.c",
            "NUL",
            "a/com1.txt",
            "tide:log",
            "what?.md",
            "a/trailing./b",
            "end ",
            "a\\b",
            "tab\there",
        ] {
            assert!(fault(bad.into()).is_some(), "{bad}");
        }
        for good in [
            "auxiliary.c",
            "data/console.rs",
            ".hidden",
            "a.b.c",
            "com10",
            "größe.txt",
            "a b",
        ] {
            assert!(fault(good.into()).is_none(), "{good}");
        }
    }
}
