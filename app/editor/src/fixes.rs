//! What sets right what is wrong with a rule. A fix that would change what git ignores beyond what
//! its title says is not offered: each is tried on the working tree first.

use super::actions::Actions;
use super::analysis::{RuleFacts, RuleFile};
use super::documents::Document;
use super::text_edits::{Fix, LineChange, changed_text, written};
use bstr::{BString, ByteSlice};
use redshank_rules::{IGNORE_FILE, RepoPath, RepoPathBuf, Rule, RuleList, exactly};
use redshank_text::shown;
use redshank_worktree::tree::State;
use redshank_worktree::usage::{ImpossibleReason, RuleStatus};
use redshank_worktree::{Overlay, Verdicts};
use std::collections::BTreeSet;

/// No fix opens more folders, with two lines each: nobody would want to read them.
const MOST_FOLDERS: usize = 6;

/// What a change of ignore files does to the paths here.
#[derive(Default)]
pub struct VerdictChanges {
    /// Files that are ignored then and were not.
    pub ignored: Vec<RepoPathBuf>,
    /// Files that are no longer ignored.
    pub included: Vec<RepoPathBuf>,
}

impl VerdictChanges {
    pub fn is_empty(&self) -> bool {
        self.ignored.is_empty() && self.included.is_empty()
    }
}

