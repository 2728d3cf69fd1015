//! Secrets in the messages of commits and tags.

use crate::credentials::{SecretFinding, scan_file};
use crate::{ByHand, Exposure, Finding, Past, Remedy, Result};
use redshank_git::{Message, MessageOn, Repository};
use redshank_rules::RepoPathBuf;
use redshank_worktree::size::Bytes;
use redshank_worktree::tree::{Entry, EntryKind, State};

/// So much of a commit's name is shown as the place of its message.
const SHORT: usize = 10;

/// The findings in a message, with how far it got.
pub(super) fn told(
    repository: &Repository,
    on: &MessageOn,
    found: Vec<Finding>,
) -> Result<Vec<Finding>> {
    let past = past_of(repository, on)?;
    let findings = found.into_iter().map(|finding| Finding {
        exposure: if past.remotes.is_empty() {
            Exposure::Committed
        } else {
            Exposure::Pushed
        },
        past: Some(past.clone()),
        ..finding
    });
    Ok(findings.collect())
}

/// What stands for a message where a path is wanted.
pub(super) fn place_of(on: &MessageOn) -> RepoPathBuf {
    match on {
        MessageOn::Commit { name } => place_of_commit(name),
        MessageOn::Tag { name } => format!("tag {name}").as_str().into(),
    }
}

/// What stands for a commit where a path is wanted.
pub(super) fn place_of_commit(name: &str) -> RepoPathBuf {
    let short = name.get(..SHORT).unwrap_or(name);
    format!("commit {short}").as_str().into()
}

/// The secrets in a message.
pub(super) fn look_into(message: &Message) -> Result<Vec<Finding>> {
    let entry = Entry {
        path: place_of(&message.on),
        state: State::Tracked,
        kind: EntryKind::File,
        size: Bytes(message.text.len() as u64),
        ruling: None,
    };
    // Memory can always be read.
    let (hits, _) = scan_file(&entry, &mut &message.text[..])?.unwrap_or_default();
    let remedy = match &message.on {
        MessageOn::Commit { .. } => ByHand::RewordCommit,
        MessageOn::Tag { .. } => ByHand::RemakeTag,
    };
    let findings = hits
        .into_iter()
        .map(|SecretFinding { finding, .. }| Finding {
            remedy: Remedy::ByHand(remedy.clone()),
            size: None,
            ..finding
        });
    Ok(findings.collect())
}

fn past_of(repository: &Repository, on: &MessageOn) -> Result<Past> {
    let first = match on {
        MessageOn::Commit { name } => name.clone(),
        MessageOn::Tag { name } => repository.commit_named(&format!("refs/tags/{name}"))?,
    };
    let since = repository.day_of(&first)?;
    let reach = repository.reach_of(&[&first])?;
    let is_last = repository.head().0.as_ref() == Some(&first);
    Ok(Past {
        commits: 1,
        is_last,
        since,
        first,
        remotes: reach.remotes,
        branches: reach.branches,
        tags: reach.tags,
    })
}
