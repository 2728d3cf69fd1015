//! Findings on what is here because a tool made it, fetched it or left it, as the evidence says.

use super::TemplatePaths;
use crate::{ByHand, Cause, Evidence, Finding, Level, Result, ScanContext};
use rayon::prelude::*;
use redshank_origin::{Judgement, Judgements, Origin, Strength, Witness, mark};
use redshank_rules::{RepoPath, exactly};
use redshank_secrets::is_fixture;
use redshank_templates::{Declined, NeededPaths, is_keep_file};
use redshank_worktree::Class;
use redshank_worktree::size::Bytes;
use redshank_worktree::tree::{Entry, EntryKind, State};
use std::collections::BTreeMap;

/// A folder whose files are all made is found as a whole from so many on.
const WHOLE: u64 = 3;

/// Finds what is made and no template speaks of: whole folders, and single files. Counts the files
/// that a commit would take by their origin, too.
pub(crate) fn find_made(
    scan: &ScanContext,
    templates: &TemplatePaths,
    judged: Vec<(&Entry, Judgement)>,
) -> Result<(Vec<Finding>, BTreeMap<Origin, u64>)> {
    let needed = NeededPaths::collect(&scan.survey.projects);
    let declined = Declined::collect(scan.survey);
    let is_ignored = |entry: &Entry| entry.state == State::Ignored;
    // What is ignored already is beside the others anyway.
    let named = scan.tree.entries.par_iter().filter_map(|entry| {
        let origin = if is_ignored(entry) {
            (entry.kind == EntryKind::File).then_some(Origin::Generated)
        } else {
            templates.origin(entry)
        };
        Some((&*entry.path, Judgement::by_template(origin?)))
    });
    let mut files: Vec<(&RepoPath, Judgement)> = named.collect();
    let judged = judged
        .into_par_iter()
        .filter(|(entry, _)| !is_ignored(entry) && templates.origin(entry).is_none())
        .map(|(entry, judgement)| {
            let path = &entry.path;
            let is_wanted = is_fixture(path)
                || is_keep_file(path.name())
                || needed.has(path)
                || declined.has(path)
                || judgement.weight.0 > 0
                    && (scan.survey.matches.re_includes(path)
                        || scan.verdicts.is_re_included(path)?);
            let judgement = if is_wanted {
                Judgement::by_policy()
            } else {
                judgement
            };
            Ok((entry, judgement))
        });
    let judged = judged.collect::<Result<Vec<_>>>()?;
    let open: Vec<&Entry> = judged.iter().map(|(entry, _)| *entry).collect();
    let judged = judged.into_iter();
    files.extend(judged.map(|(entry, judgement)| (&*entry.path, judgement)));
    let judgements = Judgements::hear_neighbours(files);
    let mut origins = BTreeMap::new();
    for entry in scan.tree.to_commit() {
        let is_asked = scan.options.is_at(&entry.path);
        if let Some(judgement) = judgements.on(&entry.path).filter(|_| is_asked) {
            *origins.entry(judgement.origin).or_default() += 1;
        }
    }
    let mut places: BTreeMap<(&RepoPath, State), Vec<(&Entry, &Judgement)>> = BTreeMap::new();
    for entry in open {
        if let Some(judgement) = judgements.on(&entry.path)
            && judgement.is_made(Strength::Likely)
            && judgement.is_shown()
        {
            let folder = judgements.made_folder(&entry.path, WHOLE);
            let place = folder.unwrap_or(&entry.path);
            let here = places.entry((place, entry.state)).or_default();
            here.push((entry, judgement));
        }
    }
    let found = places.into_iter().flat_map(|((place, state), files)| {
        let is_whole = place.is_folder() && state == State::Candidate;
        if is_whole {
            vec![on_folder(scan, place, &files)]
        } else {
            let files = files.iter();
            files
                .map(|(entry, judgement)| on_file(entry, judgement))
                .collect()
        }
    });
    Ok((found.collect(), origins))
}

fn on_folder(scan: &ScanContext, folder: &RepoPath, files: &[(&Entry, &Judgement)]) -> Finding {
    let weightiest = files.iter().max_by_key(|(_, judgement)| judgement.weight);
    let judgement =
        weightiest.map_or_else(Judgement::by_policy, |(_, judgement)| (*judgement).clone());
    let all = scan
        .tree
        .below(folder)
        .filter(|entry| entry.state != State::Ignored);
    let (mut size, mut count) = (Bytes(0), 0);
    for entry in all {
        size += entry.size;
        count += 1;
    }
    let class = class_of(&judgement);
    let reason = reason_of(&judgement);
    Finding {
        size: Some(size),
        files: count,
        state: State::Candidate,
        ..Finding::new(
            class,
            "made-here",
            Level::Warning,
            folder,
            Cause::Origin(judgement),
        )
        .kept_out_by(exactly(folder), reason, None)
    }
}

fn on_file(entry: &Entry, judgement: &Judgement) -> Finding {
    let said_by = judgement.reason();
    let mark = said_by
        .filter(|one| one.witness == Witness::SaysSo)
        .and_then(|one| mark(one.row));
    let name = said_by.map_or("made-here", |one| match one.witness {
        Witness::Format | Witness::SaysSo | Witness::Name => one.row,
        Witness::Derived => "derived",
        Witness::Declared => "declared",
        _ => "made-here",
    });
    let class = class_of(judgement);
    let cause = match mark {
        Some(mark) => Cause::Said(mark.title.clone()),
        None => Cause::Origin(judgement.clone()),
    };
    // What somebody tracks, or keeps on purpose as many do, is reported and left alone, unless
    // nobody does so.
    let is_plain = said_by.is_some_and(|one| one.witness == Witness::Format)
        || mark.is_some_and(|mark| !mark.kept);
    let is_note = judgement.is_often_kept() || entry.state == State::Tracked && !is_plain;
    let remake = mark.map(|mark| mark.remake.clone());
    let level = if is_note { Level::Note } else { Level::Warning };
    let mut made = Finding::on(entry, class, name, level, cause);
    if let Some(evidence) = said_by.and_then(evidence_of) {
        made = made.with_evidence(evidence);
    }
    if !is_note {
        return made.kept_out_by(exactly(&entry.path), reason_of(judgement), remake);
    }
    made.by_hand(match remake {
        Some(remake) => ByHand::IgnoreUnlessOnPurpose { remake },
        None => ByHand::IgnoreIfMadeHere,
    })
}

fn class_of(judgement: &Judgement) -> Class {
    match judgement.origin {
        Origin::Local => Class::Personal,
        _ => Class::Generated,
    }
}

fn reason_of(judgement: &Judgement) -> String {
    judgement
        .reason()
        .map_or_else(String::new, redshank_origin::Evidence::summary)
}

fn evidence_of(said: &redshank_origin::Evidence) -> Option<Evidence> {
    match said.witness {
        Witness::Format => Some(Evidence::FirstBytes),
        Witness::SaysSo if said.row == "minified" => Some(Evidence::LongLines),
        Witness::SaysSo => Some(Evidence::FirstLines),
        Witness::Name => Some(Evidence::Name),
        _ => None,
    }
}
