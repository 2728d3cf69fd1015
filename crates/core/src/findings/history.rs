//! What the history holds: credentials, and files too large, in every version that a commit
//! reaches.

use super::secret::{self, Hit, Secret};
use super::{Ask, Exposure, Finding, Found, Look, Past, Remedy, oversized};
use crate::Result;
use crate::size::Bytes;
use crate::tree::{Entry, Kind};
use bstr::{BString, ByteSlice};
use rayon::prelude::*;
use redshank_git::{Commit, Repository, Version};
use std::cmp::Reverse;
use std::collections::{BTreeMap, HashMap, HashSet};
use std::io::Read;

/// Versions up to this size, in bytes, are looked into side by side.
const SMALL: u64 = 1 << 20;

/// How much of them is in memory at a time, in bytes.
const AT_ONCE: u64 = 16 << 20;

/// A finding, and the versions that it stands in.
struct PastFinding {
    finding: Finding,
    blobs: HashSet<String>,
}

pub(super) fn find(look: &Look, ask: &Ask, found: &mut Found) -> Result<()> {
    let Some(repository) = &look.place.repository else {
        return Ok(());
    };
    let mut search = Search {
        look,
        small: Vec::new(),
        waiting: 0,
        seen: 0,
        hits: BTreeMap::new(),
        error: None,
    };
    repository.every_version(&mut |version, contents| {
        search.take(version, contents);
        (ask.progress)(search.seen);
        Ok(())
    })?;
    search.look_into_small();
    if let Some(error) = search.error {
        return Err(error);
    }
    let known: HashSet<String> = found
        .findings
        .iter()
        .flat_map(Finding::places)
        .map(|known| known.id.clone())
        .collect();
    let hits: Vec<_> = search
        .hits
        .into_values()
        .filter(|hit| !known.contains(&hit.finding.id))
        .collect();
    let blobs = hits
        .iter()
        .flat_map(|hit| hit.blobs.iter().cloned())
        .collect();
    let commits = if hits.is_empty() {
        HashMap::new()
    } else {
        repository.commits_with(&blobs)?
    };
    for hit in hits {
        found.findings.push(told(look, repository, hit, &commits)?);
    }
    Ok(())
}

/// A search under way.
struct Search<'a> {
    look: &'a Look<'a>,
    small: Vec<(Version, Vec<u8>)>,
    waiting: u64,
    seen: u64,
    hits: BTreeMap<(String, BString, Option<Secret>), PastFinding>,
    error: Option<crate::Error>,
}

impl Search<'_> {
    fn take(&mut self, version: Version, contents: &mut dyn Read) {
        self.seen += 1;
        if version.size > SMALL {
            let seen = look_into(self.look, &version, contents);
            self.add(&version, seen);
            return;
        }
        let mut bytes = Vec::with_capacity(version.size as usize);
        // What can't be read ends the whole; the next read says so.
        let _ = contents.read_to_end(&mut bytes);
        self.waiting += version.size;
        self.small.push((version, bytes));
        if self.waiting > AT_ONCE {
            self.look_into_small();
        }
    }

    fn look_into_small(&mut self) {
        let small = std::mem::take(&mut self.small);
        self.waiting = 0;
        let look = self.look;
        let seen: Vec<_> = small
            .into_par_iter()
            .map(|(version, bytes)| (look_into(look, &version, &mut &bytes[..]), version))
            .collect();
        seen.into_iter()
            .for_each(|(seen, version)| self.add(&version, seen));
    }

    fn add(&mut self, version: &Version, seen: Result<Vec<Hit>>) {
        let hits = match seen {
            Ok(seen) => seen,
            Err(error) => return self.error = Some(error),
        };
        for Hit { finding, value } in hits {
            // A value that stands in many versions of a file is one finding; a large file is one by
            // its path.
            let key = (finding.rule.clone(), finding.path.clone(), value);
            let known = self.hits.entry(key).or_insert(PastFinding {
                finding,
                blobs: HashSet::new(),
            });
            known.blobs.insert(version.blob.clone());
        }
    }
}

fn look_into(look: &Look, version: &Version, contents: &mut dyn Read) -> Result<Vec<Hit>> {
    let state = look.oracle.ask(version.path.as_bstr())?.state;
    let entry = Entry {
        path: version.path.clone(),
        state,
        kind: Kind::File,
        size: Bytes(version.size),
        ruling: None,
    };
    // git has the contents already; that they can't be read is a broken repository, which git says
    // itself.
    let (mut hits, _) = secret::look_into(&entry, contents)?.unwrap_or_default();
    if entry.size > look.settings.limits.file_warning {
        hits.push(Hit {
            finding: oversized::file(look, &entry),
            value: None,
        });
    }
    Ok(hits)
}

/// The finding with its commits, and with words for what is past.
fn told(
    look: &Look,
    repository: &Repository,
    hit: PastFinding,
    commits: &HashMap<String, Vec<Commit>>,
) -> Result<Finding> {
    let mut all: Vec<&Commit> = hit
        .blobs
        .iter()
        .filter_map(|blob| commits.get(blob))
        .flatten()
        .collect();
    all.sort_by_key(|commit| Reverse(commit.newer));
    all.dedup();
    let first = all.first().map_or_else(Default::default, |first| {
        (first.name.clone(), first.day.clone())
    });
    let remotes = if all.is_empty() {
        Vec::new()
    } else {
        repository.remotes_with(&first.0)?
    };
    let here = look.tree.get(hit.finding.path.as_bstr()).is_some();
    let gone = if here {
        "an older version of it"
    } else {
        "it is gone from the tree, but the history keeps it"
    };
    Ok(Finding {
        message: format!("{}; {gone}", hit.finding.message),
        exposure: if remotes.is_empty() {
            Exposure::Committed
        } else {
            Exposure::Pushed
        },
        past: Some(Past {
            commits: all.len() as u64,
            since: first.1,
            first: first.0,
            remotes,
        }),
        remedy: Remedy::ByHand("only writing the history anew takes it out".to_owned()),
        ..hit.finding
    })
}
