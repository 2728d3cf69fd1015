//! Making an ignore file shorter without changing what it does.
//!
//! A line goes if another line says the same or more, if it can have no effect, or if it belongs to
//! project types that are not here. Then every verdict is asked again: on each path that is here,
//! of the history, and among the examples of the templates that the projects here have. A line
//! whose going would change one of them stays.

use crate::merge_rules::{mergeable, merged};
use crate::{Collection, Project, Result, Survey, Template};
use bstr::{BStr, BString, ByteSlice};
use redshank_rules::ignore_file::{TextLine, blocks, lines_of};
use redshank_rules::{Case, Line, RepoPath, RepoPathBuf, Rule, RuleScope};
use redshank_worktree::tree::State;
use redshank_worktree::usage::{RuleStatus, RuleUsage, rule_usage};
use redshank_worktree::{Class, Overlay, Snapshot, Verdicts};
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};

/// Why a line goes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum WhyRemoved {
    /// The same pattern is there again.
    Repeated {
        /// The line that counts.
        line: u32,
    },
    /// Another line matches all that it matches.
    Covered {
        /// The other line.
        line: u32,
    },
    /// It re-includes what is in an ignored folder, which git never enters.
    NoEffect,
    /// With others, one wider rule replaces it.
    Merged {
        /// The wider rule.
        pattern: BString,
    },
    /// It is of project types that are not here, and matches nothing here.
    Foreign {
        /// The first template that has it.
        template: String,
    },
}

/// A line that goes.
#[derive(Debug, Clone)]
pub struct RemovedLine {
    /// Its line, from 1.
    pub line: u32,
    /// The pattern.
    pub pattern: BString,
    /// Why.
    pub because: WhyRemoved,
}

/// An ignore file, made shorter.
pub struct ShorterFile {
    /// Its folder.
    pub folder: RepoPathBuf,
    /// What it would hold.
    pub after: Vec<u8>,
    /// The lines that go, in their order; comments that only they had go with them.
    pub removed: Vec<RemovedLine>,
}

/// What can go, and what that was proven on.
#[derive(Default)]
pub struct Shorter {
    /// The files that get shorter.
    pub files: Vec<ShorterFile>,
    /// How many paths have the verdict that they had.
    pub paths: usize,
    /// How many lines seemed to be able to go, and stay: a verdict would change.
    pub unproven: usize,
    /// How many lines one rule could replace, were a verdict not to change.
    pub unmerged: usize,
}

/// Finds what can go. `history` holds paths of earlier commits. With `merging`, rules that differ
/// in one part of their paths become one, which also matches what isn't there yet.
///
/// # Errors
/// If the tree can't be walked, or an ignore file can't be read.
pub fn shorten(
    snapshot: &Snapshot,
    collection: &Collection,
    survey: &Survey,
    history: &[RepoPathBuf],
    merging: bool,
) -> Result<Shorter> {
    let mut usage = rule_usage(snapshot)?.rules;
    // They come in order of power, the last line first.
    usage.reverse();
    let foreign = ForeignRules::new(collection, survey);
    let has_exceptions = usage.iter().any(|usage| usage.rule().negated);
    let mut going: BTreeMap<RepoPathBuf, Vec<RemovedLine>> = BTreeMap::new();
    for rules in usage.chunk_by(|a, b| a.list.source.shown == b.list.source.shown) {
        let source = &rules[0].list.source;
        if !matches!(source.scope, RuleScope::Team | RuleScope::Folder) {
            continue;
        }
        let Some(file) = snapshot.ignore_file(&source.base)? else {
            continue;
        };
        let removed = removable(rules, &file.contents, &foreign, has_exceptions);
        if !removed.is_empty() {
            going.insert(source.base.clone(), removed);
        }
    }
    let proof = Proof::new(snapshot, survey, history)?;
    let shorter = proof.shorter(going)?;
    if !merging {
        return Ok(shorter);
    }
    let folders: BTreeSet<&RepoPathBuf> = usage
        .iter()
        .map(|usage| &usage.list.source)
        .filter(|source| matches!(source.scope, RuleScope::Team | RuleScope::Folder))
        .map(|source| &source.base)
        .collect();
    proof.merge(shorter, folders)
}

