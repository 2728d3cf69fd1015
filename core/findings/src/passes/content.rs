//! What files hold: each is read once, and every finder that looks inside sees it then.

use super::TemplatePaths;
use crate::credentials::{self, SecretFinding};
use crate::finders::{Script, by_nature, machine_path, script};
use crate::{Cause, Finding, Level, Result, ScanContext, ScanResult};
use rayon::prelude::*;
use redshank_origin::Judgement;
use redshank_progress::Phase;
use redshank_rules::RepoPathBuf;
use redshank_secrets::{Downgrade, Secret};
use redshank_templates::POINTER;
use redshank_worktree::Class;
use redshank_worktree::tree::{Entry, EntryKind, State, Unread, UnreadReason};
use std::cmp::Reverse;
use std::collections::{HashMap, HashSet, hash_map};
use std::io::{ErrorKind, Read};

/// What one file gave.
#[derive(Default)]
struct FileScan<'t> {
    /// It is secret by nature, or has a path of one machine in it.
    found: Option<Finding>,
    /// Where it comes from, unless a template says it.
    judgement: Option<(&'t Entry, Judgement)>,
    secrets: Vec<SecretFinding>,
    accepted: usize,
    unread: Option<Unread>,
    pointer: Option<RepoPathBuf>,
    /// It is a script, and how its lines end.
    script: Option<Script>,
    /// It starts with the name of an interpreter.
    program: Option<Program>,
    /// It is an archive, which isn't opened.
    is_archive: bool,
}

impl FileScan<'_> {
    fn is_empty(&self) -> bool {
        let Self {
            found,
            judgement,
            secrets,
            accepted,
            unread,
            pointer,
            script,
            program,
            is_archive,
        } = self;
        let nothing_found = found.is_none() && secrets.is_empty() && *accepted == 0;
        nothing_found
            && judgement.is_none()
            && unread.is_none()
            && pointer.is_none()
            && script.is_none()
            && program.is_none()
            && !is_archive
    }
}

/// What was seen inside files, beside findings.
#[derive(Default)]
pub(crate) struct ContentScan<'t> {
    /// Where files come from that no template speaks of.
    pub(crate) judged: Vec<(&'t Entry, Judgement)>,
    /// Files that are pointers into large-file storage.
    pub(crate) pointers: HashSet<RepoPathBuf>,
    /// Scripts whose lines end as their interpreter can't read them.
    pub(crate) scripts: Vec<Script>,
    /// Files that start with the name of an interpreter.
    pub(crate) programs: Vec<Program>,
}

/// A file that starts with the name of an interpreter.
pub(crate) struct Program {
    pub(crate) path: RepoPathBuf,
    /// A byte-order mark is before it.
    pub(crate) has_mark: bool,
}

impl Program {
    /// The program that a file is by its start.
    fn new(entry: &Entry, head: &[u8]) -> Option<Self> {
        let rest = head.strip_prefix(b"\xef\xbb\xbf");
        let start = rest.unwrap_or(head);
        let is_one = start.starts_with(b"#!/") || start.starts_with(b"#! /");
        is_one.then(|| Self {
            path: entry.path.clone(),
            has_mark: rest.is_some(),
        })
    }
}

/// How many bytes of a file's start are looked at for what made it.
const HEAD: u64 = 16 << 10;

impl<'t> ContentScan<'t> {
    /// Looks into every file of a scan.
    pub(crate) fn run(
        scan: &ScanContext<'t>,
        templates: &TemplatePaths,
    ) -> Result<(Self, ScanResult)> {
        // What is made by tools and not tracked will be ignored as it is.
        let is_open = |entry: &&Entry| {
            let class = templates.class(entry);
            let goes_anyway = class == Some(Class::Generated);
            entry.kind == EntryKind::File && !(goes_anyway && entry.state == State::Candidate)
        };
        let phase = Phase::Contents.begin();
        let files: Vec<&Entry> = scan.files().filter(is_open).collect();
        let seen = files
            .into_par_iter()
            .map(|entry| {
                phase.seen(1, entry.size.0);
                look_into(
                    scan,
                    entry,
                    templates,
                    templates.has(entry) || entry.state == State::Ignored,
                )
            })
            // Most files give nothing, and what they gave isn't kept.
            .filter(|seen| seen.as_ref().map_or(true, |seen| !seen.is_empty()));
        let (mut content, mut result) = (Self::default(), ScanResult::default());
        let mut known = HashMap::new();
        for seen in seen.collect::<Result<Vec<FileScan>>>()? {
            content.judged.extend(seen.judgement);
            content.pointers.extend(seen.pointer);
            content.scripts.extend(seen.script);
            content.programs.extend(seen.program);
            result.findings.extend(seen.found);
            for secret in seen.secrets {
                add(secret, &mut known, &mut result.findings);
            }
            result.accepted += seen.accepted;
            result.unopened += usize::from(seen.is_archive);
            result.unread.extend(seen.unread);
        }
        Ok((content, result))
    }
}

