//! A plan being made.

use super::removal;
use super::texts::{Texts, taken_away};
use super::{Act, Plan, Step};
use crate::effect::{Amount, Effect};
use crate::findings::{Class, Finding, is_environment};
use crate::ignore_file::NewRule;
use crate::journal::{Changes, FileChange};
use crate::rules::{IGNORE_FILE, Ruling};
use crate::sample;
use crate::size::Bytes;
use crate::templates::{Survey, exactly};
use crate::tree::{Answer, Entry, Kind, Oracle, Overlay, Place, State, Tree};
use crate::{Error, Result};
use bstr::{BStr, BString, ByteSlice};
use std::collections::BTreeSet;

/// git's file of attributes (gitattributes(5)).
const ATTRIBUTES: &str = ".gitattributes";

pub(super) struct Making<'a> {
    place: &'a Place,
    tree: &'a Tree,
    remove: Option<&'a Survey<'a>>,
    texts: Texts<'a>,
    untracked: BTreeSet<BString>,
    /// Files that get another name: they leave the index under the old one.
    renamed: BTreeSet<BString>,
    moved: BTreeSet<BString>,
    /// Files that go, for they have another name now.
    taken_away: Vec<FileChange>,
    /// Files that a clone needs, so that nothing around them is moved out of the way.
    needed: Vec<BString>,
    samples: Amount,
    /// Whether rules that stood may match more than before.
    widened: bool,
    steps: Vec<Step>,
}

impl<'a> Making<'a> {
    pub(super) fn start(
        place: &'a Place,
        tree: &'a Tree,
        remove: Option<&'a Survey<'a>>,
        needed: Vec<BString>,
    ) -> Self {
        Self {
            place,
            tree,
            remove,
            texts: Texts::of(place),
            untracked: BTreeSet::new(),
            renamed: BTreeSet::new(),
            moved: BTreeSet::new(),
            taken_away: Vec::new(),
            needed,
            samples: Amount::default(),
            widened: false,
            steps: Vec::new(),
        }
    }

    pub(super) fn keep_out(&mut self, finding: &Finding, rule: NewRule) -> Result<()> {
        let same = Act::Ignore(rule.pattern.clone());
        if let Some(step) = self.steps.iter_mut().find(|step| step.act == same) {
            // Several findings may stand for one file; it counts once.
            if step.path != finding.path {
                step.amount += amount_of(finding);
            }
            step.findings.push(finding.id.clone());
        } else if !self.is_shut(finding.path.as_bstr())? {
            let (reason, pattern) = (rule.reason.clone(), rule.pattern.clone());
            if self.texts.add(IGNORE_FILE.into(), rule.clone())? {
                self.step(finding, Act::Ignore(pattern), reason, amount_of(finding));
            }
        }
        if finding.class == Class::Secret {
            self.add_sample(finding)?;
        }
        if finding.state == State::Tracked {
            self.stop_tracking(finding);
        }
        if let (Some(_), Class::Generated, Some(remake)) = (self.remove, finding.class, rule.remake)
            && self.is_shut(finding.path.as_bstr())?
        {
            self.remove(finding.path.as_bstr(), &remake, Some(&finding.id))?;
        }
        Ok(())
    }

    fn stop_tracking(&mut self, finding: &Finding) {
        let below = self.tree.below(finding.path.as_bstr());
        let tracked: Vec<&Entry> = below
            .filter(|entry| entry.state == State::Tracked)
            .filter(|entry| finding.path.ends_with(b"/") || entry.path == finding.path)
            .filter(|entry| !self.untracked.contains(&entry.path))
            .collect();
        if !tracked.is_empty() {
            let amount = Amount::of(tracked.iter().copied());
            self.step(
                finding,
                Act::StopTracking,
                "rules do nothing for tracked files".to_owned(),
                amount,
            );
            self.untracked
                .extend(tracked.into_iter().map(|entry| entry.path.clone()));
        }
    }