/// The lines of one file that seem to do nothing of their own. What stands in a block of ours is
/// left alone.
fn removable(
    rules: &[RuleUsage],
    text: &[u8],
    foreign: &ForeignRules,
    has_exceptions: bool,
) -> Vec<RemovedLine> {
    let blocks = blocks(text);
    let is_ours = |line: u32| {
        let at = line as usize - 1;
        blocks.iter().any(|block| block.place.contains(&at))
    };
    let mut removed: Vec<RemovedLine> = Vec::new();
    for (at, usage) in rules.iter().enumerate() {
        let rule = usage.rule();
        if is_ours(rule.line) {
            continue;
        }
        let because = match &usage.status {
            RuleStatus::Duplicate { line } => Some(WhyRemoved::Repeated { line: *line }),
            RuleStatus::CannotWork { .. } if has_no_effect(rules, at) => Some(WhyRemoved::NoEffect),
            status => covering(rules, at, &removed, has_exceptions)
                .map(|line| WhyRemoved::Covered { line })
                .or_else(|| {
                    let is_idle = *status == RuleStatus::CatchesNothing;
                    let template = foreign.template(rule).filter(|_| is_idle)?;
                    Some(WhyRemoved::Foreign { template })
                }),
        };
        if let Some(because) = because {
            removed.push(RemovedLine {
                line: rule.line,
                pattern: rule.text.clone(),
                because,
            });
        }
    }
    removed
}

/// Whether an exception can never have an effect: the folder on its way is ignored, and no other
/// exception of the file is about that folder.
fn has_no_effect(rules: &[RuleUsage], at: usize) -> bool {
    let rule = rules[at].rule();
    let probes = rule.probes();
    let others = || {
        let all = rules.iter().enumerate();
        all.filter(|(other, _)| *other != at)
            .map(|(_, usage)| usage.rule())
    };
    let is_behind = |probe: &BString| {
        let mut folders = RepoPath::new(probe).folders_above();
        folders.any(|folder| {
            let matches = |other: &&Rule| other.matches(folder.bare(), true);
            let (mut ignoring, mut exceptions) = (
                others().filter(|other| !other.negated),
                others().filter(|other| other.negated),
            );
            ignoring.any(|other| matches(&other)) && !exceptions.any(|other| matches(&other))
        })
    };
    rule.negated && rule.anchored && !probes.is_empty() && probes.iter().all(is_behind)
}

/// The line of the same file that makes a rule needless: one below that matches all that it does,
/// or one above without an exception in between. Where there are exceptions, a folder may be
/// re-included and what is in it not; so a line then only covers another that matches the same
/// paths itself.
fn covering(
    rules: &[RuleUsage],
    at: usize,
    removed: &[RemovedLine],
    has_exceptions: bool,
) -> Option<u32> {
    let rule = rules[at].rule();
    let probes = rule.probes();
    if rule.negated || probes.is_empty() {
        return None;
    }
    let matches = |rule: &Rule, probe: &BString| {
        let probe = RepoPath::new(probe);
        if has_exceptions {
            rule.matches(probe.bare(), probe.is_folder())
        } else {
            rule.reaches(probe)
        }
    };
    let covers = |other: &Rule| {
        let is_same = other.text == rule.text;
        !other.negated && !is_same && probes.iter().all(|probe| matches(other, probe))
    };
    let below = rules[at + 1..].iter().map(RuleUsage::rule);
    let above = rules[..at].iter().rev().map(RuleUsage::rule);
    let above = above.take_while(|other| !other.negated);
    let others = below.chain(above).filter(|other| covers(other));
    // What goes itself covers nothing; of two that cover each other, the first stays.
    let stays = |other: &&Rule| removed.iter().all(|gone| gone.line != other.line);
    let others = others.filter(stays).filter(|other| {
        let both = other.probes();
        let is_mutual = !both.is_empty() && both.iter().all(|probe| matches(rule, probe));
        !is_mutual || other.line < rule.line
    });
    others.last().map(|other| other.line)
}

/// The patterns of templates for project types that are not here, and of no others.
struct ForeignRules {
    templates: HashMap<Vec<u8>, String>,
}

impl ForeignRules {
    fn new(collection: &Collection, survey: &Survey) -> Self {
        let here: HashSet<&str> = survey
            .projects
            .iter()
            .map(|project| project.template.name.as_str())
            .collect();
        let is_here =
            |template: &Template| template.group.everywhere() || here.contains(&*template.name);
        let mut templates: HashMap<Vec<u8>, String> = HashMap::new();
        let mut own: HashSet<Vec<u8>> = HashSet::new();
        for template in collection.iter() {
            for rule in &template.rule {
                let pattern = bare(rule.pattern.as_bytes());
                // A secret that isn't here yet is what the rule is for.
                if is_here(template) || matches!(rule.class, Class::Secret | Class::Personal) {
                    own.insert(pattern);
                } else {
                    let known = templates.entry(pattern);
                    known.or_insert_with(|| template.name.clone());
                }
            }
        }
        templates.retain(|pattern, _| !own.contains(pattern));
        Self { templates }
    }

