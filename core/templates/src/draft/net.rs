//! The net under a draft: what its rules would ignore is looked at, and work among it is let
//! through, whatever made the rule catch it.

use crate::draft::Composer;
use crate::draft::drafted_file::NewBlock;
use crate::draft::section::DraftLine;
use crate::{Heading, Result, environments, is_keep_file};
use bstr::{BStr, BString, ByteSlice};
use rayon::prelude::*;
use redshank_origin::{Basis, Claim, Origin};
use redshank_rules::ignore_file::KEPT;
use redshank_rules::{Case, Rule, exactly, quote};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_rules::{RuleScope, Ruling};
use redshank_worktree::tree::Entry;
use redshank_worktree::{Overlay, Verdicts};
use std::collections::{BTreeMap, BTreeSet, HashMap};

/// So often rules are made narrower; what still catches work then, goes.
const ROUNDS: usize = 4;
/// A rule with more exceptions than this isn't worth them.
const MOST_EXCEPTIONS: usize = 8;
/// From this many files of one type in a folder on, one exception is for all.
const TOGETHER: usize = 3;

/// A rule of the draft: the folder of its file, and its text.
type Caught<'t> = BTreeMap<(RepoPathBuf, BString), BTreeMap<RepoPathBuf, Vec<&'t Entry>>>;

/// Whether somebody's exception lets a path in, as far as that was asked.
type LetIn = HashMap<RepoPathBuf, bool>;

/// Work that a rule of the draft would ignore.
struct Work {
    /// What must be re-included; a folder's path ends in a slash.
    paths: Vec<RepoPathBuf>,
    /// The folder above them that the rule excludes, if it does.
    excluded: Option<RepoPathBuf>,
}

impl<'s> Composer<'s, '_> {
    /// Makes the rules of the draft narrower until they catch no work.
    pub(crate) fn let_work_through(&mut self) -> Result<()> {
        let mut known = LetIn::new();
        for round in 0..=ROUNDS {
            let caught = self.caught()?;
            let mut is_clean = true;
            for ((folder, pattern), by_place) in caught {
                let works: Vec<Work> = by_place
                    .iter()
                    .filter_map(|(place, entries)| self.work(&pattern, place, entries, &mut known))
                    .collect();
                if works.is_empty() {
                    continue;
                }
                is_clean = false;
                let is_most = works.len() * 2 > by_place.len() && by_place.len() > TOGETHER;
                self.fix(&folder, &pattern, works, is_most || round == ROUNDS)?;
            }
            if is_clean {
                break;
            }
        }
        Ok(())
    }

    /// What the rules of the draft catch, by rule and by the uppermost path that it matches.
    fn caught(&self) -> Result<Caught<'s>> {
        let overlay = self.overlay();
        let mut caught = Caught::new();
        if overlay.is_empty() {
            return Ok(caught);
        }
        let verdicts = Verdicts::new(self.snapshot, overlay)?;
        let entries: Vec<&Entry> = self.snapshot.tree()?.to_commit().collect();
        let hits = entries.into_par_iter().map(|entry| {
            let answer = verdicts.query(&entry.path)?;
            let parent = answer.excluded_parent(&entry.path);
            let place = parent.unwrap_or(&entry.path).to_owned();
            let own = answer.ruling.filter(|ruling| self.is_ours(ruling));
            Ok(own.map(|ruling| (ruling, place, entry)))
        });
        for (ruling, place, entry) in hits.collect::<Result<Vec<_>>>()?.into_iter().flatten() {
            let rule = (ruling.source().base.clone(), ruling.rule().text.clone());
            let of_rule = caught.entry(rule).or_default();
            of_rule.entry(place).or_default().push(entry);
        }
        Ok(caught)
    }

    /// Whether a ruling comes of a line of this draft.
    fn is_ours(&self, ruling: &Ruling) -> bool {
        ruling.ignores()
            && matches!(ruling.source().scope, RuleScope::Folder | RuleScope::Team)
            && self.draft.added.contains(&ruling.rule().text)
    }

    fn work(
        &self,
        pattern: &BString,
        place: &RepoPath,
        entries: &[&Entry],
        known: &mut LetIn,
    ) -> Option<Work> {
        // What the folder says of itself is as certain as a name that only a tool gives.
        let is_certain = self.certain.contains(pattern) || self.survey.matches.knows(place);
        let is_excluded = place.is_folder() && entries.iter().any(|entry| *entry.path != *place);
        if self.is_authored(place, is_certain)
            || place.is_folder() && self.is_let_in_by_a_person(place, known)
        {
            return Some(Work {
                paths: vec![place.to_owned()],
                excluded: None,
            });
        }
        let is_made = is_certain || is_excluded && self.around.share(place).made > 0;
        let kept = entries.iter().filter(|entry| {
            (!is_made && is_keep_file(entry.path.name()))
                || self.is_let_in_by_a_person(&entry.path, known)
        });
        let paths: Vec<RepoPathBuf> = kept.map(|entry| entry.path.clone()).collect();
        (!paths.is_empty()).then(|| Work {
            paths,
            excluded: is_excluded.then(|| place.to_owned()),
        })
    }

    /// Whether somebody wrote what a rule of the draft matches; `is_certain` if it matches only by a
    /// name that tools give.
    fn is_authored(&self, place: &RepoPath, is_certain: bool) -> bool {
        if environments::is_of_a_mode(place) {
            return environments::is_shared(&self.around.head(place));
        }
        let claim = self.survey.matches.claim(place).unwrap_or_else(|| Claim {
            template: String::new(),
            reason: String::new(),
            origin: Origin::Generated,
            basis: Basis::AnyName,
            place: place.to_owned(),
        });
        let basis = if is_certain {
            Basis::ToolsName
        } else {
            claim.basis
        };
        self.around.contradicts(place, &Claim { basis, ..claim })
    }

    /// Whether somebody's exception re-includes a path, as things are. What is known is `known`.
    fn is_let_in_by_a_person(&self, path: &RepoPath, known: &mut LetIn) -> bool {
        if let Some(is_let_in) = known.get(path) {
            return *is_let_in;
        }
        let exception = self.as_it_is.exception(path);
        let is_let_in = exception.is_ok_and(|ruling| ruling.is_some());
        known.insert(path.to_owned(), is_let_in);
        is_let_in
    }

    fn fix(
        &mut self,
        folder: &RepoPath,
        pattern: &BString,
        works: Vec<Work>,
        is_hopeless: bool,
    ) -> Result<()> {
        let mut narrower: Vec<BString> = Vec::new();
        let mut is_only_here = false;
        let mut files: BTreeMap<RepoPathBuf, Vec<RepoPathBuf>> = BTreeMap::new();
        for work in works {
            let Some(excluded) = work.excluded else {
                for path in work.paths {
                    is_only_here |= exactly(below(&path, folder)) == *pattern;
                    files
                        .entry(path.folder().to_owned())
                        .or_default()
                        .push(path);
                }
                continue;
            };
            if exactly(below(&excluded, folder)) == *pattern {
                is_only_here = true;
            } else {
                narrower.push(exception(&excluded, folder));
            }
            narrower.push(all_in(&excluded, folder));
            let mut opened = BTreeSet::new();
            for path in work.paths {
                let between = path
                    .folders_above()
                    .filter(|above| above.is_within(&excluded) && **above != *excluded);
                for above in between.filter(|above| opened.insert(above.to_owned().to_owned())) {
                    narrower.extend([exception(above, folder), all_in(above, folder)]);
                }
                narrower.push(exception(&path, folder));
            }
        }
        if !is_only_here || !narrower.is_empty() {
            narrower.extend(
                files
                    .into_iter()
                    .flat_map(|(above, paths)| together(&above, paths, folder)),
            );
        }
        let goes = is_hopeless || narrower.len() > MOST_EXCEPTIONS || is_only_here;
        if goes {
            self.file(folder)?.drop_rule(pattern.as_bstr());
            self.draft.added.remove(pattern);
        }
        if is_hopeless || narrower.len() > MOST_EXCEPTIONS {
            return Ok(());
        }
        let file = self.file(folder)?;
        let narrower: Vec<BString> = narrower
            .into_iter()
            .filter(|line| !file.has_coming(KEPT, line))
            // Of a rule that isn't written, what an earlier draft wrote instead stays as it is.
            .filter(|line| !goes || !file.has_in_block(KEPT, line))
            .collect();
        let lines: Vec<DraftLine> = narrower
            .into_iter()
            .map(|pattern| {
                let reason = "source files that a rule above would ignore".to_owned();
                DraftLine::certain(pattern, Heading::Dependencies, reason)
            })
            .collect();
        if lines.is_empty() {
            return Ok(());
        }
        for line in &lines {
            self.certain.insert(line.pattern.clone());
        }
        self.push(folder, NewBlock::of_lines(KEPT.to_owned(), lines))
    }

    /// The ignore files as drafted so far.
    pub(crate) fn overlay(&self) -> Overlay {
        let files = self.files.iter();
        let drafted = files.map(|(folder, file)| (folder, file, file.after(self.options.explain)));
        let changed = drafted.filter(|(_, file, after)| file.before != *after);
        changed
            .map(|(folder, _, after)| (folder.join(redshank_rules::IGNORE_FILE).into(), after))
            .collect()
    }
}

