//! Every rule in force: what it catches, and those that don't do what they seem to.

use crate::attributes::KNOWN_ATTRIBUTES;
use crate::tree::{Entry, EntryKind, State, Tree};
use crate::{FileStats, Overlay, Result, Snapshot, Verdicts};
use bstr::{BStr, BString, ByteSlice};
use foldhash::fast::FixedState;
use rayon::prelude::*;
use redshank_rules::attribute_file::{Value, split_line};
use redshank_rules::ignore_file::is_utf16;
use redshank_rules::{Case, Rule};
use redshank_rules::{
    IGNORE_FILE, NearReason, RuleId, RuleList, Ruling, Source, excerpt, folder_of_ignore_file,
    looser, misreadings,
};
use redshank_rules::{RepoPath, RepoPathBuf};
use std::collections::{HashMap, HashSet};
use std::sync::Arc;

/// What a rule amounts to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum RuleStatus {
    /// It decides about something.
    Works,
    /// Nothing here matches it.
    CatchesNothing,
    /// The same pattern stands further down.
    Duplicate {
        /// The line that counts.
        line: u32,
    },
    /// All that it matches is decided by another rule.
    Overridden {
        /// The other rule's file.
        source: BString,
        /// Line number, from 1.
        line: u32,
    },
    /// It is an exception for what is in a folder that is excluded.
    CannotWork {
        /// The folder, relative to the repository's top.
        folder: RepoPathBuf,
        /// The file of the rule that excludes it.
        source: BString,
        /// Line number, from 1.
        line: u32,
    },
    /// It ignores the file that it is in.
    SwallowsItsFile,
    /// All that it matches is tracked already.
    OnlyTracked {
        /// Number of files, without folders.
        files: u64,
    },
    /// Its form is not what was meant.
    Misread {
        /// The reason; `app/text` has its sentence.
        because: NearReason,
        /// What may have been meant.
        corrected: BString,
        /// Its form leaves no doubt.
        sure: bool,
    },
    /// No path at all can match it, or none that anybody would have.
    Impossible {
        /// The reason; `app/text` has its sentence.
        because: ImpossibleReason,
    },
}

/// Why a rule can match nothing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ImpossibleReason {
    /// A bracket is open, or a backslash is at its end.
    Unfinished,
    /// A mark of a merge that isn't finished.
    ConflictMark,
    /// It is in quotes, as in a shell.
    Quotes,
    /// It starts with a home folder or a variable, which git doesn't expand.
    Expansion,
    /// It goes up with `..`, or from a drive: rules cover what is below their file.
    Elsewhere,
    /// Braces or bars stand for alternatives elsewhere, not here.
    Alternatives,
    /// It starts with `!!`.
    DoubleNegation,
    /// It has an empty part: two slashes in a row.
    EmptyPart,
    /// A carriage return is in it.
    CarriageReturn,
    /// It is a line of another program's ignore file.
    Syntax,
    /// It is a line of git's attribute file.
    AttributeLine,
}

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

/// Why git doesn't read a file that looks like an ignore file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum StrayReason {
    /// It is a symbolic link, and git follows none here.
    SymbolicLink,
    /// It is UTF-16.
    Utf16,
    /// Upper and lower case count in its name.
    LetterCase,
    /// Its name has an extension too many.
    ExtraExtension,
    /// Its name is misspelt: a slip away from the right one.
    Misspelt,
    /// It is a slip away from the name of git's file of attributes.
    Attributes,
}

/// A file that looks like an ignore file and that git does not read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stray {
    /// Relative to the top.
    pub path: RepoPathBuf,
    /// Why git doesn't read it.
    pub because: StrayReason,
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

/// What is known of a rule that decides about nothing.
#[derive(Default)]
struct Facts {
    /// How many tracked files it matches.
    tracked: u64,
    /// The first rule that decides about a path that it matches, too.
    overridden: Option<RuleStatus>,
    /// The first folder that is excluded above a path that it matches.
    excluded: Option<RuleStatus>,
    /// The first folder that an exception matches and that isn't excluded, and what a commit would
    /// take in of what is below such folders.
    let_in: Option<(RepoPathBuf, FileStats)>,
}

/// For entries that come sorted, which rules of a list match each, or a folder above it.
struct Matches<'l, 't> {
    list: &'l RuleList,
    /// Which rules are of interest.
    wanted: &'l (dyn Fn(usize) -> bool + Sync),
    /// The folders on the way to the last entry, each with the rules that match it or one above it.
    above: Vec<(&'t RepoPath, Vec<u32>)>,
}

impl<'l, 't> Matches<'l, 't> {
    fn new(list: &'l RuleList, wanted: &'l (dyn Fn(usize) -> bool + Sync)) -> Self {
        Self {
            list,
            wanted,
            above: Vec::new(),
        }
    }

