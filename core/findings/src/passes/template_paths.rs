//! Files that the templates of the projects around them say don't belong: generated, personal,
//! environment files.

use crate::{ByHand, Cause, Evidence, Finding, Level, Result, ScanContext};
use foldhash::fast::FixedState;
use redshank_origin::{Claim, Origin};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_rules::{RuleScope, Ruling};
use redshank_rules::{exactly, fit};
use redshank_secrets::{by_place, is_fixture};
use redshank_templates::TemplateMatch;
use redshank_worktree::tree::{Entry, EntryKind, State};
use redshank_worktree::{Class, FileStats};
use std::collections::{BTreeMap, HashMap};

/// The paths that templates match, and as what.
pub(crate) struct TemplatePaths<'a> {
    matched: HashMap<&'a RepoPath, Claimed, FixedState>,
    /// What templates say of places that somebody wrote in.
    contradicted: HashMap<RepoPathBuf, Claim, FixedState>,
}

/// As what a template matches a path.
struct Claimed {
    class: Class,
    origin: Origin,
}

impl<'a> TemplatePaths<'a> {
    pub(crate) fn has(&self, entry: &Entry) -> bool {
        self.class(entry).is_some()
    }

    /// As what a path is matched.
    pub(crate) fn class(&self, entry: &Entry) -> Option<Class> {
        Some(self.matched.get(&*entry.path)?.class)
    }

    /// Where a template says that a matched path comes from.
    pub(crate) fn origin(&self, entry: &Entry) -> Option<Origin> {
        Some(self.matched.get(&*entry.path)?.origin)
    }

    /// What a template says of a path that is not matched, since somebody wrote something there.
    pub(crate) fn contradicted(&self, path: &RepoPath) -> Option<&Claim> {
        if self.contradicted.is_empty() {
            return None;
        }
        path.parts().find_map(|part| self.contradicted.get(part))
    }

    /// Matches every path that would be committed; returns a finding for the uppermost folder or
    /// file of each.
    pub(crate) fn find(scan: &ScanContext<'a>) -> Result<(Self, Vec<Finding>)> {
        let mut known = HashMap::default();
        let mut contradicted = HashMap::default();
        let mut groups: BTreeMap<(RepoPathBuf, State), FileStats> = BTreeMap::new();
        let mut paths = HashMap::default();
        let mut links = Vec::new();
        for entry in scan.tree.to_commit() {
            let path: &RepoPath = &entry.path;
            match topmost(scan, path, &mut known, &mut contradicted)? {
                // Somebody re-included the file itself, by a rule from outside of the place.
                Some(at) if is_excepted(scan, path, &at)? => {}
                Some(at) => {
                    let found = scan.survey.matches.on(&at);
                    paths.extend(found.map(|found| (path, Claimed::from(&found))));
                    *groups.entry((at, entry.state)).or_default() += entry.stats();
                }
                None if entry.kind == EntryKind::Link => links.push(entry),
                None => {}
            }
        }
        let mut findings = Vec::new();
        for ((path, state), stats) in groups {
            if let Some(found) = scan.survey.matches.on(&path) {
                findings.push(finding(scan, &path, state, stats, found)?);
            }
        }
        for entry in links {
            // A rule for a folder misses a link to one in its place.
            if let Some(found) = scan.survey.matches.on(&entry.path.as_folder()) {
                findings.push(on_link(scan, entry, found)?);
                paths.insert(&*entry.path, Claimed::from(&found));
            }
        }
        let all = Self {
            matched: paths,
            contradicted,
        };
        Ok((all, findings))
    }
}

impl From<&TemplateMatch<'_, '_>> for Claimed {
    fn from(found: &TemplateMatch) -> Self {
        Self {
            class: found.class(),
            origin: found.origin(),
        }
    }
}