    /// Beside an environment file that is kept out, others need its keys.
    fn add_sample(&mut self, finding: &Finding) -> Result<()> {
        let path = finding.path.as_bstr();
        let exists = |path: &BStr| self.place.root.is_there(path);
        let name = sample::name(path);
        if !is_environment(path)
            || self.texts.writes_anew(name.as_bstr())
            || sample::has_one(path, &exists)
        {
            return Ok(());
        }
        let text = self.place.read_if_there(path)?.unwrap_or_default();
        if let Some(made) = sample::of(&text) {
            let amount = Amount {
                files: 1,
                size: Bytes(made.text.len() as u64),
            };
            let left_out = match made.left_out {
                0 => String::new(),
                1 => "; one line is left out, for it could tell a value".to_owned(),
                many => format!("; {many} lines are left out, for they could tell values"),
            };
            let reason =
                format!("the keys of {path} without their values, for others to fill in{left_out}");
            self.step(finding, Act::Sample(name.clone()), reason, amount);
            self.texts.put(name, made.text);
            self.samples += amount;
        }
        Ok(())
    }

    pub(super) fn let_in(&mut self, finding: &Finding, folder: &BStr, rule: NewRule) -> Result<()> {
        let (reason, pattern) = (rule.reason.clone(), rule.pattern.clone());
        let file = [folder.as_bytes(), IGNORE_FILE.as_bytes()].concat();
        if self.texts.add(file.as_bstr(), rule)? {
            self.step(finding, Act::LetIn(pattern), reason, amount_of(finding));
        }
        Ok(())
    }

    pub(super) fn mend(
        &mut self,
        finding: &Finding,
        file: BString,
        line: u32,
        from: BString,
        with: BString,
    ) -> Result<()> {
        self.texts.mend(file.as_bstr(), line, with.clone())?;
        self.widened = true;
        self.step(
            finding,
            Act::Mend { from, with },
            finding.message.clone(),
            Amount::default(),
        );
        Ok(())
    }

    pub(super) fn rename(&mut self, finding: &Finding, name: BString) -> Result<()> {
        let text = self.place.read(finding.path.as_bstr())?;
        self.texts.put(name.clone(), text.clone());
        self.taken_away.push(taken_away(finding.path.clone(), text));
        self.widened = true;
        if finding.state == State::Tracked {
            self.renamed.insert(finding.path.clone());
        }
        self.step(
            finding,
            Act::Rename(name),
            finding.message.clone(),
            Amount::default(),
        );
        Ok(())
    }

    pub(super) fn add_attribute(&mut self, finding: &Finding, line: NewRule) -> Result<()> {
        let (reason, text) = (line.reason.clone(), line.pattern.clone());
        let same = Act::Attribute(text.clone());
        if let Some(step) = self.steps.iter_mut().find(|step| step.act == same) {
            step.amount += amount_of(finding);
            step.findings.push(finding.id.clone());
        } else if !self.texts.has_line(ATTRIBUTES.into(), text.as_bstr())?
            && self.texts.add(ATTRIBUTES.into(), line)?
        {
            self.step(finding, Act::Attribute(text), reason, amount_of(finding));
        }
        Ok(())
    }

    /// Moves something out of the way, unless something else in it would go, too.
    fn remove(&mut self, path: &BStr, remake: &str, finding: Option<&String>) -> Result<()> {
        let bare = path.strip_suffix(b"/").unwrap_or(path).as_bstr();
        let is_within = |inner: &BString| path.ends_with(b"/") && inner.starts_with(path);
        let stays_tracked = |entry: &Entry| {
            entry.state == State::Tracked
                && (entry.path == path || is_within(&entry.path))
                && !self.untracked.contains(&entry.path)
        };
        let known = self
            .moved
            .iter()
            .any(|moved| moved == path || moved.ends_with(b"/") && path.starts_with(moved));
        if known
            || !self.place.root.is_there(bare)
            || self.needed.iter().any(is_within)
            || self.tree.below(path).any(stays_tracked)
        {
            return Ok(());
        }
        if let Some(amount) = removal::amount(&self.place.root, bare)? {
            self.moved.insert(path.to_owned());
            let act = Act::Remove {
                remake: remake.to_owned(),
            };
            let reason = format!("made again by: {remake}");
            self.steps.push(Step {
                act,
                path: path.to_owned(),
                reason,
                findings: finding.into_iter().cloned().collect(),
                amount,
            });
        }
        Ok(())
    }

