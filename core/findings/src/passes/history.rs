//! What the history holds: credentials, files too large and reserved material, in every version
//! that git keeps.

use super::{messages, strangers};
use crate::credentials::{self, SecretFinding};
use crate::finders::{PatternLimits, over_limit, reserved};
use crate::{ByHand, Evidence, Exposure, Finding, FindingRule, Past, Remedy, Result, ScanContext};
use bstr::ByteSlice;
use rayon::prelude::*;
use redshank_git::{
    Commit, Destination, HistoryCut, Kept, Message, MessageOn, Outgoing, Reach, Repository,
    SentObject, Version,
};
use redshank_progress::{Phase, Running};
use redshank_rules::RepoPathBuf;
use redshank_secrets::Secret;
use redshank_worktree::size::Bytes;
use redshank_worktree::tree::{Entry, EntryKind, State};
use std::cmp::Reverse;
use std::collections::{BTreeMap, HashMap, HashSet};
use std::io::Read;

/// Versions up to this size, in bytes, are looked into side by side.
const SMALL: u64 = 1 << 20;

/// How much of them is in memory at a time, in bytes.
const AT_ONCE: u64 = 4 << 20;

/// A finding, the versions that hold it, and where git keeps the one that got farthest.
struct PastFinding {
    finding: Finding,
    blobs: HashSet<String>,
    kept: Kept,
}

/// What a walk through versions and messages came upon.
pub(crate) struct Searched {
    hits: Vec<PastFinding>,
    /// The findings in messages.
    said: Vec<(MessageOn, Vec<Finding>)>,
    cuts: Vec<HistoryCut>,
}

/// Looks into every version and message that git keeps.
pub(crate) fn search_history(scan: &ScanContext, repository: &Repository) -> Result<Searched> {
    let mut search = Search::new(scan);
    let missing = repository.every_version(&mut |version, contents| {
        search.take(version, contents);
        Ok(())
    })?;
    for message in repository.messages()? {
        search.take_message(message);
    }
    search.end(repository, missing)
}

/// Looks into what a push would send, and counts it on the way.
pub(crate) fn search_push(
    scan: &ScanContext,
    repository: &Repository,
    destination: &Destination,
) -> Result<(Searched, Outgoing)> {
    let mut search = Search::new(scan);
    let walked = repository.outgoing(destination, &mut |object, contents| {
        match object {
            SentObject::Version(version) => search.take(version, contents),
            SentObject::Message(on) => {
                let mut text = Vec::new();
                contents.read_to_end(&mut text)?;
                let text = text.into();
                search.take_message(Message { on, text });
            }
        }
        Ok(())
    });
    let (outgoing, missing) = walked?;
    Ok((search.end(repository, missing)?, outgoing))
}

impl Searched {
    /// Adds what older versions and messages hold and no file does now. Returns where the history
    /// is cut off.
    pub(crate) fn report(
        self,
        scan: &ScanContext,
        repository: &Repository,
        findings: &mut Vec<Finding>,
    ) -> Result<Vec<HistoryCut>> {
        // What is on disk only, and ignored today, says nothing of what was committed.
        let known: HashSet<String> = findings
            .iter()
            .flat_map(Finding::places)
            .filter(|known| known.exposure >= Exposure::Committed)
            .map(|known| known.id.clone())
            .collect();
        let hits = self.hits.into_iter();
        let hits: Vec<_> = hits
            .filter(|hit| !known.contains(&hit.finding.id))
            .collect();
        let commits = |is_past: bool| {
            let of_kind = hits
                .iter()
                .filter(|hit| (hit.kept == Kept::History) == is_past);
            let blobs: HashSet<String> =
                of_kind.flat_map(|hit| hit.blobs.iter().cloned()).collect();
            if blobs.is_empty() {
                Ok(HashMap::new())
            } else {
                repository.commits_with(&blobs, !is_past)
            }
        };
        let (past, aside) = (commits(true)?, commits(false)?);
        for hit in hits {
            let commits = match hit.kept {
                Kept::History => &past,
                Kept::Note | Kept::Stash | Kept::Reflog => &aside,
            };
            let finding = told(scan, repository, hit, commits)?;
            findings.retain(|known| known.id != finding.id || !known.also.is_empty());
            findings.push(finding);
        }
        for (on, found) in self.said {
            findings.extend(messages::told(repository, &on, found)?);
        }
        Ok(self.cuts)
    }
}

/// A search that is going on.
struct Search<'a> {
    scan: &'a ScanContext<'a>,
    phase: Running,
    small: Vec<(Version, Vec<u8>)>,
    waiting: u64,
    hits: BTreeMap<(FindingRule, RepoPathBuf, Option<Secret>), PastFinding>,
    messages: Vec<Message>,
    said: Vec<(MessageOn, Vec<Finding>)>,
    error: Option<crate::Error>,
}

/// How many messages are looked into side by side.
const MESSAGES_AT_ONCE: usize = 1024;

impl<'a> Search<'a> {
    fn new(scan: &'a ScanContext<'a>) -> Self {
        Self {
            scan,
            phase: Phase::History.begin(),
            small: Vec::new(),
            waiting: 0,
            hits: BTreeMap::new(),
            messages: Vec::new(),
            said: Vec::new(),
            error: None,
        }
    }

