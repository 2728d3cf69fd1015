//! What a run, or whatever happens while somebody watches, leaves behind.

use super::learned::{Learned, RunContext, learned};
use super::{PastRun, PastRuns, WriteEvents};
use crate::Result;
use bstr::BString;
use redshank_rules::Ruling;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_templates::{Collection, recognise};
use redshank_worktree::tree::{Entry, EntryKind, State};
use redshank_worktree::{FileStats, Overlay, Snapshot, Verdicts, Worktree};
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::time::SystemTime;

/// How a working tree was before a run.
pub struct RunSnapshot {
    worktree: Worktree,
    stamps: HashMap<RepoPathBuf, Stamp>,
}

/// By what a change of a file shows: its size and its time.
type Stamp = (u64, Option<SystemTime>);

/// What ran, and what was seen meanwhile.
#[derive(Debug, Default)]
pub struct Run {
    /// As a person would type it; empty if whatever happened was watched.
    pub command: String,
    /// The write events that were seen.
    pub seen: WriteEvents,
}

/// What a run left behind.
#[derive(Default)]
pub struct RunDifference {
    /// New, and ignored: by the rule, how much.
    pub ignored: Vec<(Ruling, FileStats)>,
    /// New, and not ignored.
    pub unruled: Vec<Learned>,
    /// Tracked files that it changed.
    pub changed: Vec<RepoPathBuf>,
    /// Files that nothing ignores, git doesn't track and no template knows: they were there before,
    /// and it changed them.
    pub rewritten: Vec<RepoPathBuf>,
    /// What came and went while somebody looked, and no rule would have ignored.
    pub passing: Vec<RepoPathBuf>,
    /// The rules for what earlier runs of the same command left behind, and this one did not.
    pub not_again: Vec<BString>,
    /// How many files are in each of what came, and came earlier, that runs of the command made.
    pub(super) of_runs: HashMap<RepoPathBuf, u64>,
}

impl RunSnapshot {
    /// Looks at a working tree before a run, ignored folders too.
    ///
    /// # Errors
    /// If it can't be walked.
    pub fn take(worktree: &Worktree) -> Result<Self> {
        let snapshot = Snapshot::from(worktree.clone());
        let entries = snapshot.whole_tree()?.entries.iter();
        Ok(Self {
            worktree: worktree.clone(),
            stamps: entries
                .map(|entry| (entry.path.clone(), stamp(worktree, entry)))
                .collect(),
        })
    }

    /// What came since. What an earlier run of the command left behind, and this one wrote again,
    /// counts as new.
    ///
    /// # Errors
    /// If it can't be walked or git can't be asked.
    pub fn difference(&self, run: &Run, past: &PastRuns) -> Result<RunDifference> {
        let snapshot = Snapshot::from(self.worktree.clone());
        let tree = snapshot.whole_tree()?;
        let came =
            |entry: &&Entry| self.stamps.get(&entry.path) != Some(&stamp(&self.worktree, entry));
        let came: Vec<&Entry> = tree.entries.iter().filter(came).collect();
        let in_state = |state| {
            came.iter()
                .copied()
                .filter(move |entry| entry.state == state)
        };
        let changed: Vec<RepoPathBuf> = in_state(State::Tracked)
            .map(|entry| entry.path.clone())
            .collect();
        let earlier: Vec<&PastRun> = past.of_command(&run.command).collect();
        let remade = self.left_by(&earlier);
        let collection = Collection::load(&snapshot)?.chosen(&snapshot.settings()?.draft)?;
        let survey = recognise(&snapshot, snapshot.tree()?, &collection);
        let is_known = |path: &RepoPath| {
            let mut parts = path.parts();
            parts.any(|part| survey.matches.on(part).is_some())
        };
        let is_new = |entry: &&Entry| {
            !self.stamps.contains_key(&entry.path) || remade.contains(&*entry.path)
        };
        let (new, rewritten): (Vec<&Entry>, Vec<&Entry>) =
            in_state(State::Candidate).partition(is_new);
        // What was there before, or is tracked, keeps its folder from being new as a whole.
        let stays = self
            .stamps
            .keys()
            .filter(|path| !remade.contains(&***path))
            .chain(&changed);
        let run_context = RunContext {
            tree,
            survey: &survey,
            came: &new,
            left: &remade,
            known: stays.flat_map(|path| path.folders_above()).collect(),
            earlier: &earlier,
            seen: &run.seen,
            is_command: !run.command.is_empty(),
        };
        let verdicts = Verdicts::new(&snapshot, Overlay::new())?;
        let is_open = |path: &RepoPath| -> Result<bool> {
            Ok(!is_known(path)
                && !is_known(&path.as_folder())
                && verdicts.query(path)?.state == State::Candidate)
        };
        let unruled = learned(&run_context);
        let earlier_paths = earlier.iter().flat_map(|run| run.new_things());
        let paths = unruled.iter().flat_map(|new| new.paths.iter().cloned());
        let paths = paths.chain(earlier_paths.map(|(path, _)| path.to_owned()));
        let mut of_runs: HashMap<RepoPathBuf, u64> = paths.map(|path| (path, 0)).collect();
        for entry in tree
            .entries
            .iter()
            .filter(|entry| entry.state != State::Tracked && is_new(entry))
        {
            for part in entry.path.parts() {
                if let Some(files) = of_runs.get_mut(part) {
                    *files += 1;
                }
            }
        }
        Ok(RunDifference {
            of_runs,
            ignored: by_rule(in_state(State::Ignored)),
            not_again: not_again(&earlier, &came, &unruled, &is_open)?,
            unruled,
            passing: self.passing(&snapshot, &run.seen, &is_open)?,
            changed,
            rewritten: rewritten
                .iter()
                .filter(|entry| !is_known(&entry.path))
                .map(|entry| entry.path.clone())
                .collect(),
        })
    }

