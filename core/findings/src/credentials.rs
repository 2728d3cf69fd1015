//! Findings on credentials, and on files that are secret by nature.

use crate::{ByHand, Cause, Evidence, Finding, Level, Result};
use redshank_rules::{RepoPath, exactly};
use redshank_secrets::{Downgrade, ScannedText, Secret, by_place, scan};
use redshank_worktree::Class;
use redshank_worktree::size::Bytes;
use redshank_worktree::tree::{Entry, EntryKind, State};
use std::collections::{HashMap, HashSet};
use std::io::Read;

/// A credential, and its value where there is one, by which the same one is known elsewhere.
pub(crate) struct SecretFinding {
    pub(crate) finding: Finding,
    pub(crate) value: Option<Secret>,
}

/// Scans one file: its credentials, and how many a comment on their line accepts.
pub(crate) fn scan_file(
    entry: &Entry,
    file: &mut dyn Read,
) -> Result<std::io::Result<(Vec<SecretFinding>, usize)>> {
    Ok(scan(&entry.path, file)?.map(|scanned| {
        let accepted = scanned.accepted;
        (findings(entry, scanned), accepted)
    }))
}

/// The credentials in a text that is being written: what a file of that path would hold.
///
/// # Errors
/// If the table of credentials can't be used.
pub fn secrets_of(path: &RepoPath, text: &[u8]) -> Result<Vec<Finding>> {
    let entry = Entry {
        path: path.to_owned(),
        state: State::Candidate,
        kind: EntryKind::File,
        size: Bytes(text.len() as u64),
        ruling: None,
    };
    let scanned = scan_file(&entry, &mut &*text)?;
    // Memory can always be read.
    let (secrets, _) = scanned.unwrap_or_default();
    Ok(secrets.into_iter().map(|secret| secret.finding).collect())
}

/// An environment file in which no secret was seen is a note, whatever its name says.
pub(crate) fn judge_environments(by_name: &mut [Finding], seen: &[Finding]) {
    let secrets = seen.iter().filter(|found| found.class() == Class::Secret);
    let holding: HashSet<&RepoPath> = secrets
        .flat_map(Finding::places)
        .map(|place| &*place.path)
        .collect();
    for found in by_name.iter_mut().filter(|found| {
        let is_environment = found.class() == Class::Secret && found.rule.name == "environment";
        is_environment && !found.path.is_folder() && !holding.contains(&*found.path)
    }) {
        found.level = Level::Note;
    }
}

/// The finding on a file that is secret as a whole, whatever it is called.
pub(crate) fn by_nature(entry: &Entry, name: &str, title: &str) -> Finding {
    whole_or_part(entry, name, title, by_place(&entry.path), true)
}

fn whole_or_part(
    entry: &Entry,
    name: &str,
    title: &str,
    downgrade: Option<Downgrade>,
    whole_file: bool,
) -> Finding {
    // What a rule ignores, harms nobody.
    let level = match downgrade {
        _ if entry.state == State::Ignored => Level::Note,
        None => Level::Error,
        Some(Downgrade::LooksReal | Downgrade::Nearby) => Level::Warning,
        Some(_) => Level::Note,
    };
    let cause = Cause::Credential {
        title: title.to_owned(),
        downgrade,
        replace: None,
    };
    let found = Finding::on(entry, Class::Secret, name, level, cause);
    match () {
        () if entry.state == State::Ignored => found.by_hand(ByHand::NothingKeptOut),
        () if downgrade.is_some() => found.by_hand(ByHand::NothingIfMeant),
        () if whole_file => found.kept_out_by(
            exactly(&entry.path),
            "holds secrets of one installation",
            None,
        ),
        () => found.by_hand(ByHand::ReadFromEnvironment),
    }
}

fn findings(entry: &Entry, scanned: ScannedText) -> Vec<SecretFinding> {
    let ScannedText {
        credentials,
        secret_file,
        is_environment,
        ..
    } = scanned;
    let whole_file = secret_file.is_some()
        || is_environment && !credentials.is_empty()
        || credentials.iter().any(|one| one.is_the_file);
    let make = |name: &str, title: &str, downgrade| {
        whole_or_part(entry, name, title, downgrade, whole_file)
    };
    if let (Some(file), true) = (secret_file, credentials.is_empty()) {
        return vec![SecretFinding {
            finding: make(file.name, file.title, by_place(&entry.path)),
            value: None,
        }];
    }
    let mut findings: Vec<SecretFinding> = Vec::new();
    let mut of_rule: HashMap<&str, u8> = HashMap::new();
    for one in credentials {
        // Values of one trace in one file are distinguished by their order.
        let count = of_rule.entry(one.name).or_default();
        let same = *count;
        *count = count.wrapping_add(1);
        let cause = [&one.secret.trace()[..], &[same]].concat();
        let found = make(one.name, one.title, one.downgrade)
            .at_line(one.line)
            .with_cause(&cause);
        let mut finding = found.with_evidence(Evidence::Secret(one.secret.clone()));
        if let Cause::Credential { replace, .. } = &mut finding.cause {
            *replace = one.replace;
        }
        findings.push(SecretFinding {
            finding,
            value: Some(one.secret),
        });
    }
    findings
}