/// The uppermost part of a path that a template matches: a folder on the way, or the path itself.
fn topmost(
    scan: &ScanContext,
    path: &RepoPath,
    known: &mut HashMap<RepoPathBuf, Option<RepoPathBuf>, FixedState>,
    contradicted: &mut HashMap<RepoPathBuf, Claim, FixedState>,
) -> Result<Option<RepoPathBuf>> {
    if let Some(answer) = known.get(path) {
        return Ok(answer.clone());
    }
    let above = Some(path.folder()).filter(|above| !above.is_top());
    let mut answer = match above {
        Some(above) => topmost(scan, above, known, contradicted)?,
        None => None,
    };
    if answer.is_none()
        && let Some(found) = scan.survey.matches.on(path)
    {
        // What tests are given is there on purpose, and so is what an exception names.
        let is_given = found.class() == Class::Generated && is_fixture(path);
        if !is_given && scan.verdicts.exception(path)?.is_none() {
            answer = Some(path.to_owned());
        }
    }
    if answer.is_none()
        && let Some(claim) = scan.survey.matches.contradicted_claim(path)
    {
        contradicted.insert(path.to_owned(), claim);
    }
    if path.is_folder() {
        known.insert(path.to_owned(), answer.clone());
    }
    Ok(answer)
}

/// Whether an exception re-includes a file in a place that a template matches whole. Ignore files
/// in that place belong to whatever made it.
fn is_excepted(scan: &ScanContext, path: &RepoPath, place: &RepoPath) -> Result<bool> {
    let exception = if place.is_folder() {
        scan.verdicts.exception(path)?
    } else {
        None
    };
    Ok(exception.is_some_and(|ruling| !ruling.source().base.starts_with(place)))
}

fn finding(
    scan: &ScanContext,
    path: &RepoPath,
    state: State,
    stats: FileStats,
    found: TemplateMatch,
) -> Result<Finding> {
    let class = found.class();
    // A rule of the top that is there already needs no second one; the file is tracked in spite of
    // it. A rule from another file would mean something else at the top.
    let is_of_the_top =
        |ruling: &Ruling| ruling.ignores() && ruling.source().scope == RuleScope::Team;
    let answer = scan.verdicts.query(path)?;
    let pattern = match (answer.ruling.filter(is_of_the_top), found) {
        (Some(ruling), _) => ruling.rule().text.clone(),
        (None, TemplateMatch::Rule(project, rule)) => fit(&rule.pattern, &project.rules_folder()),
        (None, TemplateMatch::Known(_)) => exactly(path),
    };
    let downgrade = by_place(path).filter(|_| class == Class::Secret);
    let level = match class {
        Class::Secret if downgrade.is_none() => Level::Error,
        Class::Secret => Level::Note,
        _ => Level::Warning,
    };
    let reason = found.reason().to_owned();
    let cause = match downgrade {
        Some(_) => Cause::Credential {
            title: reason,
            downgrade,
            replace: None,
        },
        None => Cause::Said(reason),
    };
    let name = found.template();
    let evidence = match found {
        TemplateMatch::Rule(..) => None,
        TemplateMatch::Known(known) => Some(Evidence::File(known.evidence.clone())),
    };
    let made = Finding {
        size: Some(stats.size),
        files: stats.files,
        state,
        evidence,
        ..Finding::new(class, name, level, path, cause)
    };
    let remake = found.remake().map(str::to_owned);
    Ok(match downgrade {
        Some(_) => made.by_hand(ByHand::NothingIfMeant),
        None => made.kept_out_by(pattern, found.reason(), remake),
    })
}

fn on_link(scan: &ScanContext, entry: &Entry, found: TemplateMatch) -> Result<Finding> {
    let made = finding(scan, &entry.path, entry.state, entry.stats(), found)?;
    let remake = found.remake().map(str::to_owned);
    Ok(Finding {
        cause: Cause::LinkForFolder(found.reason().to_owned()),
        ..made.kept_out_by(exactly(&entry.path), found.reason(), remake)
    })
}