    /// What came of it; `missing` objects were not here.
    fn end(mut self, repository: &Repository, missing: usize) -> Result<Searched> {
        self.look_into_small();
        self.look_into_messages();
        if let Some(error) = self.error {
            return Err(error);
        }
        let mut cuts = repository.history_cuts()?;
        if missing > 0 {
            cuts.push(HistoryCut::Partial { missing });
        }
        Ok(Searched {
            hits: self.hits.into_values().collect(),
            said: self.said,
            cuts,
        })
    }

    fn take_message(&mut self, message: Message) {
        self.messages.push(message);
        if self.messages.len() == MESSAGES_AT_ONCE {
            self.look_into_messages();
        }
    }

    fn look_into_messages(&mut self) {
        let messages = std::mem::take(&mut self.messages);
        let seen: Vec<_> = messages.par_iter().map(messages::look_into).collect();
        for (message, found) in messages.into_iter().zip(seen) {
            match found {
                Ok(found) if found.is_empty() => {}
                Ok(found) => self.said.push((message.on, found)),
                Err(error) => self.error = Some(error),
            }
        }
    }
}

impl Search<'_> {
    fn take(&mut self, version: Version, contents: &mut dyn Read) {
        self.phase.seen(1, 0);
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
            // A value that is in many versions of a file is one finding; a large file is one by
            // its path.
            let key = (finding.rule.clone(), finding.path.clone(), value);
            let known = self.hits.entry(key).or_insert(PastFinding {
                finding,
                blobs: HashSet::new(),
                kept: version.kept,
            });
            // Commits come first: what is in one of them counts as that.
            if known.kept == version.kept {
                known.blobs.insert(version.blob.clone());
            }
        }
    }
}

fn look_into(
    scan: &ScanContext,
    version: &Version,
    contents: &mut dyn Read,
) -> Result<Vec<SecretFinding>> {
    // What is committed is as bad whatever today's rules say of its path.
    let entry = Entry {
        path: match version.kept {
            Kept::Note => NOTES.into(),
            _ => version.path.clone().into(),
        },
        state: State::Tracked,
        kind: EntryKind::File,
        size: Bytes(version.size),
        ruling: None,
    };
    // git has the contents already; that they can't be read is a broken repository, which git says
    // itself.
    let is_text_kept = scan.options.public && version.kept != Kept::Note;
    let mut held = Vec::new();
    if is_text_kept && version.size <= strangers::LARGEST {
        // What can't be read ends the whole; the next read says so.
        let _ = contents.read_to_end(&mut held);
    }
    let mut contents = held.as_slice().chain(contents);
    let (mut hits, _) = credentials::scan_file(&entry, &mut contents)?.unwrap_or_default();
    let seen = strangers::in_text(&entry, &held).into_iter();
    hits.extend(seen.map(|finding| SecretFinding {
        finding,
        value: None,
    }));
    let own = PatternLimits::new(scan.settings);
    let warning = own.warning(&entry.path, &scan.limits);
    if entry.size > warning.min(scan.limits.file_error) {
        hits.push(SecretFinding {
            finding: over_limit(scan, &entry, &own)?,
            value: None,
        });
    }
    if version.kept != Kept::Note {
        hits.extend(
            reserved(scan, &entry)
                .into_iter()
                .map(|finding| SecretFinding {
                    finding,
                    value: None,
                }),
        );
    }
    if version.kept == Kept::Note {
        for hit in &mut hits {
            hit.finding.line = None;
            let object = version.path.replace("/", "");
            hit.finding.evidence = Some(Evidence::Note(object.to_str_lossy().into_owned()));
        }
    }
    Ok(hits)
}

/// The path that stands for notes.
const NOTES: &str = "refs/notes";

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
    let reach = match hit.kept {
        Kept::History => {
            let names: Vec<&str> = all.iter().map(|commit| &*commit.name).rev().collect();
            repository.reach_of(&names)?
        }
        _ => Reach::default(),
    };
    let here = scan.tree.get(&hit.finding.path).is_some();
    let path = &hit.finding.path;
    let remedy = match hit.kept {
        Kept::History => ByHand::RewriteHistory,
        Kept::Note => ByHand::RemoveNote,
        Kept::Stash => ByHand::DropStash {
            entry: stash_with(repository, &all)?,
        },
        Kept::Reflog => ByHand::ExpireReflog,
    };
    let state = match hit.kept {
        Kept::Note => State::Tracked,
        _ => scan.verdicts.query(path)?.state,
    };
    Ok(Finding {
        state,
        only_past: (hit.kept == Kept::History).then_some(here),
        exposure: if reach.remotes.is_empty() {
            Exposure::Committed
        } else {
            Exposure::Pushed
        },
        past: Some(Past {
            commits: all.len() as u64,
            since: first.1,
            first: first.0,
            remotes: reach.remotes,
            branches: reach.branches,
            tags: reach.tags,
            is_last: false,
        }),
        remedy: Remedy::ByHand(remedy),
        ..hit.finding
    })
}

/// Which entry of the stash one of these commits is; the newest if none is known.
fn stash_with(repository: &Repository, commits: &[&Commit]) -> Result<usize> {
    let stash = repository.stash()?;
    Ok(stash
        .iter()
        .position(|name| commits.iter().any(|commit| commit.name == *name))
        .unwrap_or_default())
}