    /// The rules for the next entry.
    fn next(&mut self, entry: &'t Entry) -> Vec<u32> {
        let path = &*entry.path;
        self.above
            .retain(|(folder, _)| path != *folder && path.is_within(folder));
        let deepest = self.above.last().map(|(folder, _)| *folder);
        let known = deepest.unwrap_or(&self.list.source.base).len();
        for folder in path.folders_above().filter(|folder| folder.len() > known) {
            let rules = self.inherited(folder);
            self.above.push((folder, rules));
        }
        self.inherited(path)
    }

    /// The rules that match a path, and those that match the folders on the way to it.
    fn inherited(&self, path: &RepoPath) -> Vec<u32> {
        let above = self.above.last();
        let mut rules = above.map_or_else(Vec::new, |(_, rules)| rules.clone());
        let own = self.list.all_matches(path.bare(), path.is_folder());
        rules.extend(own.into_iter().filter(|at| (self.wanted)(*at as usize)));
        rules
    }
}

/// How many entries are looked at together.
const ENTRIES_A_PART: usize = 4096;

/// What is known of each of a list's rules that decide about nothing; of a rule that nothing
/// matches, nothing.
fn facts(tree: &Tree, list: &RuleList, catches: &[FileStats]) -> HashMap<usize, Facts> {
    let idle = |at: usize| catches[at].files == 0;
    let parts = tree
        .slice_below(&list.source.base)
        .par_chunks(ENTRIES_A_PART);
    let of_parts = parts.map(|part| {
        let mut facts: HashMap<usize, Facts> = HashMap::new();
        let mut matches = Matches::new(list, &idle);
        for entry in part {
            for at in matches.next(entry) {
                let known = facts.entry(at as usize).or_default();
                known.take(entry);
                let rule = &list.rules()[at as usize];
                if rule.negated && entry.state != State::Ignored {
                    known.take_open(entry, rule, &list.source.base);
                }
            }
        }
        facts
    });
    let mut facts: HashMap<usize, Facts> = HashMap::new();
    for (at, more) in of_parts.collect::<Vec<_>>().into_iter().flatten() {
        facts.entry(at).or_default().take_in(more);
    }
    facts
}

impl Facts {
    /// Takes in what is known from later entries.
    fn take_in(&mut self, later: Self) {
        self.tracked += later.tracked;
        self.overridden = self.overridden.take().or(later.overridden);
        self.excluded = self.excluded.take().or(later.excluded);
        if let Some((_, more)) = later.let_in {
            match &mut self.let_in {
                Some((_, stats)) => *stats += more,
                None => self.let_in = later.let_in,
            }
        }
    }

    /// Takes up an entry in a folder that an exception matches.
    fn take_open(&mut self, entry: &Entry, rule: &Rule, base: &RepoPath) {
        let mut folders = entry.path.folders_above();
        let folder = folders.find(|folder| {
            let below = folder.below(base).filter(|below| !below.is_top());
            below.is_some_and(|below| rule.matches(below.bare(), true))
        });
        let Some(folder) = folder else {
            return;
        };
        let (_, stats) = self
            .let_in
            .get_or_insert_with(|| (folder.to_owned(), FileStats::default()));
        if entry.state == State::Candidate {
            *stats += entry.stats();
        }
    }

