//! Every rule in force: what it catches, and those that don't do what they seem to.

use crate::ignore_file::is_utf16;
use crate::rules::{
    IGNORE_FILE, NearReason, RuleId, RuleList, excerpt, folder_of_ignore_file, looser, misreadings,
};
use crate::tree::{Entry, EntryKind, State, Tree};
use crate::{FileStats, Overlay, Result, Snapshot};
use bstr::{BStr, BString, ByteSlice};
use redshank_pattern::{Case, Key, Rule};
use std::collections::{HashMap, HashSet};
use std::sync::Arc;

/// What a rule comes to.
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
        /// And line.
        line: u32,
    },
    /// It is an exception for what lies in a folder that is shut.
    CannotWork {
        /// That folder, with a slash at its end.
        folder: BString,
        /// The file of the rule that shuts it.
        source: BString,
        /// And line.
        line: u32,
    },
    /// It keeps out the file that it stands in.
    SwallowsItsFile,
    /// All that it matches is tracked already.
    OnlyTracked {
        /// How many files.
        files: u64,
    },
    /// Its form is not what was meant.
    Misread {
        /// Why.
        because: NearReason,
        /// What may have been meant.
        mended: BString,
        /// Its form leaves no doubt.
        sure: bool,
    },
    /// No path at all can match it.
    Impossible,
}

/// A rule with what it catches.
pub struct RuleUsage {
    /// The list that holds it.
    pub list: Arc<RuleList>,
    /// Its snapshot there.
    pub at: usize,
    /// What it decides about now; for an exception, what it lets in.
    pub catches: FileStats,
    /// What it comes to.
    pub status: RuleStatus,
}

impl RuleUsage {
    /// The rule.
    pub fn rule(&self) -> &Rule {
        &self.list.rules()[self.at]
    }

    /// The rule's pattern, for people.
    pub fn excerpt(&self) -> BString {
        excerpt(self.rule().text.as_bstr())
    }

    /// Which rule it is.
    pub fn id(&self) -> RuleId {
        RuleId::of(&self.list, self.at)
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
}

/// A file that looks like an ignore file and that git does not read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stray {
    /// Relative to the top.
    pub path: BString,
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
/// shut would catch is only known if the walk went into ignored folders.
///
/// # Errors
/// If a file of rules can't be read.
pub fn rule_usage_in(snapshot: &Snapshot, tree: &Tree) -> Result<UsageReport> {
    let mut catches: HashMap<RuleId, FileStats> = HashMap::new();
    let mut lists: Vec<Arc<RuleList>> = Vec::new();
    let mut listed = HashSet::new();
    for ruling in tree
        .entries
        .iter()
        .filter_map(|entry| Some((entry, entry.ruling.as_ref()?)))
    {
        let (entry, ruling) = ruling;
        *catches.entry(ruling.id()).or_default() += FileStats {
            files: 1,
            size: entry.size,
        };
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
    let mut rules = Vec::new();
    for list in &lists {
        let catches: Vec<FileStats> = (0..list.rules().len())
            .map(|at| {
                catches
                    .get(&RuleId::of(list, at))
                    .copied()
                    .unwrap_or_default()
            })
            .collect();
        let facts = facts(tree, list, &catches);
        let missed = missed(tree, list, &catches, &facts);
        let last = Last::of(tree, list);
        for at in (0..list.rules().len()).rev() {
            let catches = catches[at];
            let status = status(list, at, catches, (&facts[at], missed.get(&at)), &last);
            rules.push(RuleUsage {
                list: Arc::clone(list),
                at,
                catches,
                status,
            });
        }
    }
    Ok(UsageReport {
        rules,
        strays: strays(snapshot, tree),
    })
}

/// Adds the lists that decide about nothing.
fn add_idle(snapshot: &Snapshot, tree: &Tree, lists: &mut Vec<Arc<RuleList>>) -> Result<()> {
    let known =
        |lists: &[Arc<RuleList>], shown: &BStr| lists.iter().any(|list| list.source.shown == shown);
    let everywhere = snapshot.everywhere(&Overlay::new());
    let idle: Vec<_> = everywhere
        .lists()
        .filter(|list| !known(lists, list.source.shown.as_bstr()))
        .cloned()
        .collect();
    lists.extend(idle);
    for entry in tree.entries.iter().filter(|entry| is_ignore_file(entry)) {
        // In a folder that is shut, git reads no rules.
        let shut = entry
            .ruling
            .as_ref()
            .is_some_and(|ruling| ruling.ignores() && ruling.source().shown != entry.path);
        if known(lists, entry.path.as_bstr()) || shut && shut_above(entry) {
            continue;
        }
        let folder = entry.path[..entry.path.len() - IGNORE_FILE.len()].as_bstr();
        let own = snapshot.shared_rules(folder, &Overlay::new())?;
        lists.extend(
            own.lists()
                .filter(|list| list.source.shown == entry.path)
                .cloned(),
        );
    }
    Ok(())
}

fn is_ignore_file(entry: &Entry) -> bool {
    entry.kind == EntryKind::File
        && (entry.path == IGNORE_FILE || entry.path.ends_with_str(format!("/{IGNORE_FILE}")))
}

/// Whether the rule of an entry matches a folder above it, not the entry itself.
fn shut_above(entry: &Entry) -> bool {
    entry.ruling.as_ref().is_some_and(|ruling| {
        below(ruling.list(), entry.path.as_bstr())
            .is_some_and(|path| folders(path).any(|folder| ruling.rule().matches(folder, true)))
    })
}

fn below<'p>(list: &RuleList, path: &'p BStr) -> Option<&'p BStr> {
    path.strip_prefix(list.source.base.as_slice())
        .map(ByteSlice::as_bstr)
}