/// Adds a credential; one of a value that is found elsewhere is another place of that finding.
fn add(
    secret: SecretFinding,
    known: &mut HashMap<(String, Secret), usize>,
    findings: &mut Vec<Finding>,
) {
    let SecretFinding { mut finding, value } = secret;
    let Some(value) = value else {
        return findings.push(finding);
    };
    match known.entry((finding.rule.name.clone(), value)) {
        hash_map::Entry::Vacant(free) => {
            free.insert(findings.len());
            findings.push(finding);
        }
        hash_map::Entry::Occupied(taken) => {
            let first = &mut findings[*taken.get()];
            // What documentation shows and tests use is an example.
            if is_shown(&finding) || is_shown(first) {
                for one in [&mut *first, &mut finding] {
                    if one.level == Level::Warning {
                        one.level = Level::Note;
                    }
                }
            }
            // The worst place comes first: one that git tracks, and not one that a rule ignores.
            if (finding.level, Reverse(finding.state)) < (first.level, Reverse(first.state)) {
                std::mem::swap(first, &mut finding);
                first.also = std::mem::take(&mut finding.also);
            }
            first.also.push(finding);
        }
    }
}

/// Whether a credential is one of an example or a test.
fn is_shown(finding: &Finding) -> bool {
    let here = |finding: &Finding| match finding.cause {
        Cause::Credential { downgrade, .. } => downgrade.is_some_and(|downgrade| {
            matches!(
                downgrade,
                Downgrade::Example | Downgrade::Test | Downgrade::Documentation
            )
        }),
        _ => false,
    };
    here(finding) || finding.also.iter().any(here)
}

fn look_into<'t>(
    scan: &ScanContext,
    entry: &'t Entry,
    templates: &TemplatePaths,
    is_explained: bool,
) -> Result<FileScan<'t>> {
    let path = &entry.path;
    let read = scan.source.read(path, |file| {
        let mut head = Vec::with_capacity(HEAD as usize);
        Read::take(&mut *file, HEAD).read_to_end(&mut head)?;
        let is_whole = (head.len() as u64) < HEAD;
        let nothing: &mut dyn Read = &mut std::io::empty();
        let rest = if is_whole { nothing } else { file };
        let (found, judgement) = if is_explained {
            (Ok(None), None)
        } else {
            (
                by_nature(entry, &head).map(|found| found.or_else(|| machine_path(entry, &head))),
                judge(scan, entry, templates, &head),
            )
        };
        let pointer = head.starts_with(POINTER).then(|| entry.path.clone());
        let script = script(entry, &head);
        let program = Program::new(entry, &head);
        let is_archive = is_archive(&head);
        let secrets = credentials::scan_file(entry, &mut head.chain(rest));
        Ok((
            secrets,
            (found, judgement),
            pointer,
            (script, program),
            is_archive,
        ))
    });
    let (secrets, found, judgement, pointer, (script, program), is_archive) = match read {
        Ok((secrets, (found, judgement), pointer, scripts, is_archive)) => {
            (secrets?, found?, judgement, pointer, scripts, is_archive)
        }
        // Tracked and gone from the disk: there is nothing to read, but its name may tell.
        Err(error) if error.kind() == ErrorKind::NotFound => {
            let nothing: &mut dyn Read = &mut std::io::empty();
            (
                credentials::scan_file(entry, nothing)?,
                None,
                None,
                None,
                (None, None),
                false,
            )
        }
        Err(error) => (Err(error), None, None, None, (None, None), false),
    };
    Ok(secrets.map_or_else(
        |error| FileScan {
            unread: Some(Unread {
                path: path.to_owned(),
                reason: UnreadReason::Refused(error.to_string()),
            }),
            ..FileScan::default()
        },
        |(secrets, accepted)| FileScan {
            found,
            judgement,
            secrets,
            accepted,
            unread: None,
            pointer,
            script,
            program,
            is_archive,
        },
    ))
}

/// Where a file comes from, by what it holds.
fn judge<'t>(
    scan: &ScanContext,
    entry: &'t Entry,
    templates: &TemplatePaths,
    head: &[u8],
) -> Option<(&'t Entry, Judgement)> {
    let around = scan.survey.around.as_ref()?;
    let claim = templates.contradicted(&entry.path);
    let judgement = around.judge_by_head(&entry.path, entry.size, head, claim);
    Some((entry, judgement))
}

/// Whether a file that starts so is an archive or compressed.
fn is_archive(head: &[u8]) -> bool {
    let starts = [
        &b"PK\x03\x04"[..],
        b"\x1f\x8b",
        b"BZh",
        b"\xfd7zXZ",
        b"\x28\xb5\x2f\xfd",
        b"7z\xbc\xaf\x27\x1c",
        b"Rar!",
        // A history in a file (gitformat-bundle(5)).
        b"# v2 git bundle",
        b"# v3 git bundle",
    ];
    let is_tar = head.get(257..262) == Some(b"ustar");
    is_tar || starts.iter().any(|start| head.starts_with(start))
}
