//! Every rule in force: what it catches, and those that don't do what they seem to.

mod facts;
mod form;
mod strays;

pub use form::{ImpossibleReason, RuleStatus};
pub use strays::{Stray, StrayReason};

use crate::tree::{Entry, EntryKind, State, Tree};
use crate::{FileStats, Overlay, Result, Snapshot, Verdicts};
use bstr::{BStr, BString, ByteSlice};
use facts::{Facts, facts, missed};
use foldhash::fast::FixedState;
use form::{impossible, misread};
use rayon::prelude::*;
use redshank_rules::{
    RepoPath, Rule, RuleId, RuleList, Ruling, Source, excerpt, folder_of_ignore_file,
};
use std::collections::{HashMap, HashSet};
use std::sync::Arc;
use strays::strays;

/// A rule with what it catches.
pub struct RuleUsage {
    /// The list that holds it.
    pub list: Arc<RuleList>,
    /// Index of the rule in `list`.
    pub at: usize,
    /// What it decides about now; for an exception, what it re-includes.
    pub catches: FileStats,
    /// What it amounts to.
    pub status: RuleStatus,
}

impl RuleUsage {
    /// The rule, in its list.
    pub fn rule(&self) -> &Rule {
        &self.list.rules()[self.at]
    }

    /// The rule's pattern, for people.
    pub fn excerpt(&self) -> BString {
        excerpt(self.rule().text.as_bstr())
    }

    /// Which rule it is.
    pub fn id(&self) -> RuleId {
        RuleId::new(&self.list, self.at)
    }
}

/// All rules in force in a snapshot.
pub struct UsageReport {
    /// In order of power, strongest first: deeper folders before those above them; within a file,
    /// the last line first.
    pub rules: Vec<RuleUsage>,
    /// Files that only look like ignore files.
    pub strays: Vec<Stray>,
}

/// Looks at every rule in force.
///
/// # Errors
/// If the tree can't be walked or a file of rules can't be read.
pub fn rule_usage(snapshot: &Snapshot) -> Result<UsageReport> {
    rule_usage_in(snapshot, snapshot.whole_tree()?)
}

/// Looks at every rule in force in a tree that was walked already. What a rule in a folder that is
/// excluded would catch is only known if the walk went into ignored folders.
///
/// # Errors
/// If a file of rules can't be read.
pub fn rule_usage_in(snapshot: &Snapshot, tree: &Tree) -> Result<UsageReport> {
    let mut catches: Catches = HashMap::default();
    let mut lists: Vec<Arc<RuleList>> = Vec::new();
    let mut listed = HashSet::new();
    for ruling in tree
        .entries
        .iter()
        .filter_map(|entry| Some((entry, entry.ruling.as_ref()?)))
    {
        let (entry, ruling) = ruling;
        *catches.entry(ruling.id()).or_default() += entry.stats();
        if listed.insert(Arc::as_ptr(ruling.list())) {
            lists.push(Arc::clone(ruling.list()));
        }
    }
    add_idle(snapshot, tree, &mut lists)?;
    // Deeper folders first, then the top, this clone's, the person's own.
    lists.sort_by_key(|list| {
        (
            list.source.scope as u8 != 1,
            list.source.scope as u8,
            std::cmp::Reverse(list.source.base.clone()),
        )
    });
    let verdicts = Verdicts::of_rules(snapshot)?;
    let rules = lists
        .iter()
        .flat_map(|list| usage_of(tree, list, &catches, &verdicts));
    let rules = rules.collect();
    Ok(UsageReport {
        rules,
        strays: strays(snapshot, tree),
    })
}

/// The rules of one file, as they would be with what an overlay holds.
pub struct FileUsage {
    /// The tree as it would be ruled, the folders that rules exclude entered.
    pub tree: Tree,
    /// The rules, the first line first.
    pub rules: Vec<RuleUsage>,
}

impl FileUsage {
    /// Looks at every rule of a file. Nothing is walked that the snapshot has walked already.
    ///
    /// # Errors
    /// If the tree can't be walked or an ignore file can't be read.
    pub fn compute(snapshot: &Snapshot, source: &Source, overlay: Overlay) -> Result<Self> {
        let contents = overlay.get(&source.shown).cloned().unwrap_or_default();
        let verdicts = Verdicts::new(snapshot, overlay)?;
        let tree = verdicts.ruled_anew(snapshot.whole_tree()?)?;
        let rulings = tree.entries.iter().filter_map(|entry| {
            let ruling = entry.ruling.as_ref()?;
            (ruling.source().shown == source.shown).then_some((entry, ruling))
        });
        let mut catches: Catches = HashMap::default();
        let mut in_force = None;
        for (entry, ruling) in rulings {
            *catches.entry(ruling.id()).or_default() += entry.stats();
            in_force = Some(Arc::clone(ruling.list()));
        }
        let list = in_force.unwrap_or_else(|| {
            Arc::new(RuleList::parse(source.clone(), &contents, snapshot.case()))
        });
        let mut rules = usage_of(&tree, &list, &catches, &verdicts);
        rules.reverse();
        Ok(Self { tree, rules })
    }