/// The folders on the way to a path, from the top down.
fn folders(path: &BStr) -> impl Iterator<Item = &BStr> {
    path.find_iter("/").map(|slash| path[..slash].as_bstr())
}

/// What only the last one of several rules decides.
struct Last<'l> {
    /// For each pattern, the last rule that has it.
    of_text: HashMap<&'l BStr, usize>,
    /// The last rule that matches the file itself that they stand in, or a folder above it, if git
    /// doesn't track that.
    on_file: Option<usize>,
}

impl<'l> Last<'l> {
    fn of(tree: &Tree, list: &'l RuleList) -> Self {
        let of_text = list
            .rules()
            .iter()
            .enumerate()
            .map(|(at, rule)| (rule.text.as_bstr(), at))
            .collect();
        let shown = list.source.shown.as_bstr();
        let untracked = tree
            .get(shown)
            .is_none_or(|entry| entry.state != State::Tracked);
        let file = below(list, shown).filter(|_| untracked);
        let on_file =
            file.and_then(|file| list.rules().iter().rposition(|rule| rule.reaches(file)));
        Self { of_text, on_file }
    }
}

fn status(
    list: &RuleList,
    at: usize,
    catches: FileStats,
    (facts, missed): (&Facts, Option<&RuleStatus>),
    last: &Last,
) -> RuleStatus {
    let rule = &list.rules()[at];
    if rule.glob().key() == Key::Never {
        return misread(rule).unwrap_or(RuleStatus::Impossible);
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
    let decided = facts
        .shut
        .clone()
        .filter(|_| rule.negated)
        .or_else(|| facts.overridden.clone());
    match decided {
        Some(status) => status,
        None if facts.tracked > 0 && !rule.negated => RuleStatus::OnlyTracked {
            files: facts.tracked,
        },
        None => misread(rule)
            .or_else(|| missed.cloned())
            .unwrap_or(RuleStatus::CatchesNothing),
    }
}

/// What is known of a rule that decides about nothing.
#[derive(Default, Clone)]
struct Facts {
    /// How many tracked files it matches.
    tracked: u64,
    /// The first rule that decides about a path that it matches, too.
    overridden: Option<RuleStatus>,
    /// The first folder that is shut above a path that it matches.
    shut: Option<RuleStatus>,
}

/// A folder with the rules that match it or one above it.
type Above<'t> = (&'t [u8], Vec<u32>);

/// Goes over entries, which come sorted, with the places of all wanted rules that match the path or
/// a folder above it.
fn reached<'t>(
    entries: impl Iterator<Item = &'t Entry>,
    list: &RuleList,
    wanted: &dyn Fn(usize) -> bool,
    take: &mut dyn FnMut(&'t Entry, &[u32]),
) {
    let base = list.source.base.len();
    let mut above: Vec<Above> = Vec::new();
    let rules_of = |path: &[u8], is_folder: bool, inherited: Option<&Above>| {
        let mut rules = inherited.map_or_else(Vec::new, |(_, rules)| rules.clone());
        rules.extend(
            list.all_matches(path.as_bstr(), is_folder)
                .into_iter()
                .filter(|at| wanted(*at as usize)),
        );
        rules
    };
    for entry in entries {
        let bare = entry.path.strip_suffix(b"/").unwrap_or(&entry.path);
        above.retain(|(folder, _)| {
            bare.starts_with(folder) && bare.get(folder.len()) == Some(&b'/')
        });
        let known = above.last().map_or(base, |(folder, _)| folder.len() + 1);
        for slash in bare[known.min(bare.len())..]
            .find_iter("/")
            .map(|slash| known + slash)
        {
            let rules = rules_of(&bare[..slash], true, above.last());
            above.push((&bare[..slash], rules));
        }
        let rules = rules_of(bare, bare.len() < entry.path.len(), above.last());
        if !rules.is_empty() {
            take(entry, &rules);
        }
    }
}