    fn template(&self, rule: &Rule) -> Option<String> {
        let is_plain = !rule.negated;
        is_plain.then(|| self.templates.get(&bare(&rule.text)).cloned())?
    }
}

/// A pattern without what people write differently: the slashes at its ends.
fn bare(pattern: &[u8]) -> Vec<u8> {
    pattern.trim_with(|sign| sign == '/').to_vec()
}

/// The paths whose verdicts must stay.
struct Proof<'s> {
    snapshot: &'s Snapshot,
    paths: Vec<RepoPathBuf>,
    before: Vec<bool>,
}

impl<'s> Proof<'s> {
    fn new(snapshot: &'s Snapshot, survey: &Survey, history: &[RepoPathBuf]) -> Result<Self> {
        let here = snapshot.whole_tree()?.entries.iter();
        let mut paths: BTreeSet<RepoPathBuf> = here.map(|entry| entry.path.clone()).collect();
        paths.extend(history.iter().cloned());
        for project in &survey.projects {
            paths.extend(examples(project));
        }
        let paths: Vec<RepoPathBuf> = paths.into_iter().collect();
        let mut proof = Self {
            snapshot,
            paths,
            before: Vec::new(),
        };
        proof.before = proof.ignored(Overlay::new())?;
        Ok(proof)
    }

    /// Which of the paths are ignored by the rules that everybody has; whether git tracks them
    /// plays no part.
    fn ignored(&self, mut overlay: Overlay) -> Result<Vec<bool>> {
        let own = self.snapshot.sources_elsewhere().into_iter();
        overlay.extend(own.map(|(_, shown, _)| (shown, Vec::new())));
        let verdicts = Verdicts::of_other_rules(self.snapshot, overlay)?;
        self.paths
            .iter()
            .map(|path| Ok(verdicts.query(path)?.state == State::Ignored))
            .collect()
    }

    /// Takes lines out as long as every verdict stays; where one would not, that line is kept.
    fn shorter(&self, mut going: BTreeMap<RepoPathBuf, Vec<RemovedLine>>) -> Result<Shorter> {
        let mut unproven = 0;
        loop {
            let files = self.files(&going)?;
            let overlay: Overlay = files
                .iter()
                .map(|file| (ignore_file(&file.folder), file.after.clone()))
                .collect();
            let after = self.ignored(overlay)?;
            let changed = self
                .before
                .iter()
                .zip(&after)
                .position(|(was, is)| was != is);
            let Some(changed) = changed else {
                return Ok(Shorter {
                    files,
                    paths: self.paths.len(),
                    unproven,
                    unmerged: 0,
                });
            };
            let kept = self.keep_one(&self.paths[changed], &mut going);
            if !kept {
                // None of the lines matches it by itself: all stay.
                unproven += going.values().map(Vec::len).sum::<usize>();
                going.clear();
            } else {
                unproven += 1;
            }
        }
    }

    /// Keeps the last of the lines that match a path, or a folder above it.
    fn keep_one(
        &self,
        path: &RepoPath,
        going: &mut BTreeMap<RepoPathBuf, Vec<RemovedLine>>,
    ) -> bool {
        let case = self.snapshot.case();
        for (folder, lines) in going.iter_mut().rev() {
            let Some(below) = path.below(folder) else {
                continue;
            };
            let found = lines.iter().rposition(|line| {
                let rule = Rule::parse(&line.pattern, line.line, case);
                let mut parts = below.parts();
                parts.any(|part| !part.is_top() && rule.matches(part.bare(), part.is_folder()))
            });
            if let Some(at) = found {
                lines.remove(at);
                return true;
            }
        }
        false
    }

    /// Puts one rule in the place of many, as long as every verdict stays.
    fn merge(&self, mut shorter: Shorter, folders: BTreeSet<&RepoPathBuf>) -> Result<Shorter> {
        for folder in folders {
            let held = self.snapshot.ignore_file(folder)?;
            let held = held.map(|file| file.contents.clone()).unwrap_or_default();
            let known = shorter
                .files
                .iter()
                .position(|file| *file.folder == **folder);
            let mut file = match known {
                Some(at) => shorter.files.swap_remove(at),
                None => ShorterFile {
                    folder: folder.clone(),
                    after: held,
                    removed: Vec::new(),
                },
            };
            let mut refused: HashSet<BString> = HashSet::new();
            loop {
                let groups = mergeable(&file.after);
                let Some(one) = groups
                    .into_iter()
                    .find(|one| !refused.contains(&one.pattern))
                else {
                    break;
                };
                let after = merged(&file.after, &one);
                let others = shorter.files.iter();
                let mut overlay: Overlay = others
                    .map(|file| (ignore_file(&file.folder), file.after.clone()))
                    .collect();
                overlay.insert(ignore_file(folder), after.clone());
                if self.ignored(overlay)? == self.before {
                    let gone = lines_of(&file.after);
                    let gone = gone.filter(|line| one.lines.contains(&line.number));
                    file.removed.extend(gone.map(|line| RemovedLine {
                        line: line.number,
                        pattern: line.text.into(),
                        because: WhyRemoved::Merged {
                            pattern: one.pattern.clone(),
                        },
                    }));
                    file.after = after;
                } else {
                    shorter.unmerged += one.lines.len();
                }
                refused.insert(one.pattern);
            }
            if !file.removed.is_empty() {
                shorter.files.push(file);
            }
        }
        shorter.files.sort_by(|a, b| a.folder.cmp(&b.folder));
        Ok(shorter)
    }

