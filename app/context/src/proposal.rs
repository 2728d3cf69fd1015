//! The one way in which commands write files of rules and settings: the difference and its effect
//! are shown, somebody is asked, and it is written through the journal.

use crate::Context;
use crate::ask;
use anyhow::Result;
use bstr::ByteSlice;
use redshank_changes::{Edit, attributes_overlay_of, effect_of, write};
use redshank_output::{self as output, pager, put, putln, screen, wrapped};
use redshank_report::Outcome;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_text::{Paint, count, shown};
use redshank_worktree::attributes::{AttributeChange, AttributeEffect};
use redshank_worktree::effect::Effect;
use std::collections::HashSet;

/// Edits to be shown, and made if the person says so.
pub struct Proposal<'a> {
    /// The command that makes them, for the journal.
    pub command: &'a str,
    /// `--write` was given.
    pub write: bool,
    /// It is about rules: what it does to the next commit is reported.
    pub on_rules: bool,
    /// The files.
    pub edits: Vec<Edit>,
    /// What else there is to know, each in a sentence.
    pub notes: Vec<String>,
    /// What stands for the difference where that is too long for the screen and somebody can ask
    /// for it.
    pub summary: Option<String>,
}

impl Proposal<'_> {
    /// Shows the edits and their effect; writes them if told, after asking on a terminal. For
    /// programs nothing is said here.
    pub fn carry_out(mut self, context: &Context) -> Result<Outcome> {
        let snapshot = &context.snapshot;
        if self.write {
            screen::ignore_broken_pipe();
        }
        let effect = if self.on_rules {
            effect_of(snapshot, &self.edits)?
        } else {
            Effect::default()
        };
        let overlay = attributes_overlay_of(&self.edits);
        let attributes = if overlay.is_empty() || snapshot.repository.is_none() {
            AttributeEffect::default()
        } else {
            AttributeEffect::compute(snapshot, overlay)?
        };
        self.notes.extend(renormalized(context, &attributes)?);
        let is_change = self.edits.iter().any(Edit::is_change);
        let told = self.write || context.is_interactive() && !context.args.yes;
        let asks = is_change && told && context.asks();
        let difference = self.difference();
        // What is too long for the screen is shown when somebody asks for it.
        let is_summed_up = asks && pager::is_long(difference.lines().count());
        if context.speaks() {
            let summary = self.summary.clone().unwrap_or_else(|| self.sums());
            let change = if is_summed_up { &summary } else { &difference };
            self.show(is_change, change, &effect, &attributes)?;
        } else if context.for_people && self.on_rules && is_change {
            put!("{}", output::sums(&effect))?;
        }
        if self.on_rules {
            context.say_unread(&snapshot.tree()?.unread);
        }
        let written = is_change && told && may_write(context, is_summed_up, &difference)?;
        if written {
            write(snapshot, &context.journal_name(self.command), &self.edits)?;
        }
        if context.for_people {
            let has_journal = snapshot.repository.is_some();
            putln!("{}", last_line(has_journal, is_change, written))?;
        }
        Ok(Outcome {
            written,
            effect,
            attributes,
            notes: self.notes,
        })
    }

    /// What changes in the files.
    fn difference(&self) -> String {
        let edits = self.edits.iter();
        let edits = edits.filter(|edit| edit.is_for_people && edit.is_change());
        let differences = edits.map(|edit| {
            let before = edit.before.as_deref().unwrap_or_default();
            let name = shown(edit.shown.as_bstr());
            output::diff(&name, before, &edit.after)
        });
        differences.collect()
    }

    /// How many lines change in each file.
    fn sums(&self) -> String {
        let edits = self.edits.iter();
        let edits = edits.filter(|edit| edit.is_for_people && edit.is_change());
        let sums = edits.map(|edit| {
            let before = edit.before.as_deref().unwrap_or_default();
            let name = shown(edit.shown.as_bstr());
            output::diff_sums(&name, before, &edit.after)
        });
        sums.collect()
    }

    fn show(
        &self,
        is_change: bool,
        difference: &str,
        effect: &Effect,
        attributes: &AttributeEffect,
    ) -> Result<()> {
        if is_change {
            put!("{difference}")?;
            if self.on_rules {
                put!("{}", output::effect(effect))?;
            }
            put!("{}", output::attribute_effect(attributes))?;
        }
        for note in &self.notes {
            putln!("{}", Paint::Quiet.on(wrapped(note)))?;
        }
        Ok(())
    }
}

/// The tracked files that git would write again because their line endings are to be others.
fn renormalized(context: &Context, effect: &AttributeEffect) -> Result<Option<String>> {
    let is_text =
        |change: &&AttributeChange| change.name == "text" && change.after != change.before;
    let changed = effect.changes.iter().filter(is_text);
    let changed: HashSet<&RepoPathBuf> = changed.flat_map(|change| &change.paths).collect();
    let Some(repository) = context.snapshot.repository.as_ref() else {
        return Ok(None);
    };
    if changed.is_empty() {
        return Ok(None);
    }
    let index = context.snapshot.index()?;
    let crlf = repository.with_crlf()?.into_iter().filter(|path| {
        let path = RepoPath::new(path);
        changed.contains(&path.to_owned()) && index.get(path.as_bstr()).is_some()
    });
    let many = crlf.count() as u64;
    Ok((many > 0).then(|| {
        format!(
            "{} with CRLF line endings: `git add --renormalize .` stores them with LF",
            files_tracked(many)
        )
    }))
}

fn files_tracked(many: u64) -> String {
    let noun = if many == 1 { "file is" } else { "files are" };
    format!("{} {noun} tracked", count(many))
}

/// What an answer is where the difference was summed up.
const NO_YES_OR_DIFFERENCE: &[ask::Answer] =
    &[('n', "no"), ('y', "yes"), ('d', "see the whole difference")];

/// Asks before it is written, where there is somebody to ask.
fn may_write(context: &Context, is_summed_up: bool, difference: &str) -> Result<bool> {
    if !is_summed_up {
        return context.confirm("Write it?");
    }
    loop {
        match ask::one_of("Write it?", NO_YES_OR_DIFFERENCE)? {
            Some('y') => return Ok(true),
            Some('d') => screen::page(difference)?,
            _ => return Ok(false),
        }
    }
}

fn last_line(has_journal: bool, is_change: bool, written: bool) -> String {
    let done = Paint::Good.on("written");
    match (is_change, written) {
        (false, _) => "nothing to write".to_owned(),
        (true, false) => {
            let write = Paint::Type.on("--write");
            format!("nothing was written; {write} writes it")
        }
        (true, true) if has_journal => {
            format!("{done}; {} undoes it", Paint::Type.on("redshank undo"))
        }
        (true, true) => {
            format!("{done}; this is not a repository yet, so undo it by deleting the new lines")
        }
    }
}