fn facts(tree: &Tree, list: &RuleList, catches: &[FileStats]) -> Vec<Facts> {
    let mut facts = vec![Facts::default(); list.rules().len()];
    let idle = |at: usize| catches[at].files == 0;
    reached(
        tree.below(list.source.base.as_bstr()),
        list,
        &idle,
        &mut |entry, rules| {
            let ruling = entry
                .ruling
                .as_ref()
                .filter(|_| entry.state != State::Tracked);
            for at in rules {
                let facts = &mut facts[*at as usize];
                let Some(ruling) = ruling else {
                    facts.tracked += u64::from(entry.state == State::Tracked);
                    continue;
                };
                let (source, line) = (ruling.source().shown.clone(), ruling.rule().line);
                let shut = below(ruling.list(), entry.path.as_bstr()).and_then(|path| {
                    folders(path)
                        .find(|folder| ruling.ignores() && ruling.rule().matches(folder, true))
                });
                if let (Some(folder), None) = (shut, &facts.shut) {
                    let folder = [ruling.source().base.as_slice(), folder, b"/"]
                        .concat()
                        .into();
                    facts.shut = Some(RuleStatus::CannotWork {
                        folder,
                        source: source.clone(),
                        line,
                    });
                }
                if facts.overridden.is_none() {
                    facts.overridden = Some(RuleStatus::Overridden { source, line });
                }
            }
        },
    );
    facts
}

/// The rules that match nothing and miss candidates by little, by their snapshot.
fn missed(
    tree: &Tree,
    list: &RuleList,
    catches: &[FileStats],
    facts: &[Facts],
) -> HashMap<usize, RuleStatus> {
    let idle = |at: &usize| {
        catches[*at].files == 0 && facts[*at].overridden.is_none() && facts[*at].tracked == 0
    };
    let mut wider: Vec<(usize, NearReason, Rule)> = Vec::new();
    for at in (0..list.rules().len()).filter(idle) {
        let rule = &list.rules()[at];
        wider.extend(
            looser(rule)
                .filter(|_| !rule.negated)
                .map(|(because, looser)| (at, because, looser)),
        );
    }
    let mut missed = HashMap::new();
    for case in [Case::Sensitive, Case::Blind] {
        let of_case: Vec<_> = wider
            .iter()
            .filter(|(_, _, rule)| rule.case() == case)
            .collect();
        let rules = of_case.iter().map(|(_, _, rule)| rule.clone()).collect();
        let looser = RuleList::of(list.source.clone(), rules, case);
        let candidates = tree
            .below(list.source.base.as_bstr())
            .filter(|entry| entry.state == State::Candidate);
        reached(candidates, &looser, &|_| true, &mut |_, found| {
            for nth in found {
                let (at, because, rule) = of_case[*nth as usize];
                let because = *because;
                missed.entry(*at).or_insert_with(|| RuleStatus::Misread {
                    because,
                    mended: rule.text.clone(),
                    sure: false,
                });
            }
        });
    }
    missed
}

/// Whether the form of a rule tells that something else was meant.
fn misread(rule: &Rule) -> Option<RuleStatus> {
    // A protected space at the end was written on purpose, perhaps.
    let sure = !rule.text.ends_with(b"\\ ");
    misreadings(rule)
        .next()
        .map(|(because, mended)| RuleStatus::Misread {
            because,
            mended,
            sure,
        })
}

/// How many edits a misspelt name may be away.
const NEAR_NAME: usize = 2;

fn strays(snapshot: &Snapshot, tree: &Tree) -> Vec<Stray> {
    let mut strays = Vec::new();
    for entry in tree
        .to_commit()
        .filter(|entry| entry.kind != EntryKind::Repository)
    {
        let name_at = entry.path.rfind_byte(b'/').map_or(0, |slash| slash + 1);
        let name = entry.path[name_at..].as_bstr();
        if let Some(because) = why_not_read(snapshot, entry, name) {
            strays.push(Stray {
                path: entry.path.clone(),
                because,
            });
        }
    }
    strays
}

fn why_not_read(snapshot: &Snapshot, entry: &Entry, name: &BStr) -> Option<StrayReason> {
    if name == IGNORE_FILE {
        if entry.kind == EntryKind::Link {
            return Some(StrayReason::SymbolicLink);
        }
        let folder = folder_of_ignore_file(entry.path.as_bstr())?;
        let file = snapshot.ignore_file(folder).ok()??;
        return is_utf16(&file.contents).then_some(StrayReason::Utf16);
    }
    let text = name.to_str().ok()?;
    let lower = text.to_lowercase();
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
    (!known
        && lower.len().abs_diff(IGNORE_FILE.len()) <= NEAR_NAME
        && strsim::damerau_levenshtein(&lower, IGNORE_FILE) <= NEAR_NAME)
        .then_some(StrayReason::Misspelt)
}
