//! Files that come in pairs: an asset, and beside it what another tool keeps of it.

use super::{Class, Finding, Found, Level, Look};
use crate::rules::Names;
use crate::templates::Project;
use crate::tree::{Kind, State};
use bstr::{BStr, BString, ByteSlice};
use std::collections::BTreeSet;

/// How many are named.
const NAMED: usize = 3;

pub(super) fn find(look: &Look, found: &mut Found) {
    for project in &look.survey.projects {
        for pair in &project.template.companion {
            let of: Names = vec![pair.of.clone()].into();
            let (alone, without) = apart(look, project, &of, &pair.ending);
            let named = |paths: &[BString]| {
                let named: Vec<String> =
                    paths.iter().take(NAMED).map(ToString::to_string).collect();
                named.join(", ")
                    + if paths.len() > NAMED {
                        " and others"
                    } else {
                        ""
                    }
            };
            let make = |name, message: String, paths: Vec<BString>, words: &str| {
                let first = paths.first()?;
                // One of them is told as itself, several as what is in their project's folder.
                let at = if paths.len() == 1 || project.folder.is_empty() {
                    first
                } else {
                    &project.folder
                };
                let made = Finding::new(Class::Needed, name, Level::Warning, at.as_bstr(), message);
                let made = made
                    .with_cause(pair.ending.as_bytes())
                    .with_evidence(named(&paths))
                    .by_hand(words);
                Some(Finding {
                    files: paths.len() as u64,
                    ..made
                })
            };
            let message = format!("no `{}` beside it: {}", pair.ending, pair.reason);
            let words = "open the project in its editor, which writes them, and commit both";
            found
                .findings
                .extend(make("companion-missing", message, without, words));
            let message = format!(
                "a `{}` with nothing beside it: what it belonged to is gone, or kept out",
                pair.ending
            );
            let words = "delete it, or let in what it belongs to";
            found
                .findings
                .extend(make("companion-alone", message, alone, words));
        }
    }
}

/// The companions that have no asset, and the assets that have none, of what would be committed.
fn apart(look: &Look, project: &Project, of: &Names, ending: &str) -> (Vec<BString>, Vec<BString>) {
    let folder = project.folder.as_bstr();
    let mut companions: BTreeSet<&BStr> = BTreeSet::new();
    let mut assets: BTreeSet<&BStr> = BTreeSet::new();
    for entry in look
        .tree
        .below(folder)
        .filter(|entry| entry.state != State::Ignored && entry.kind == Kind::File)
    {
        let path = entry.path.as_bstr();
        if of.topmost(path[folder.len()..].as_bstr()).is_none() {
            continue;
        }
        if let Some(asset) = path.strip_suffix(ending.as_bytes()) {
            companions.insert(asset.as_bstr());
            continue;
        }
        assets.insert(path);
        // The folders on the way are assets, too, but for the one that holds them all.
        let slashes = path[folder.len()..]
            .find_iter("/")
            .map(|slash| folder.len() + slash);
        let is_asset = |slash: &usize| of.has(path[folder.len()..=*slash].as_bstr());
        assets.extend(
            slashes
                .filter(is_asset)
                .map(|slash| path[..slash].as_bstr()),
        );
    }
    let hidden = |path: &BStr| {
        look.settings.reserves(path)
            || path
                .split_str("/")
                .any(|part| part.starts_with(b".") || part.ends_with(b"~"))
    };
    let owned = |paths: BTreeSet<&BStr>, ending: &str| -> Vec<BString> {
        let visible = paths.into_iter().filter(|path| !hidden(path));
        visible
            .map(|path| [path.as_bytes(), ending.as_bytes()].concat().into())
            .collect()
    };
    let is_folder = |path: &BStr| look.place.root.kind(path) == Some(redshank_files::Kind::Folder);
    // An empty folder is no entry, but its companion is right beside it.
    let alone = companions
        .difference(&assets)
        .copied()
        .filter(|path| !is_folder(path))
        .collect();
    (
        owned(alone, ending),
        owned(assets.difference(&companions).copied().collect(), ""),
    )
}
