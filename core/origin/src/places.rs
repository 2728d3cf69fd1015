//! The places of what is made, each with the narrowest pattern that covers all of its kind.

use crate::evidence::{Judgement, Strength};
use crate::judgements::Judgements;
use bstr::{BStr, BString};
use redshank_rules::{RepoPath, RepoPathBuf, exactly, quote};
use std::collections::BTreeMap;

/// A place of what is made: a folder, all of a type in a folder, or a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MadePlace {
    /// The folder, or the file, or the first one of the type; relative to the top.
    pub path: RepoPathBuf,
    /// What ignores it, for the ignore file at the top.
    pub pattern: BString,
    /// The judgement on its weightiest file.
    pub judgement: Judgement,
}

/// A file, and the judgement on it.
type JudgedFile<'j> = (&'j RepoPath, &'j Judgement);

/// A folder whose files are all made is one place from so many on.
const WHOLE: u64 = 3;
/// So many files of one type are one place.
const TYPE: usize = 3;

impl Judgements<'_> {
    /// The places of what is made, at least that strongly, of the files that are asked for; sorted
    /// by path.
    pub fn made_places(
        &self,
        least: Strength,
        is_asked_for: impl Fn(&RepoPath) -> bool,
    ) -> Vec<MadePlace> {
        let mut folders: BTreeMap<&RepoPath, Vec<&Judgement>> = BTreeMap::new();
        let mut types: BTreeMap<(&RepoPath, Option<&BStr>), Vec<JudgedFile>> = BTreeMap::new();
        for (path, judgement) in self.iter() {
            let is_open =
                judgement.is_made(least) && judgement.is_shown() && !judgement.is_by_template();
            let is_open = is_open && !judgement.is_often_kept();
            if !is_open || !is_asked_for(path) {
                continue;
            }
            match self.made_folder(path, WHOLE) {
                Some(folder) => folders.entry(folder).or_default().push(judgement),
                None => {
                    let of_type = types.entry((path.folder(), path.extension())).or_default();
                    of_type.push((path, judgement));
                }
            }
        }
        let mut places = Vec::new();
        for (folder, judgements) in folders {
            let weightiest = judgements.into_iter().max_by_key(|one| one.weight);
            places.extend(weightiest.map(|judgement| MadePlace {
                path: folder.to_owned(),
                pattern: exactly(folder),
                judgement: judgement.clone(),
            }));
        }
        for ((folder, ending), mut files) in types {
            files.sort_by(|a, b| a.0.cmp(b.0));
            let is_type = files.len() >= TYPE && self.is_all_of_type(folder, ending, &files);
            match (ending, files.first()) {
                (Some(ending), Some((first, judgement))) if is_type => places.push(MadePlace {
                    path: (*first).to_owned(),
                    pattern: type_pattern(folder, ending),
                    judgement: (*judgement).clone(),
                }),
                _ => places.extend(files.into_iter().map(|(path, judgement)| MadePlace {
                    path: path.to_owned(),
                    pattern: exactly(path),
                    judgement: judgement.clone(),
                })),
            }
        }
        places.sort_by(|a, b| a.path.cmp(&b.path));
        places
    }

    /// Whether a folder holds no other file of the type.
    fn is_all_of_type(
        &self,
        folder: &RepoPath,
        ending: Option<&BStr>,
        files: &[(&RepoPath, &Judgement)],
    ) -> bool {
        let of_type = self
            .iter()
            .filter(|(path, _)| path.folder() == folder && path.extension() == ending);
        of_type.count() == files.len()
    }
}

/// All files of a type right in a folder.
fn type_pattern(folder: &RepoPath, ending: &BStr) -> BString {
    let start = if folder.is_top() {
        BString::from("/")
    } else {
        exactly(folder)
    };
    [start.as_slice(), b"*", quote(ending).as_slice()]
        .concat()
        .into()
}
