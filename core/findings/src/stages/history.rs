//! What the history holds: credentials, and files too large, in every version that a commit
//! reaches.

use crate::finders::over_limit;
use crate::secret::{self, Secret, SecretFinding};
use crate::{ByHand, Exposure, Finding, FindingRule, Past, Remedy, Result, ScanContext};
use rayon::prelude::*;
use redshank_git::{Commit, Repository, Version};
use redshank_stage::Stage;
use redshank_worktree::size::Bytes;
use redshank_worktree::tree::{Entry, EntryKind};
use redshank_worktree::{RepoPath, RepoPathBuf};
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

/// Adds what older versions hold and no file does now.
pub(crate) fn search_history(scan: &ScanContext, findings: &mut Vec<Finding>) -> Result<()> {
    let Some(repository) = &scan.snapshot.repository else {
        return Ok(());
    };
    let stage = Stage::History.begin();
    let mut search = Search {
        scan,
        small: Vec::new(),
        waiting: 0,
        hits: BTreeMap::new(),
        error: None,
    };
    repository.every_version(&mut |version, contents| {
        search.take(version, contents);
        stage.seen(1, 0);
        Ok(())
    })?;
    search.look_into_small();
    if let Some(error) = search.error {
        return Err(error);
    }
    let known: HashSet<String> = findings
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
        findings.push(told(scan, repository, hit, &commits)?);
    }
    Ok(())
}

/// A search that is going on.
struct Search<'a> {
    scan: &'a ScanContext<'a>,
    small: Vec<(Version, Vec<u8>)>,
    waiting: u64,
    hits: BTreeMap<(FindingRule, RepoPathBuf, Option<Secret>), PastFinding>,
    error: Option<crate::Error>,
}

impl Search<'_> {
    fn take(&mut self, version: Version, contents: &mut dyn Read) {
        if version.size > SMALL {
            let seen = look_into(self.scan, &version, contents);
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
        let scan = self.scan;
        let seen: Vec<_> = small
            .into_par_iter()
            .map(|(version, bytes)| (look_into(scan, &version, &mut &bytes[..]), version))
            .collect();
        seen.into_iter()
            .for_each(|(seen, version)| self.add(&version, seen));
    }

    fn add(&mut self, version: &Version, seen: Result<Vec<SecretFinding>>) {
        let hits = match seen {
            Ok(seen) => seen,
            Err(error) => return self.error = Some(error),
        };
        for SecretFinding { finding, value } in hits {
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

fn look_into(
    scan: &ScanContext,
    version: &Version,
    contents: &mut dyn Read,
) -> Result<Vec<SecretFinding>> {
    let state = scan.verdicts.query(RepoPath::new(&version.path))?.state;
    let entry = Entry {
        path: version.path.clone().into(),
        state,
        kind: EntryKind::File,
        size: Bytes(version.size),
        ruling: None,
    };
    // git has the contents already; that they can't be read is a broken repository, which git says
    // itself.
    let (mut hits, _) = secret::look_into(&entry, contents)?.unwrap_or_default();
    if entry.size > scan.limits.file_warning.min(scan.limits.file_error) {
        hits.push(SecretFinding {
            finding: over_limit(scan, &entry)?,
            value: None,
        });
    }
    Ok(hits)
}

/// The finding with its commits, and with words for what is past.
fn told(
    scan: &ScanContext,
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
    let here = scan.tree.get(&hit.finding.path).is_some();
    Ok(Finding {
        only_past: Some(here),
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
        remedy: Remedy::ByHand(ByHand::RewriteHistory),
        ..hit.finding
    })
}