    fn step(&mut self, finding: &Finding, act: Act, reason: String, amount: Amount) {
        let (path, findings) = (finding.path.clone(), vec![finding.id.clone()]);
        self.steps.push(Step {
            act,
            path,
            reason,
            findings,
            amount,
        });
    }

    /// Whether the rules that everyone has, with the ones to be added, keep a path out.
    fn is_shut(&self, path: &BStr) -> Result<bool> {
        let bare = path.strip_suffix(b"/").unwrap_or(path).as_bstr();
        let folder = bare
            .rfind_byte(b'/')
            .map_or(b"".as_bstr(), |slash| bare[..=slash].as_bstr());
        let chain = self.place.shared_rules(folder, &self.texts.overlay())?;
        Ok(chain.shuts(bare, bare.len() < path.len()).is_some())
    }

    /// Rules that match more than before may speak of tracked files, which they do nothing for:
    /// exceptions say so.
    fn except_tracked(&mut self) -> Result<()> {
        let (was, is) = (
            Oracle::new(self.place, Overlay::new())?,
            Oracle::new(self.place, self.texts.overlay())?,
        );
        let keeps_out = |answer: &Answer| answer.ruling.as_ref().is_some_and(Ruling::ignores);
        for entry in self
            .tree
            .in_state(State::Tracked)
            .filter(|entry| entry.kind == Kind::File)
        {
            let path = entry.path.as_bstr();
            if self.untracked.contains(path) || self.renamed.contains(path) {
                continue;
            }
            let answer = is.ask(path)?;
            if keeps_out(&answer) && answer.shut.is_none() && !keeps_out(&was.ask(path)?) {
                let reason = "tracked on purpose, though a rule here would keep it out".to_owned();
                let pattern: BString = [b"!", exactly(path).as_slice()].concat().into();
                let rule = NewRule {
                    pattern: pattern.clone(),
                    reason: reason.clone(),
                    remake: None,
                };
                if self.texts.add(IGNORE_FILE.into(), rule)? {
                    let amount = Amount {
                        files: 1,
                        size: entry.size,
                    };
                    let (act, path) = (Act::LetIn(pattern), path.to_owned());
                    self.steps.push(Step {
                        act,
                        path,
                        reason,
                        findings: Vec::new(),
                        amount,
                    });
                }
            }
        }
        Ok(())
    }

    pub(super) fn finish(mut self, left: Vec<Finding>) -> Result<Plan> {
        if self.widened {
            self.except_tracked()?;
        }
        for (path, remake) in self
            .remove
            .map(|survey| removal::kept_out(self.tree, survey))
            .unwrap_or_default()
        {
            self.remove(path.as_bstr(), remake, None)?;
        }
        let untracked: Vec<BString> = self.untracked.iter().cloned().collect();
        let mut effect = Effect::of(self.place, self.tree, self.texts.overlay(), &untracked)?;
        effect.after += self.samples;
        let changes = Changes {
            files: self
                .texts
                .changes()
                .into_iter()
                .chain(self.taken_away)
                .collect(),
            moved: self.moved.into_iter().collect(),
            untracked: untracked.into_iter().chain(self.renamed).collect(),
        };
        may_change(self.place, &changes)?;
        Ok(Plan {
            steps: self.steps,
            left,
            changes,
            effect,
        })
    }
}

fn amount_of(finding: &Finding) -> Amount {
    Amount {
        files: finding.files,
        size: finding.size.unwrap_or_default(),
    }
}

/// # Errors
/// If a path is in conflict, or git is in the middle of something that touches it.
fn may_change(place: &Place, changes: &Changes) -> Result<()> {
    let Some(repository) = place.repository.as_ref().filter(|_| !changes.is_empty()) else {
        return Ok(());
    };
    let index = repository.index()?;
    let conflicted = |path: &&BString| {
        index
            .get(path.as_bstr())
            .is_some_and(|entry| entry.conflicted())
    };
    if let Some(path) = changes.paths().find(conflicted) {
        return Err(Error::Conflicted { path: path.clone() });
    }
    if let Some(under_way) = repository.under_way()?
        && let Some(path) = changes.paths().find(|path| under_way.paths.contains(*path))
    {
        return Err(Error::Unfinished {
            what: under_way.what,
            path: path.clone(),
        });
    }
    Ok(())
}
