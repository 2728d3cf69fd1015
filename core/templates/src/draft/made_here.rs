//! Rules for what is here because a tool made it, and that no template names.

use crate::draft::Composer;
use crate::draft::drafted_file::NewBlock;
use crate::draft::section::DraftLine;
use crate::{Declined, Heading, NeededPaths, Result, is_keep_file};
use bstr::{BStr, ByteSlice};
use rayon::prelude::*;
use redshank_origin::{Judgement, Judgements, MadePlace, Origin, Strength};
use redshank_rules::ignore_file::MADE_HERE;
use redshank_rules::{RepoPath, exactly};
use redshank_worktree::Verdicts;
use redshank_worktree::tree::{EntryKind, State};

impl Composer<'_, '_> {
    /// A block of rules for what the evidence says is made.
    pub(crate) fn add_made_here(&mut self) -> Result<()> {
        let verdicts = Verdicts::new(self.snapshot, self.overlay())?;
        let judgements = Judgements::hear_neighbours(self.judge_open(&verdicts)?);
        let is_covered = |path: &RepoPath| {
            let answer = verdicts.query(path);
            answer.is_ok_and(|answer| answer.state == State::Ignored)
        };
        let places = judgements.made_places(Strength::Likely, |path| !is_covered(path));
        let links = self.links_to_made(&verdicts, &places)?;
        let lines: Vec<DraftLine> = places
            .into_iter()
            .map(|place| {
                let reason = place.judgement.reason();
                let reason = reason.map_or_else(String::new, redshank_origin::Evidence::summary);
                DraftLine::certain(place.pattern, heading_of(&place.judgement), reason)
            })
            .chain(links)
            .collect();
        if lines.is_empty() {
            return Ok(());
        }
        self.certain
            .extend(lines.iter().map(|line| line.pattern.clone()));
        let block = NewBlock::of_lines(MADE_HERE.to_owned(), lines);
        self.push(RepoPath::top(), block)
    }
}

impl<'s> Composer<'s, '_> {
    /// Judges each file of the tree by itself, but those that rules ignore, now or with the draft,
    /// and those that a person or a template wants.
    fn judge_open(&self, verdicts: &Verdicts) -> Result<Vec<(&'s RepoPath, Judgement)>> {
        let needed = NeededPaths::collect(&self.survey.projects);
        let declined = Declined::collect(self.survey);
        let files = self.snapshot.tree()?.entries.par_iter();
        let files = files.filter(|entry| entry.kind == EntryKind::File);
        let judged = files.map(|entry| {
            let path: &RepoPath = &entry.path;
            if entry.state == State::Ignored {
                return Ok((path, Judgement::by_template(Origin::Generated)));
            }
            if entry.state == State::Tracked
                || is_keep_file(path.name())
                || needed.has(path)
                || declined.has(path)
                || self.survey.matches.re_includes(path)
                || self.as_it_is.is_re_included(path)?
            {
                return Ok((path, Judgement::by_policy()));
            }
            // What a template's rule happens to ignore outside of its project vouches for its
            // neighbours as it does where the rule isn't written.
            let claim = self.survey.matches.claim(path);
            let judgement = match claim {
                Some(_) if verdicts.query(path)?.state == State::Ignored => {
                    Judgement::by_template(Origin::Generated)
                }
                claim => self.around.judge_entry(entry, claim.as_ref()),
            };
            Ok((path, judgement))
        });
        judged.collect()
    }
}

impl Composer<'_, '_> {
    /// Links to what is ignored or made here, and out of the repository to a place on this machine.
    fn links_to_made(&self, verdicts: &Verdicts, places: &[MadePlace]) -> Result<Vec<DraftLine>> {
        let mut lines = Vec::new();
        for entry in &self.snapshot.tree()?.entries {
            if entry.kind != EntryKind::Link
                || entry.state != State::Candidate
                || verdicts.query(&entry.path)?.state == State::Ignored
                || self.as_it_is.is_re_included(&entry.path)?
                || self.survey.matches.re_includes(&entry.path)
            {
                continue;
            }
            let Ok(target) = self.snapshot.root.link_target(&entry.path) else {
                continue;
            };
            // A link into the repository by its whole path is to be made relative.
            let is_inside = target.to_path_lossy().starts_with(&self.snapshot.top);
            let (heading, reason) = if target.starts_with(b"/") && !is_inside {
                (Heading::Local, "links to a place on one machine")
            } else if self.is_made_target(verdicts, places, &entry.path, target.as_bstr())? {
                (Heading::Built, "links to what a tool made")
            } else {
                continue;
            };
            let pattern = exactly(&entry.path);
            lines.push(DraftLine::certain(pattern, heading, reason.to_owned()));
        }
        Ok(lines)
    }

    fn is_made_target(
        &self,
        verdicts: &Verdicts,
        places: &[MadePlace],
        link: &RepoPath,
        target: &BStr,
    ) -> Result<bool> {
        let Some(path) = link.folder().resolve(target) else {
            return Ok(false);
        };
        let as_folder = path.as_folder();
        let is_ignored =
            |path: &RepoPath| -> Result<bool> { Ok(verdicts.query(path)?.state == State::Ignored) };
        let is_made = places.iter().any(|place| {
            path == place.path || path.is_within(&place.path) || as_folder == place.path
        });
        Ok(is_made || is_ignored(&path)? || is_ignored(&as_folder)?)
    }
}

fn heading_of(judgement: &Judgement) -> Heading {
    match judgement.origin {
        Origin::Installed => Heading::Dependencies,
        Origin::Local => Heading::Local,
        _ => Heading::Built,
    }
}