impl Actions<'_> {
    /// The fix for a rule that does nothing, or not what it seems to.
    pub fn fix(&self, document: &Document, file: &RuleFile, rule: &RuleFacts) -> Option<Fix> {
        match &rule.status {
            RuleStatus::Misread {
                corrected, sure, ..
            } => Some(Fix {
                title: format!("Write `{}`", shown(corrected.as_bstr())),
                changes: vec![LineChange::Replace(rule.line, written(corrected.as_bstr()))],
                is_preferred: *sure,
            }),
            RuleStatus::Impossible {
                because: ImpossibleReason::Unfinished,
            } => {
                let escaped = escaped(&written(rule.text.as_bstr()));
                Some(Fix {
                    title: format!("Write `{escaped}`"),
                    changes: vec![LineChange::Replace(rule.line, escaped)],
                    is_preferred: true,
                })
            }
            RuleStatus::SwallowsItsFile => self.keep_its_file(document, file, rule),
            RuleStatus::CannotWork {
                folder,
                source,
                line,
            } if *source == file.source.shown => {
                let excluding = line.saturating_sub(1);
                self.open_folder(document, file, rule, folder, excluding)
            }
            RuleStatus::CatchesNothing
            | RuleStatus::Duplicate { .. }
            | RuleStatus::Overridden { .. }
            | RuleStatus::OnlyTracked { .. } => self.take_out(document, rule),
            RuleStatus::Works => self.keep_work(document, file, rule),
            RuleStatus::CannotWork { .. } | RuleStatus::Impossible { .. } => None,
        }
    }

    /// The line goes, as far as that changes nothing.
    fn take_out(&self, document: &Document, rule: &RuleFacts) -> Option<Fix> {
        let changes = vec![LineChange::Remove(rule.line)];
        let after = self.verdict_changes(document, &changes)?;
        after.is_empty().then(|| Fix {
            title: "Take the line out".to_owned(),
            changes,
            // What it was meant for is tracked: that is for `untrack` to set right.
            is_preferred: !matches!(rule.status, RuleStatus::OnlyTracked { .. }),
        })
    }

    /// An exception for the file that the rule is in, and for nothing else.
    fn keep_its_file(&self, document: &Document, file: &RuleFile, rule: &RuleFacts) -> Option<Fix> {
        let text = written(rule.text.as_bstr());
        let changes = vec![LineChange::Replace(
            rule.line,
            format!("{text}\n!/{IGNORE_FILE}"),
        )];
        let after = self.verdict_changes(document, &changes)?;
        let own = RepoPath::new(&file.source.shown);
        let is_own = after.included.iter().all(|path| **path == *own);
        (is_own && after.ignored.is_empty()).then(|| Fix {
            title: "Keep this file by an exception".to_owned(),
            changes,
            is_preferred: true,
        })
    }

    /// Exceptions for the folders of somebody's sources that a rule ignores.
    fn keep_work(&self, document: &Document, file: &RuleFile, rule: &RuleFacts) -> Option<Fix> {
        let folders: Vec<&RepoPathBuf> = rule.takes_work.iter().map(|work| &work.folder).collect();
        if folders.is_empty() || folders.len() > MOST_FOLDERS {
            return None;
        }
        let mut lines = vec![written(rule.text.as_bstr())];
        for folder in &folders {
            let exact = exactly(folder.below(&file.source.base)?.as_bstr());
            lines.push(format!("!{}", written(exact.as_bstr())));
        }
        let changes = vec![LineChange::Replace(rule.line, lines.join("\n"))];
        let after = self.verdict_changes(document, &changes)?;
        let is_inside = |path: &RepoPathBuf| folders.iter().any(|folder| path.is_within(folder));
        let is_right = after.ignored.is_empty()
            && !after.included.is_empty()
            && after.included.iter().all(is_inside);
        let names: Vec<String> = folders.iter().map(|folder| shown(folder)).collect();
        is_right.then(|| Fix {
            title: format!("Keep {} by an exception", names.join(", ")),
            changes,
            is_preferred: true,
        })
    }

    /// Excludes what is in a folder in the place of the folder, so that an exception for something
    /// in it can work, and nothing else comes in.
    fn open_folder(
        &self,
        document: &Document,
        file: &RuleFile,
        rule: &RuleFacts,
        folder: &RepoPath,
        excluding: u32,
    ) -> Option<Fix> {
        let list = RuleList::parse(
            file.source.clone(),
            document.text.as_bytes(),
            self.here.snapshot.case(),
        );
        let mut rules = list.rules().iter();
        let exception = rules.find(|one| one.line == rule.line + 1)?;
        let wanted = self.matched_within(exception, &file.source.base, folder);
        let lines = opened(folder, &file.source.base, wanted.iter())?;
        let lines: Vec<String> = lines.iter().map(|line| written(line.as_bstr())).collect();
        let text = lines.join("\n");
        let excluded = document.line(excluding);
        let alone = written(exactly(folder.below(&file.source.base)?.as_bstr()).as_bstr());
        let is_alone = [alone.as_str(), alone.trim_end_matches('/')].contains(&excluded.trim_end());
        // The first line is only needed where a rule with more than this folder stays.
        let without_first = text.split_once('\n').map_or("", |(_, rest)| rest);
        let mut ways = Vec::new();
        if is_alone {
            ways.push(vec![LineChange::Replace(
                excluding,
                without_first.to_owned(),
            )]);
        }
        let below = format!("{excluded}\n{text}");
        ways.push(vec![LineChange::Replace(excluding, below.clone())]);
        if rule.line < excluding {
            let own = written(rule.text.as_bstr());
            ways.push(vec![
                LineChange::Remove(rule.line),
                LineChange::Replace(excluding, format!("{below}\n{own}")),
            ]);
        }
        let wanted: BTreeSet<RepoPathBuf> = wanted.into_iter().collect();
        let changes = ways.into_iter().find(|changes| {
            self.verdict_changes(document, changes)
                .is_some_and(|after| {
                    let mut included = after.included.iter();
                    after.ignored.is_empty()
                        && !after.included.is_empty()
                        && included.all(|path| wanted.contains(path))
                })
        })?;
        Some(Fix {
            title: format!("Leave the folder open: `{alone}*`"),
            changes,
            is_preferred: true,
        })
    }

    /// The files in a folder that a rule matches, by themselves or by a folder above them.
    fn matched_within(&self, rule: &Rule, base: &RepoPath, folder: &RepoPath) -> Vec<RepoPathBuf> {
        let Ok(tree) = self.here.snapshot.whole_tree() else {
            return Vec::new();
        };
        let inside = tree.below(folder);
        let matched = inside.filter(|entry| {
            let parts = entry.path.below(base).into_iter().flat_map(RepoPath::parts);
            let mut parts = parts.filter(|part| base.len() + part.len() > folder.len());
            parts.any(|part| rule.matches(part.bare(), part.is_folder()))
        });
        matched.map(|entry| entry.path.clone()).collect()
    }

    /// What git ignores otherwise once an open text is changed like this.
    pub fn verdict_changes(
        &self,
        document: &Document,
        changes: &[LineChange],
    ) -> Option<VerdictChanges> {
        let source = self.here.snapshot.source_of(&document.path)?;
        let text = changed_text(document, changes).into_bytes();
        self.verdicts_with([(source.shown, text)])
    }

    /// The same for several files, by the names that git prints.
    pub fn verdicts_with(
        &self,
        texts: impl IntoIterator<Item = (BString, Vec<u8>)>,
    ) -> Option<VerdictChanges> {
        let snapshot = self.here.snapshot;
        let tree = snapshot.whole_tree().ok()?;
        let states = |overlay: Overlay| Verdicts::new(snapshot, overlay).ok()?.states(tree).ok();
        let mut overlay = self.here.overlay(self.open);
        let before = self.verdicts.get_or_init(|| states(overlay.clone()));
        overlay.extend(texts);
        let after = states(overlay)?;
        let mut changes = VerdictChanges::default();
        for ((entry, before), after) in tree.entries.iter().zip(before.as_ref()?).zip(after) {
            match (before, after) {
                (State::Ignored, State::Candidate) => changes.included.push(entry.path.clone()),
                (State::Candidate, State::Ignored) => changes.ignored.push(entry.path.clone()),
                _ => {}
            }
        }
        Some(changes)
    }
}

/// The lines that open a folder which a rule excludes, down to the folders of the files that are
/// wanted; nothing else comes in.
fn opened<'p>(
    folder: &RepoPath,
    base: &RepoPath,
    wanted: impl Iterator<Item = &'p RepoPathBuf>,
) -> Option<Vec<BString>> {
    let mut folders: BTreeSet<&RepoPath> = BTreeSet::from([folder]);
    for path in wanted {
        folders.extend(path.folders_above().filter(|above| above.is_within(folder)));
        if folders.len() > MOST_FOLDERS {
            return None;
        }
    }
    let mut lines = Vec::new();
    for folder in folders {
        let exact = exactly(folder.below(base)?.as_bstr());
        lines.push([b"!", exact.as_bytes()].concat().into());
        lines.push([exact.as_bytes(), b"*"].concat().into());
    }
    Some(lines)
}

/// A pattern in which a bracket that is never closed, and a back-slash at the end, stand for
/// themselves.
fn escaped(text: &str) -> String {
    let open = text.rfind('[').filter(|at| !text[*at..].contains(']'));
    match open {
        Some(at) => format!("{}\\{}", &text[..at], &text[at..]),
        None => format!("{text}\\"),
    }
}