    /// Takes up an entry that the rule matches.
    fn take(&mut self, entry: &Entry) {
        if entry.state == State::Tracked {
            self.tracked += 1;
            return;
        }
        let Some(ruling) = &entry.ruling else {
            return;
        };
        let (source, line) = (&ruling.source().shown, ruling.rule().line);
        let folder = shut_folder(ruling, &entry.path).filter(|_| ruling.ignores());
        if let (Some(folder), None) = (folder, &self.excluded) {
            self.excluded = Some(RuleStatus::CannotWork {
                folder: folder.to_owned(),
                source: source.clone(),
                line,
            });
        }
        self.overridden
            .get_or_insert_with(|| RuleStatus::Overridden {
                source: source.clone(),
                line,
            });
    }
}

/// The rules that match nothing and miss candidates by little, by their snapshot.
fn missed(
    tree: &Tree,
    list: &RuleList,
    catches: &[FileStats],
    facts: &HashMap<usize, Facts>,
) -> HashMap<usize, RuleStatus> {
    let entries = tree.slice_below(&list.source.base);
    let candidates = entries
        .iter()
        .filter(|entry| entry.state == State::Candidate);
    let grams = TrigramIndex::build(candidates.map(|entry| &*entry.path));
    let rules = (0..list.rules().len()).into_par_iter().filter(|at| {
        catches[*at].files == 0
            && facts
                .get(at)
                .is_none_or(|facts| facts.overridden.is_none() && facts.tracked == 0)
    });
    let near = rules.filter(|at| {
        let rule = &list.rules()[*at];
        !rule.negated && grams.may_hold(rule)
    });
    let wider = near.flat_map_iter(|at| {
        let looser = looser(&list.rules()[at]);
        looser.map(move |(because, looser)| (at, because, looser))
    });
    let wider: Vec<(usize, NearReason, Rule)> = wider.collect();
    let mut missed = HashMap::new();
    for case in [Case::Sensitive, Case::Blind] {
        let of_case = wider.iter().filter(|(_, _, rule)| rule.case() == case);
        let of_case: Vec<_> = of_case.collect();
        let rules = of_case.iter().map(|(_, _, rule)| rule.clone()).collect();
        let looser = RuleList::from_rules(list.source.clone(), rules, case);
        let parts = entries.par_chunks(ENTRIES_A_PART);
        let of_parts = parts.map(|part| {
            let mut met: Vec<u32> = Vec::new();
            let mut matches = Matches::new(&looser, &|_| true);
            let candidates = part.iter().filter(|entry| entry.state == State::Candidate);
            candidates.for_each(|entry| met.extend(matches.next(entry)));
            met
        });
        // In the order of the entries: the first that is met tells what was meant.
        for nth in of_parts.collect::<Vec<_>>().into_iter().flatten() {
            let (at, because, rule) = of_case[nth as usize];
            missed.entry(*at).or_insert_with(|| RuleStatus::Misread {
                because: *because,
                corrected: rule.text.clone(),
                sure: false,
            });
        }
    }
    missed
}

/// Every three bytes in a row that some paths hold, in lower case, as bits of their hashes: what a
/// rule needs that isn't there, no rule with another anchor or case finds either.
struct TrigramIndex(Vec<u64>);

impl TrigramIndex {
    /// How many bits distinguish grams, as a power of two.
    const BITS: u32 = 16;

    fn build<'p>(paths: impl Iterator<Item = &'p RepoPath>) -> Self {
        let mut grams = Self(vec![0; 1 << (Self::BITS - 6)]);
        for path in paths {
            for bytes in path.windows(3) {
                let (word, bit) = Self::place([bytes[0], bytes[1], bytes[2]]);
                grams.0[word] |= bit;
            }
        }
        grams
    }

    fn may_hold(&self, rule: &Rule) -> bool {
        let mut holds = true;
        rule.glob().for_each_gram(|gram| {
            let (word, bit) = Self::place(gram);
            holds &= self.0[word] & bit != 0;
        });
        holds
    }

    fn place([a, b, c]: [u8; 3]) -> (usize, u64) {
        let folded = u32::from_le_bytes([a, b, c, 0]) | 0x0020_2020;
        let hash = folded.wrapping_mul(0x9e37_79b1) >> (32 - Self::BITS);
        ((hash >> 6) as usize, 1 << (hash & 63))
    }
}

/// Why a rule that matches nothing here never will, by its form.
fn impossible(rule: &Rule) -> Option<ImpossibleReason> {
    use ImpossibleReason as Reason;
    let text = rule.text.as_slice();
    let body = text.strip_prefix(b"!").unwrap_or(text);
    let is_quoted =
        |mark: u8| body.len() > 1 && body.first() == Some(&mark) && body.last() == Some(&mark);
    let is_conflict = [&b"<<<<<<< "[..], b">>>>>>> ", b"||||||| "]
        .iter()
        .any(|mark| text.starts_with(mark));
    let is_drive = body.len() > 2
        && body[0].is_ascii_alphabetic()
        && body[1] == b':'
        && b"\\/".contains(&body[2]);
    let has_braces = || {
        let open = body.find_byte(b'{')?;
        let close = open + body[open..].find_byte(b'}')?;
        body[open..close].contains(&b',').then_some(())
    };
    let has_bars = || {
        let open = body.find_byte(b'(')?;
        let close = open + body[open..].find_byte(b')')?;
        body[open..close].contains(&b'|').then_some(())
    };
    let expands = [&b"~/"[..], b"$HOME", b"${", b"%"]
        .iter()
        .any(|start| body.starts_with(start));
    Some(match () {
        () if is_conflict || text == b"=======" => Reason::ConflictMark,
        () if text.contains(&b'\r') => Reason::CarriageReturn,
        () if text.starts_with(b"!!") => Reason::DoubleNegation,
        () if is_quoted(b'"') || is_quoted(b'\'') => Reason::Quotes,
        () if text.starts_with(b"syntax:") => Reason::Syntax,
        () if is_attribute_line(text) => Reason::AttributeLine,
        () if expands
            && (body.starts_with(b"~") || body[1..].contains(&b'/') || body.ends_with(b"%")) =>
        {
            Reason::Expansion
        }
        () if is_drive || body.split_str("/").any(|part| part == b"..") => Reason::Elsewhere,
        () if body.contains_str("//") => Reason::EmptyPart,
        () if has_braces().is_some() || has_bars().is_some() => Reason::Alternatives,
        () => return None,
    })
}