    fn files(&self, going: &BTreeMap<RepoPathBuf, Vec<RemovedLine>>) -> Result<Vec<ShorterFile>> {
        let mut files = Vec::new();
        for (folder, removed) in going.iter().filter(|(_, removed)| !removed.is_empty()) {
            let file = self.snapshot.ignore_file(folder)?;
            let held = file.map(|file| file.contents.clone()).unwrap_or_default();
            let numbers: HashSet<u32> = removed.iter().map(|line| line.line).collect();
            files.push(ShorterFile {
                folder: folder.clone(),
                after: without_lines(&held, &numbers),
                removed: removed.clone(),
            });
        }
        Ok(files)
    }
}

fn ignore_file(folder: &RepoPath) -> BString {
    folder.join(redshank_rules::IGNORE_FILE).into()
}

/// The names that a template gives as examples, in the project's folder.
fn examples(project: &Project) -> Vec<RepoPathBuf> {
    let folder = project.rules_folder();
    let rules = project.template.rule.iter();
    let names = rules.flat_map(|rule| rule.ignored.iter().chain(&rule.kept));
    names
        .map(|name| folder.join(BStr::new(name.as_str())))
        .collect()
}

/// A file without these lines. A comment goes with the last rule that it stands above; of the empty
/// lines around it, one stays.
pub(crate) fn without_lines(held: &[u8], removed: &HashSet<u32>) -> Vec<u8> {
    let lines: Vec<TextLine> = lines_of(held).collect();
    let kind = |line: &TextLine| match Line::read(line.text, line.number, Case::Sensitive) {
        Line::Rule(_) => Kind::Rule,
        _ if line.text.trim().is_empty() => Kind::Empty,
        _ => Kind::Comment,
    };
    let kinds: Vec<Kind> = lines.iter().map(kind).collect();
    let mut gone: Vec<bool> = lines
        .iter()
        .map(|line| removed.contains(&line.number))
        .collect();
    let mut at = 0;
    while at < lines.len() {
        // A group: comments, then the rules below them up to an empty line or the next comment.
        let comments = at..at
            + kinds[at..]
                .iter()
                .take_while(|kind| **kind == Kind::Comment)
                .count();
        let below = kinds[comments.end..].iter();
        let rules =
            comments.end..comments.end + below.take_while(|kind| **kind == Kind::Rule).count();
        if !rules.is_empty() && rules.clone().all(|at| gone[at]) {
            let start = comments.start;
            comments.for_each(|at| gone[at] = true);
            let is_after_empty = start == 0 || kinds[start - 1] == Kind::Empty;
            if is_after_empty && kinds.get(rules.end) == Some(&Kind::Empty) {
                gone[rules.end] = true;
            }
        }
        at = rules.end.max(at + 1);
    }
    let kept = lines.iter().zip(&gone).filter(|(_, gone)| !**gone);
    kept.map(|(line, _)| line.whole)
        .collect::<Vec<_>>()
        .concat()
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Kind {
    Rule,
    Comment,
    Empty,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_comment_goes_with_its_last_rule() {
        let text = b"# tides\n\n# logs\n*.log\n*.raw\n\n# built\n/out/\n/bin/\n\n# last\nx";
        let without = |numbers: &[u32]| {
            let numbers = numbers.iter().copied().collect();
            without_lines(text, &numbers).to_str_lossy().into_owned()
        };
        let expected = "# tides\n\n# built\n/out/\n/bin/\n\n# last\nx";
        assert_eq!(without(&[4, 5]), expected);
        let expected = "# tides\n\n# logs\n*.log\n*.raw\n\n# built\n/bin/\n\n# last\nx";
        assert_eq!(without(&[8]), expected);
    }
}
