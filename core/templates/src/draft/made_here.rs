//! Rules for what is here because a tool made it, and that no template names.

use crate::draft::Composer;
use crate::draft::drafted_file::NewBlock;
use crate::draft::section::DraftLine;
use crate::{Declined, Heading, NeededPaths, Result, is_keep_file};
use redshank_origin::{Judgement, Judgements, Origin, Strength};
use redshank_rules::RepoPath;
use redshank_rules::ignore_file::MADE_HERE;
use redshank_worktree::Verdicts;
use redshank_worktree::tree::{EntryKind, State};

impl Composer<'_, '_> {
    /// A block of rules for what the evidence says is made.
    pub(crate) fn add_made_here(&mut self) -> Result<()> {
        let entries = self.snapshot.tree()?.entries.iter();
        let verdicts = Verdicts::new(self.snapshot, self.overlay())?;
        let needed = NeededPaths::collect(&self.survey.projects);
        let declined = Declined::collect(self.survey);
        let mut files: Vec<(&RepoPath, Judgement)> = Vec::new();
        let mut open = Vec::new();
        for entry in entries.filter(|entry| entry.kind == EntryKind::File) {
            let path: &RepoPath = &entry.path;
            if entry.state == State::Ignored {
                files.push((path, Judgement::by_template(Origin::Generated)));
            } else if entry.state == State::Tracked
                || is_keep_file(path.name())
                || needed.has(path)
                || declined.has(path)
                || self.survey.matches.re_includes(path)
                || self.as_it_is.is_re_included(path)?
            {
                files.push((path, Judgement::by_policy()));
            } else if verdicts.query(path)?.state == State::Ignored {
                files.push((path, Judgement::by_template(Origin::Generated)));
            } else {
                open.push((entry, self.survey.matches.claim(path)));
            }
        }
        files.extend(self.around.judge_all(open));
        let judgements = Judgements::hear_neighbours(files);
        let lines: Vec<DraftLine> = judgements
            .made_places(Strength::Likely)
            .into_iter()
            .map(|place| {
                let reason = place.judgement.reason();
                let reason = reason.map_or_else(String::new, redshank_origin::Evidence::summary);
                DraftLine::certain(place.pattern, heading_of(&place.judgement), reason)
            })
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

fn heading_of(judgement: &Judgement) -> Heading {
    match judgement.origin {
        Origin::Installed => Heading::Dependencies,
        Origin::Local => Heading::Local,
        _ => Heading::Built,
    }
}
