//! Exceptions for what is in folders that rules exclude: a walk that stops at such folders doesn't
//! meet it, so these folders are looked into for just that.

use crate::Snapshot;
use crate::tree::{Entry, EntryKind, Tree};
use crate::usage::{RuleStatus, RuleUsage, UsageReport};
use parking_lot::Mutex;
use redshank_files::FileKind;
use redshank_rules::Case;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_rules::{RuleList, Ruling};
use std::collections::HashMap;

/// Tells the exceptions in a report that can't work: those that do nothing in this tree, which
/// stops at excluded folders, and match something in one of them.
pub fn tell_exceptions_in_vain(snapshot: &Snapshot, tree: &Tree, report: &mut UsageReport) {
    let idle = Idle::collect(&report.rules, snapshot.case());
    if idle.lists.is_empty() {
        return;
    }
    let excluded = tree
        .entries
        .iter()
        .filter(|entry| entry.kind == EntryKind::Folder);
    let excluded: Vec<(&Entry, &Ruling)> = excluded
        .filter_map(|entry| Some((entry, entry.ruling.as_ref()?)))
        .collect();
    let met = Mutex::new(HashMap::new());
    rayon::scope(|threads| {
        for (nth, (entry, _)) in excluded.iter().enumerate() {
            let search = Search {
                snapshot,
                idle: &idle,
                met: &met,
                nth,
            };
            let folder = entry.path.clone();
            threads.spawn(move |threads| {
                let above = folder.folders_above().chain([&*folder]);
                let matched = above
                    .flat_map(|part| idle_matches(search.idle, part))
                    .collect();
                search.enter(threads, folder.clone(), matched);
            });
        }
    });
    for (at, nth) in met.into_inner() {
        let (entry, ruling) = excluded[nth];
        report.rules[at].status = RuleStatus::CannotWork {
            folder: entry.path.clone(),
            source: ruling.source().shown.clone(),
            line: ruling.rule().line,
        };
    }
}

/// The exceptions that do nothing, by the list they are in.
struct Idle {
    /// Each with where its rules are in the report.
    lists: Vec<(RuleList, Vec<usize>)>,
}

impl Idle {
    fn collect(rules: &[RuleUsage], case: Case) -> Self {
        let mut lists: Vec<(RuleList, Vec<usize>)> = Vec::new();
        let is_idle = |usage: &&(usize, &RuleUsage)| {
            let may = matches!(
                usage.1.status,
                RuleStatus::CatchesNothing
                    | RuleStatus::Overridden { .. }
                    | RuleStatus::Misread { .. }
            );
            usage.1.rule().negated && may
        };
        let idle: Vec<(usize, &RuleUsage)> = rules
            .iter()
            .enumerate()
            .filter(|one| is_idle(&one))
            .collect();
        for of_list in idle.chunk_by(|a, b| std::sync::Arc::ptr_eq(&a.1.list, &b.1.list)) {
            let rules = of_list.iter().map(|(_, usage)| usage.rule().clone());
            let source = of_list[0].1.list.source.clone();
            let list = RuleList::from_rules(source, rules.collect(), case);
            lists.push((list, of_list.iter().map(|(at, _)| *at).collect()));
        }
        Self { lists }
    }
}

/// Where the idle exceptions are in the report that match exactly this path.
fn idle_matches<'i>(idle: &'i Idle, path: &RepoPath) -> impl Iterator<Item = usize> + 'i {
    let found = idle.lists.iter().map(|(list, places)| {
        let met = list.all_matches(path.bare(), path.is_folder());
        met.into_iter().map(|at| places[at as usize])
    });
    found.collect::<Vec<_>>().into_iter().flatten()
}

/// A look into one excluded folder.
#[derive(Clone, Copy)]
struct Search<'s> {
    snapshot: &'s Snapshot,
    idle: &'s Idle,
    /// For each exception that matches something in a excluded folder, the first such folder.
    met: &'s Mutex<HashMap<usize, usize>>,
    /// Which one this is.
    nth: usize,
}

impl<'s> Search<'s> {
    /// Looks through a folder; `matched` are the exceptions that match it, or one above it.
    fn enter(self, threads: &rayon::Scope<'s>, folder: RepoPathBuf, matched: Vec<usize>) {
        // What can't be read was said by the walk, or is in a folder that it left out.
        for (name, kind) in self.snapshot.root.list(&folder).unwrap_or_default() {
            let path = folder.join(&name);
            match kind {
                FileKind::Folder if name != ".git" => {
                    let path = path.as_folder();
                    let own = idle_matches(self.idle, &path);
                    let matched = matched.iter().copied().chain(own).collect();
                    threads.spawn(move |threads| self.enter(threads, path, matched));
                }
                FileKind::File | FileKind::Link => {
                    let own = idle_matches(self.idle, &path);
                    self.note(matched.iter().copied().chain(own));
                }
                FileKind::Folder | FileKind::Other => {}
            }
        }
    }

    fn note(self, matched: impl Iterator<Item = usize>) {
        for at in matched {
            let mut met = self.met.lock();
            let first = met.entry(at).or_insert(self.nth);
            *first = self.nth.min(*first);
        }
    }
}
