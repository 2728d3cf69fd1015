//! How far each finding's file got.

use super::{Class, Exposure, Finding, Found, Past, secret};
use crate::Result;
use crate::size::Bytes;
use crate::tree::{Entry, Kind, Place, State};
use bstr::{BStr, BString, ByteSlice};
use redshank_git::{Blobs, Repository};
use std::collections::{HashMap, HashSet};

/// Fills in the exposure of every finding, and the past of those whose contents stay in the
/// history.
pub(super) fn fill_in(place: &Place, found: &mut Found) -> Result<()> {
    let Some(repository) = &place.repository else {
        return Ok(());
    };
    let all = || found.findings.iter().flat_map(Finding::places);
    let tracked: Vec<&BStr> = all()
        .filter(|place| place.state == State::Tracked)
        .map(|f| f.path.as_bstr())
        .collect();
    if tracked.is_empty() {
        return Ok(());
    }
    let stays = |finding: &&Finding| matches!(finding.class, Class::Secret | Class::Oversized);
    let lasting: Vec<&BStr> = all()
        .filter(stays)
        .filter(|f| f.state == State::Tracked)
        .map(|f| f.path.as_bstr())
        .collect();
    let known = Known {
        committed: repository.committed(&tracked)?,
        pushed: repository.pushed(&tracked)?,
        past: if lasting.is_empty() {
            HashMap::new()
        } else {
            repository.past(&lasting)?
        },
    };
    for finding in &mut found.findings {
        finding.each_place(&mut |place| known.fill_in(place));
    }
    only_staged(repository, found)?;
    for finding in &mut found.findings {
        // A value got as far as the farthest place that holds it.
        let farthest = finding.also.iter().max_by_key(|place| place.exposure);
        let mut path = finding.path.clone();
        if let Some(farthest) = farthest.filter(|farthest| farthest.exposure > finding.exposure) {
            path.clone_from(&farthest.path);
            (finding.exposure, finding.past) = (farthest.exposure, farthest.past.clone());
        }
        if let (Some(past), Some(pushed)) = (&mut finding.past, known.pushed.get(&path)) {
            past.remotes = repository.remotes_with(&pushed.first)?;
        }
    }
    Ok(())
}

/// What git knows of the paths.
struct Known {
    committed: HashSet<BString>,
    pushed: HashMap<BString, redshank_git::Past>,
    past: HashMap<BString, redshank_git::Past>,
}

impl Known {
    fn fill_in(&self, finding: &mut Finding) {
        if finding.state != State::Tracked {
            return;
        }
        let path = finding.path.as_bstr();
        // A folder's finding got as far as any file in it.
        let is_folder = path.ends_with(b"/");
        let is_below = |one: &BString| is_folder && one.starts_with(path);
        finding.exposure = if self.pushed.contains_key(path) || self.pushed.keys().any(is_below) {
            Exposure::Pushed
        } else if self.committed.contains(path) || self.committed.iter().any(is_below) {
            Exposure::Committed
        } else {
            Exposure::Staged
        };
        let past = self
            .past
            .get(path)
            .filter(|_| finding.exposure >= Exposure::Committed);
        finding.past = past.map(|past| Past {
            commits: past.commits,
            since: past.since.clone(),
            first: past.first.clone(),
            remotes: Vec::new(),
        });
    }
}

/// A secret in a file that was committed before the secret came into it, has not been committed.
fn only_staged(repository: &Repository, found: &mut Found) -> Result<()> {
    let is_open = |finding: &Finding| {
        finding.class == Class::Secret && finding.exposure >= Exposure::Committed
    };
    let open = found
        .findings
        .iter()
        .flat_map(Finding::places)
        .filter(|finding| is_open(finding));
    let paths: Vec<&BStr> = open.map(|finding| finding.path.as_bstr()).collect();
    if paths.is_empty() {
        return Ok(());
    }
    let changed = repository.changed(&paths)?;
    let mut blobs = repository.blobs()?;
    // The findings that the committed and the staged version of each changed file hold.
    let mut known: HashMap<BString, [HashSet<String>; 2]> = HashMap::new();
    for path in changed {
        let ids = ["HEAD", ""].map(|version| ids_in(&mut blobs, version, path.as_bstr()));
        known.insert(path, ids);
    }
    for finding in &mut found.findings {
        finding.each_place(&mut |place| {
            let Some([committed, staged]) = known.get(&place.path).filter(|_| is_open(place))
            else {
                return;
            };
            if !committed.contains(&place.id) {
                place.exposure = if staged.contains(&place.id) {
                    Exposure::Staged
                } else {
                    Exposure::Disk
                };
                place.past = None;
            }
        });
    }
    Ok(())
}

/// What is found in a version of a file that git keeps: a commit's, or for the empty name the
/// index's.
fn ids_in(blobs: &mut Blobs, version: &str, path: &BStr) -> HashSet<String> {
    let (kind, size, ruling) = (Kind::File, Bytes(0), None);
    let entry = Entry {
        path: path.to_owned(),
        state: State::Tracked,
        kind,
        size,
        ruling,
    };
    let seen = blobs.read(&format!("{version}:{path}"), |_, contents| {
        Ok(secret::look_into(&entry, contents))
    });
    // A version that isn't there holds nothing.
    let hits = seen
        .ok()
        .and_then(Result::ok)
        .and_then(std::io::Result::ok)
        .map(|(hits, _)| hits);
    hits.unwrap_or_default()
        .into_iter()
        .map(|hit| hit.finding.id)
        .collect()
}