fn below<'p>(path: &'p RepoPath, folder: &RepoPath) -> &'p BStr {
    path.below(folder).unwrap_or(path)
}

fn exception(path: &RepoPath, folder: &RepoPath) -> BString {
    [b"!", exactly(below(path, folder)).as_slice()]
        .concat()
        .into()
}

fn all_in(excluded: &RepoPath, folder: &RepoPath) -> BString {
    [exactly(below(excluded, folder)).as_slice(), b"*"]
        .concat()
        .into()
}

/// Exceptions for paths of one folder: one for each, or one for all of a type.
fn together(above: &RepoPath, paths: Vec<RepoPathBuf>, folder: &RepoPath) -> Vec<BString> {
    let mut of_type: BTreeMap<Option<BString>, Vec<RepoPathBuf>> = BTreeMap::new();
    for path in paths {
        let kind = path
            .extension()
            .filter(|_| !path.is_folder())
            .map(ToOwned::to_owned);
        of_type.entry(kind).or_default().push(path);
    }
    let told = of_type.into_iter().flat_map(|(kind, paths)| match kind {
        Some(kind) if paths.len() >= TOGETHER => {
            let here = below(above, folder);
            let mut pattern = BString::from("!/");
            pattern.extend(
                [
                    quote(here).as_slice(),
                    b"*",
                    quote(kind.as_bstr()).as_slice(),
                ]
                .concat(),
            );
            let rule = Rule::parse(&pattern, 0, Case::Sensitive);
            debug_assert!(
                paths
                    .iter()
                    .all(|path| rule.matches(below(path, folder), false))
            );
            vec![pattern]
        }
        _ => paths.iter().map(|path| exception(path, folder)).collect(),
    });
    told.collect()
}