    /// The paths that a rule decides about, in order.
    pub fn caught(&self, rule: &RuleUsage) -> impl Iterator<Item = &Entry> {
        let id = rule.id();
        self.tree
            .entries
            .iter()
            .filter(move |entry| entry.ruling.as_ref().is_some_and(|it| it.id() == id))
    }
}

/// What each rule decides about.
type Catches = HashMap<RuleId, FileStats, FixedState>;

/// The rules of a list, the last line first.
fn usage_of(
    tree: &Tree,
    list: &Arc<RuleList>,
    catches: &Catches,
    verdicts: &Verdicts,
) -> Vec<RuleUsage> {
    let all = 0..list.rules().len();
    let catches = all.clone().into_par_iter().map(|at| {
        let catches = catches.get(&RuleId::new(list, at));
        catches.copied().unwrap_or_default()
    });
    let catches: Vec<FileStats> = catches.collect();
    let facts = facts(tree, list, &catches);
    let missed = missed(tree, list, &catches, &facts);
    let last = Last::find(tree, list);
    let usages = all.into_par_iter().rev().map(|at| {
        let known = (facts.get(&at), missed.get(&at));
        // An exception for a folder decides about the folder, and so re-includes what is in it.
        let let_in = known.0.and_then(|facts| facts.let_in.as_ref());
        let let_in = let_in.filter(|(folder, _)| lets_in(verdicts, list, at, folder));
        let (catches, status) = match let_in {
            Some((_, stats)) => (*stats, RuleStatus::Works),
            None => (catches[at], status(list, at, catches[at], known, &last)),
        };
        RuleUsage {
            list: Arc::clone(list),
            at,
            catches,
            status,
        }
    });
    usages.collect()
}

/// Whether a rule is what re-includes a folder: without it, another would ignore it.
fn lets_in(verdicts: &Verdicts, list: &RuleList, at: usize, folder: &RepoPath) -> bool {
    let Ok(chain) = verdicts.rules_at(folder) else {
        return false;
    };
    let matching = chain.all_rulings(folder.bare(), true);
    let [own, others @ ..] = &matching[..] else {
        return false;
    };
    let rule = &list.rules()[at];
    let is_own = own.source().shown == list.source.shown && own.rule().line == rule.line;
    // Of the same line twice, the last one counts.
    let mut others = others.iter().filter(|other| other.rule().text != rule.text);
    is_own && others.next().is_some_and(Ruling::ignores)
}

/// Adds the lists that decide about nothing.
fn add_idle(snapshot: &Snapshot, tree: &Tree, lists: &mut Vec<Arc<RuleList>>) -> Result<()> {
    let known =
        |lists: &[Arc<RuleList>], shown: &BStr| lists.iter().any(|list| list.source.shown == shown);
    let everywhere = snapshot.everywhere(&Overlay::new());
    let idle = everywhere.lists();
    let idle: Vec<_> = idle
        .filter(|list| !known(lists, list.source.shown.as_bstr()))
        .cloned()
        .collect();
    lists.extend(idle);
    for entry in &tree.entries {
        let folder = folder_of_ignore_file(&entry.path).filter(|_| entry.kind == EntryKind::File);
        let Some(folder) = folder else {
            continue;
        };
        // In a folder that is excluded, git reads no rules.
        if !known(lists, &entry.path) && !is_shut_above(entry) {
            let own = snapshot.ignore_file(folder)?;
            let own = own.map(|file| Arc::clone(&file.list));
            lists.extend(own.filter(|list| !list.is_empty()));
        }
    }
    Ok(())
}

/// Whether a rule excludes a folder above an entry: one that is elsewhere than in the entry
/// itself.
fn is_shut_above(entry: &Entry) -> bool {
    entry.ruling.as_ref().is_some_and(|ruling| {
        ruling.ignores()
            && ruling.source().shown != **entry.path
            && shut_folder(ruling, &entry.path).is_some()
    })
}

/// The uppermost folder above a path that a rule matches.
fn shut_folder<'p>(ruling: &Ruling, path: &'p RepoPath) -> Option<&'p RepoPath> {
    let base = &ruling.source().base;
    let mut folders = path.folders_above();
    folders.find(|folder| {
        let below = folder.below(base).filter(|below| !below.is_top());
        below.is_some_and(|below| ruling.rule().matches(below.bare(), true))
    })
}