    /// The paths that were there before and that earlier runs left behind. Where more is now than
    /// they left, somebody else has been at it, and none of it counts.
    fn left_by(&self, earlier: &[&PastRun]) -> HashSet<&RepoPath> {
        let things = earlier.iter().flat_map(|run| run.new_things());
        let files: HashMap<&RepoPath, u64> =
            things.map(|(path, thing)| (path, thing.files)).collect();
        let mut there: HashMap<&RepoPath, Vec<&RepoPath>> = HashMap::new();
        for path in self.stamps.keys() {
            for part in path.parts().filter(|part| files.contains_key(part)) {
                there.entry(part).or_default().push(path);
            }
        }
        there.retain(|thing, there| there.len() as u64 <= files[thing]);
        there.into_values().flatten().collect()
    }

    /// What was seen, isn't there, wasn't before, and nothing would ignore.
    fn passing(
        &self,
        snapshot: &Snapshot,
        seen: &WriteEvents,
        is_open: &dyn Fn(&RepoPath) -> Result<bool>,
    ) -> Result<Vec<RepoPathBuf>> {
        let mut passing = Vec::new();
        for path in seen.paths() {
            let is_gone = !snapshot.root.is_there(path) && !self.stamps.contains_key(path);
            let is_in_last = || {
                passing
                    .last()
                    .is_some_and(|last: &RepoPathBuf| path.is_within(&last.as_folder()))
            };
            if is_gone && !is_in_last() && is_open(path)? {
                passing.push(path.to_owned());
            }
        }
        Ok(passing)
    }
}

/// The rules for what earlier runs left behind, nothing ignores, and this run did not write.
fn not_again(
    earlier: &[&PastRun],
    came: &[&Entry],
    unruled: &[Learned],
    is_open: &dyn Fn(&RepoPath) -> Result<bool>,
) -> Result<Vec<BString>> {
    let came: HashSet<&RepoPath> = came.iter().flat_map(|entry| entry.path.parts()).collect();
    let mut rules = BTreeSet::new();
    for (path, thing) in earlier.iter().flat_map(|run| run.new_things()) {
        let is_known = rules.contains(&thing.rule)
            || came.contains(path)
            || unruled.iter().any(|new| new.would_take(path));
        if !is_known && is_open(path)? {
            rules.insert(thing.rule.clone());
        }
    }
    Ok(rules.into_iter().collect())
}

/// What each rule ignores of these.
fn by_rule<'e>(entries: impl Iterator<Item = &'e Entry>) -> Vec<(Ruling, FileStats)> {
    let mut by_rule: BTreeMap<(BString, u32), (Ruling, FileStats)> = BTreeMap::new();
    for entry in entries {
        if let Some(ruling) = &entry.ruling {
            let key = (ruling.source().shown.clone(), ruling.rule().line);
            by_rule
                .entry(key)
                .or_insert_with(|| (ruling.clone(), FileStats::default()))
                .1 += entry.stats();
        }
    }
    by_rule.into_values().collect()
}

fn stamp(worktree: &Worktree, entry: &Entry) -> Stamp {
    // Nobody writes into the names of links and other repositories.
    let is_file = entry.kind == EntryKind::File;
    let found = is_file
        .then(|| worktree.root.meta(&entry.path).ok())
        .flatten();
    (entry.size.0, found.map(|found| found.modified))
}
