//! How far each finding's file got.

use crate::{Cause, Exposure, Finding, Past, Result, credentials};
use bstr::{BStr, BString, ByteSlice};
use redshank_git::{Blobs, Repository};
use redshank_rules::RepoPathBuf;
use redshank_worktree::size::Bytes;
use redshank_worktree::tree::{Entry, EntryKind, State};
use redshank_worktree::{Class, Worktree};
use std::collections::{HashMap, HashSet};

/// Fills in the exposure of every finding, and the past of those whose contents stay in the
/// history.
pub(crate) fn fill_in_exposure(worktree: &Worktree, findings: &mut [Finding]) -> Result<()> {
    let tracked = paths_of(findings, |place| place.state == State::Tracked);
    let repository = worktree.repository.as_ref();
    let Some(repository) = repository.filter(|_| !tracked.is_empty()) else {
        return Ok(());
    };
    let git = WhatGitKnows::ask(repository, findings, &tracked)?;
    for finding in findings.iter_mut() {
        finding.each_place(&mut |place| git.fill_in(place));
    }
    take_back_only_staged(repository, findings)?;
    let (head, _) = repository.head();
    for finding in findings {
        let path = spread(finding);
        let Some(past) = &mut finding.past else {
            continue;
        };
        let commits = git.past.get(path.as_bstr()).map(|past| &past.all[..]);
        let reach = repository.reach_of(commits.unwrap_or_default())?;
        (past.branches, past.tags) = (reach.branches, reach.tags);
        past.is_last = past.commits == 1 && head.as_ref() == Some(&past.first);
        if let Some(pushed) = git.pushed.get(path.as_bstr()) {
            past.remotes = repository.reach_of(&pushed.all)?.remotes;
        }
    }
    Ok(())
}

/// The paths of all places that are like that.
fn paths_of(findings: &[Finding], is_like: impl Fn(&Finding) -> bool) -> Vec<RepoPathBuf> {
    let places = findings.iter().flat_map(Finding::places);
    places
        .filter(|place| is_like(place))
        .map(|place| place.path.clone())
        .collect()
}

fn borrowed(paths: &[RepoPathBuf]) -> Vec<&BStr> {
    paths.iter().map(|path| path.as_bstr()).collect()
}

fn bare(paths: &[RepoPathBuf]) -> Vec<&BStr> {
    paths.iter().map(|path| path.bare().as_bstr()).collect()
}

/// A value got as far as the farthest place that holds it; returns that place's path.
fn spread(finding: &mut Finding) -> RepoPathBuf {
    let farthest = finding.also.iter().max_by_key(|place| place.exposure);
    match farthest.filter(|farthest| farthest.exposure > finding.exposure) {
        Some(farthest) => {
            let path = farthest.path.clone();
            (finding.exposure, finding.past) = (farthest.exposure, farthest.past.clone());
            path
        }
        None => finding.path.clone(),
    }
}

/// What git knows of the paths.
struct WhatGitKnows {
    committed: HashSet<BString>,
    pushed: HashMap<BString, redshank_git::Past>,
    past: HashMap<BString, redshank_git::Past>,
}

impl WhatGitKnows {
    fn ask(repository: &Repository, findings: &[Finding], tracked: &[RepoPathBuf]) -> Result<Self> {
        let lasting = paths_of(findings, |place: &Finding| {
            let stays = matches!(place.class(), Class::Secret | Class::Oversized)
                || matches!(place.cause, Cause::HomePath | Cause::InternalHost { .. });
            // git tells the past of files.
            stays && place.state == State::Tracked && !place.path.is_folder()
        });
        Ok(Self {
            committed: repository.committed(&bare(tracked))?,
            pushed: repository.pushed(&borrowed(tracked))?,
            past: if lasting.is_empty() {
                HashMap::new()
            } else {
                repository.past(&borrowed(&lasting))?
            },
        })
    }

    fn fill_in(&self, finding: &mut Finding) {
        if finding.state != State::Tracked {
            return;
        }
        let path = finding.path.as_bstr();
        // A folder's finding got as far as any file in it.
        let is_folder = path.ends_with(b"/");
        finding.exposure = if self.pushed.contains_key(path)
            || self
                .pushed
                .keys()
                .any(|one| is_folder && one.starts_with(path))
        {
            Exposure::Pushed
        } else if self.committed.contains(finding.path.bare().as_bstr()) {
            Exposure::Committed
        } else {
            Exposure::Staged
        };
        let past = self.past.get(path);
        let past = past.filter(|_| finding.exposure >= Exposure::Committed);
        finding.past = past.map(|past| Past {
            commits: past.commits,
            since: past.since.clone(),
            first: past.first.clone(),
            remotes: Vec::new(),
            branches: Vec::new(),
            tags: Vec::new(),
            is_last: false,
        });
    }
}

/// A secret in a file that was committed before the secret came into it, has not been committed.
fn take_back_only_staged(repository: &Repository, findings: &mut [Finding]) -> Result<()> {
    let is_open = |finding: &Finding| {
        finding.class() == Class::Secret && finding.exposure >= Exposure::Committed
    };
    let paths = paths_of(findings, is_open);
    if paths.is_empty() {
        return Ok(());
    }
    let changed = repository.changed(&borrowed(&paths))?;
    let mut blobs = repository.blobs()?;
    // The findings that the committed and the staged version of each changed file hold.
    let mut known: HashMap<BString, [HashSet<String>; 2]> = HashMap::new();
    for path in changed {
        let ids = ["HEAD", ""].map(|version| ids_in(&mut blobs, version, path.as_bstr()));
        known.insert(path, ids);
    }
    for finding in findings {
        finding.each_place(&mut |place| {
            let versions = known.get(place.path.as_bstr()).filter(|_| is_open(place));
            let Some([committed, staged]) = versions else {
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
    let (kind, size, ruling) = (EntryKind::File, Bytes(0), None);
    let entry = Entry {
        path: path.into(),
        state: State::Tracked,
        kind,
        size,
        ruling,
    };
    let seen = blobs.read(&format!("{version}:{path}"), |_, contents| {
        Ok(credentials::scan_file(&entry, contents))
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