/// Whether a rule is a line of an attribute file: a pattern, and attributes that git knows.
fn is_attribute_line(text: &[u8]) -> bool {
    // A name may hold a space; the sign or the value of an attribute hardly.
    text.contains(&b' ')
        && split_line(text).is_some_and(|(_, settings)| {
            settings.iter().any(|setting| {
                let mut known = KNOWN_ATTRIBUTES.iter();
                let is_driver = matches!(setting.value, Value::Text(_));
                known.any(|(name, _)| *name == setting.name)
                    && (is_driver || setting.value == Value::Unset || setting.name == "binary")
            })
        })
}

/// Whether the form of a rule tells that something else was meant.
fn misread(rule: &Rule) -> Option<RuleStatus> {
    // A protected space at the end was written on purpose, perhaps.
    let sure = !rule.text.ends_with(b"\\ ");
    misreadings(rule)
        .next()
        .map(|(because, corrected)| RuleStatus::Misread {
            because,
            corrected,
            sure,
        })
}

/// git's file of attributes (gitattributes(5)).
const ATTRIBUTES: &str = ".gitattributes";

/// How many edits a misspelt name may be away.
const NEAR_NAME: usize = 2;

fn strays(snapshot: &Snapshot, tree: &Tree) -> Vec<Stray> {
    let files = tree
        .to_commit()
        .filter(|entry| entry.kind != EntryKind::Repository);
    let strays = files.filter_map(|entry| {
        let because = why_not_read(snapshot, entry, entry.path.name())?;
        Some(Stray {
            path: entry.path.clone(),
            because,
        })
    });
    strays.collect()
}

/// Whether a name has enough of the right letters to be looked at; most have not.
fn may_be_meant(name: &BStr) -> bool {
    let right = name.iter().filter(|byte| {
        let byte = byte.to_ascii_lowercase();
        IGNORE_FILE.as_bytes().contains(&byte)
    });
    right.count() + NEAR_NAME >= IGNORE_FILE.len()
}

fn why_not_read(snapshot: &Snapshot, entry: &Entry, name: &BStr) -> Option<StrayReason> {
    if name == IGNORE_FILE {
        if entry.kind == EntryKind::Link {
            return Some(StrayReason::SymbolicLink);
        }
        let folder = folder_of_ignore_file(&entry.path)?;
        let file = snapshot.ignore_file(folder).ok()??;
        return is_utf16(&file.contents).then_some(StrayReason::Utf16);
    }
    let is_like_attributes = name.len().abs_diff(ATTRIBUTES.len()) <= NEAR_NAME
        && name.to_ascii_lowercase().contains_str("attr");
    if !may_be_meant(name) && !is_like_attributes {
        return None;
    }
    let lower = name.to_str().ok()?.to_lowercase();
    if lower == IGNORE_FILE {
        return (snapshot.case() == Case::Sensitive).then_some(StrayReason::LetterCase);
    }
    let bare = lower.trim_start_matches(['.', '_']);
    if bare
        .strip_prefix("gitignore.")
        .is_some_and(|end| ["txt", "text", "bak", "md"].contains(&end))
    {
        return Some(StrayReason::ExtraExtension);
    }
    // Of another folder's rules, or a program's own: only names a slip away count, and none that is
    // a file of git's.
    let known =
        [".gitattributes", ".gitmodules", ".gitkeep", ".gitconfig"].contains(&lower.as_str());
    // Many a program has an ignore file of its own.
    let of_program = lower
        .strip_suffix("ignore")
        .is_some_and(|program| strsim::damerau_levenshtein(program, ".git") > 1);
    if !known && lower != ATTRIBUTES && strsim::damerau_levenshtein(&lower, ATTRIBUTES) <= NEAR_NAME
    {
        return Some(StrayReason::Attributes);
    }
    (!known
        && !of_program
        && lower.len().abs_diff(IGNORE_FILE.len()) <= NEAR_NAME
        && strsim::damerau_levenshtein(&lower, IGNORE_FILE) <= NEAR_NAME)
        .then_some(StrayReason::Misspelt)
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