/// What only the last one of several rules decides.
struct Last<'l> {
    /// For each pattern, the last rule that has it.
    of_text: HashMap<&'l BStr, usize, FixedState>,
    /// The last rule that matches the file itself that they are in, or a folder above it, if git
    /// doesn't track that.
    on_file: Option<usize>,
}

impl<'l> Last<'l> {
    fn find(tree: &Tree, list: &'l RuleList) -> Self {
        let of_text = list.rules().iter().enumerate();
        let of_text = of_text.map(|(at, rule)| (rule.text.as_bstr(), at));
        let shown = RepoPath::new(&list.source.shown);
        let entry = tree.get(shown);
        let untracked = entry.is_none_or(|entry| entry.state != State::Tracked);
        let below = shown.below(&list.source.base).filter(|_| untracked);
        let parts = below.into_iter().flat_map(|_| shown.parts());
        let met = parts.flat_map(|part| list.all_matches(part.bare(), part.is_folder()));
        Self {
            of_text: of_text.collect(),
            on_file: met.max().map(|at| at as usize),
        }
    }
}

fn status(
    list: &RuleList,
    at: usize,
    catches: FileStats,
    (facts, missed): (Option<&Facts>, Option<&RuleStatus>),
    last: &Last,
) -> RuleStatus {
    let rule = &list.rules()[at];
    if rule.glob().matches_nothing() {
        let because = impossible(rule).unwrap_or(ImpossibleReason::Unfinished);
        return misread(rule).unwrap_or(RuleStatus::Impossible { because });
    }
    if let Some(other) = last
        .of_text
        .get(rule.text.as_bstr())
        .filter(|other| **other > at)
    {
        return RuleStatus::Duplicate {
            line: list.rules()[*other].line,
        };
    }
    if last.on_file == Some(at) && !rule.negated {
        return RuleStatus::SwallowsItsFile;
    }
    if catches.files > 0 {
        return RuleStatus::Works;
    }
    if let Some(because) = impossible(rule) {
        return RuleStatus::Impossible { because };
    }
    let excluded = facts.and_then(|facts| facts.excluded.as_ref());
    let overridden = facts.and_then(|facts| facts.overridden.as_ref());
    let tracked = facts.map_or(0, |facts| facts.tracked);
    match excluded.filter(|_| rule.negated).or(overridden) {
        Some(status) => status.clone(),
        None if tracked > 0 && !rule.negated => RuleStatus::OnlyTracked { files: tracked },
        None => misread(rule)
            .or_else(|| missed.cloned())
            .unwrap_or(RuleStatus::CatchesNothing),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Every way in which a rule can have no effect, one line each, told as the manual has it.
    #[test]
    fn each_rule_is_told_for_what_it_does() {
        let folder = tempfile::tempdir().unwrap();
        let put = |path: &str, text: &str| {
            let path = folder.path().join(path);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, text).unwrap();
        };
        let rules = "*.raw\n*.tmp\n*.log\n/out/\n!/out/keep.txt\n*.csv\nold/\n*.log\n/Library/\n";
        put(".gitignore", rules);
        for path in [
            "a.raw",
            "b.raw",
            "x.log",
            "out/keep.txt",
            "in/Library/x",
            "in/y.csv",
        ] {
            put(path, "12345");
        }
        put("in/.gitignore", "*.csv\n.gitignore\n");
        let snapshot = Snapshot::open(folder.path()).unwrap();
        let report = rule_usage(&snapshot).unwrap();
        let told = |source: &str, line: u32| {
            let is_it =
                |one: &&RuleUsage| one.list.source.shown == source && one.rule().line == line;
            let one = report.rules.iter().find(is_it).unwrap();
            (one.catches.files, one.catches.size.0, one.status.clone())
        };
        let line = |line| told(".gitignore", line);
        assert_eq!(line(1), (2, 10, RuleStatus::Works));
        assert_eq!(line(2), (0, 0, RuleStatus::CatchesNothing));
        assert_eq!(line(3).2, RuleStatus::Duplicate { line: 8 });
        assert_eq!(line(4), (1, 5, RuleStatus::Works));
        let excluded = RuleStatus::CannotWork {
            folder: "out/".into(),
            source: ".gitignore".into(),
            line: 4,
        };
        assert_eq!(line(5).2, excluded);
        let overridden = RuleStatus::Overridden {
            source: "in/.gitignore".into(),
            line: 1,
        };
        assert_eq!(line(6).2, overridden);
        assert_eq!(line(8), (1, 5, RuleStatus::Works));
        let misread = line(9).2;
        assert!(
            matches!(&misread, RuleStatus::Misread { corrected, .. } if *corrected == "Library/")
        );
        assert_eq!(told("in/.gitignore", 2).2, RuleStatus::SwallowsItsFile);
    }
}
