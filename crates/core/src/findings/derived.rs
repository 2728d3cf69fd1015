//! Folders whose files all seem to be made from those beside them: a hint, for only names and times
//! tell.

use super::claimed::Claimed;
use super::{Class, Finding, Found, Level, Look};
use crate::effect::Amount;
use crate::tree::{Entry, Kind, State};
use bstr::{BStr, ByteSlice};
use std::collections::{BTreeMap, HashMap};
use std::time::SystemTime;

/// So few files may have their names and times by chance.
const LEAST: usize = 3;

/// Names without their last ending, each with its entries.
type Stems<'t> = HashMap<&'t [u8], Vec<&'t Entry>>;

pub(super) fn find(look: &Look, claimed: &Claimed, found: &mut Found) {
    let mut folders: BTreeMap<&BStr, Stems> = BTreeMap::new();
    for entry in look
        .tree
        .to_commit()
        .filter(|entry| entry.kind == Kind::File && !claimed.has(entry))
    {
        let (folder, stem, _) = parts(entry);
        folders
            .entry(folder)
            .or_default()
            .entry(stem)
            .or_default()
            .push(entry);
    }
    let mut holders: HashMap<&[u8], Vec<&BStr>> = HashMap::new();
    for (folder, stems) in &folders {
        stems
            .keys()
            .for_each(|stem| holders.entry(stem).or_default().push(folder));
    }
    for (folder, made) in &folders {
        let files = || made.values().flatten().copied();
        if folder.is_empty()
            || files().count() < LEAST
            || files().any(|entry| entry.state != State::Candidate)
        {
            continue;
        }
        let above = folder[..folder.len() - 1]
            .rfind_byte(b'/')
            .map_or(b"".as_bstr(), |slash| folder[..=slash].as_bstr());
        // Whatever it is made from holds its rarest name, too.
        let holding = made
            .keys()
            .filter_map(|stem| holders.get(stem))
            .min_by_key(|folders| folders.len());
        let beside = holding
            .into_iter()
            .flatten()
            .filter(|other| *other != folder && is_right_in(other, above));
        for (source, stems) in beside.filter_map(|other| folders.get_key_value(other)) {
            if files().all(|file| is_made_from(look, file, stems)) {
                let message = format!(
                    "each file is younger than one of the same name in {}",
                    shown(source)
                );
                let made = Finding::new(
                    Class::Generated,
                    "derived-folder",
                    Level::Note,
                    folder,
                    message,
                );
                let made = made.by_hand("if a tool makes them, ignore the folder: redshank add");
                let amount = Amount::of(files());
                found.findings.push(Finding {
                    size: Some(amount.size),
                    files: amount.files,
                    ..made
                });
                break;
            }
        }
    }
}

fn shown(folder: &BStr) -> String {
    if folder.is_empty() {
        "the top folder".to_owned()
    } else {
        folder.to_string()
    }
}

/// A file's folder with its slash, its name without the last ending, and that ending.
fn parts(entry: &Entry) -> (&BStr, &[u8], &[u8]) {
    let name_at = entry.path.rfind_byte(b'/').map_or(0, |slash| slash + 1);
    let (folder, name) = entry.path.split_at(name_at);
    let dot = name
        .rfind_byte(b'.')
        .filter(|dot| *dot > 0)
        .unwrap_or(name.len());
    (folder.as_bstr(), &name[..dot], &name[dot..])
}

fn is_right_in(folder: &BStr, above: &BStr) -> bool {
    folder.starts_with(above)
        && (folder.len() == above.len() || !folder[above.len()..folder.len() - 1].contains(&b'/'))
}

/// Whether one of the sources has the file's name with another ending, and is older.
fn is_made_from(look: &Look, file: &Entry, sources: &Stems) -> bool {
    let (_, stem, ending) = parts(file);
    let Some(of_name) = sources.get(stem) else {
        return false;
    };
    let changed = |entry: &Entry| -> Option<SystemTime> {
        look.place
            .root
            .meta(entry.path.as_bstr())
            .ok()
            .map(|found| found.modified)
    };
    of_name
        .iter()
        .any(|source| parts(source).2 != ending && changed(source) < changed(file))
}
