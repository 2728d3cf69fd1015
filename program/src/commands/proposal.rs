//! The one way in which commands write files of rules and settings: the difference and its effect
//! are shown, somebody is asked, and it is written through the journal.

use crate::context::Context;
use crate::render::{self, Paint, shown};
use crate::{put, putln};
use anyhow::Result;
use bstr::ByteSlice;
use redshank_changes::{Edit, overlay_of, write};
use redshank_worktree::effect::Effect;

/// Edits to be shown, and made if the person says so.
pub struct Proposal<'a> {
    /// The command that makes them, for the journal.
    pub command: &'a str,
    /// `--write` was given.
    pub write: bool,
    /// It is about rules: what it does to the next commit is told.
    pub on_rules: bool,
    /// The files.
    pub edits: Vec<Edit>,
    /// What else there is to know, each in a sentence.
    pub notes: Vec<String>,
}

/// What came of a proposal.
pub struct Outcome {
    /// Whether it was written.
    pub written: bool,
    /// What the edits do to the next commit.
    pub effect: Effect,
    /// The notes again.
    pub notes: Vec<String>,
}

impl Proposal<'_> {
    /// Shows the edits and their effect; writes them if told, after asking on a terminal. For
    /// programs nothing is said here.
    pub fn carry_out(self, context: &Context) -> Result<Outcome> {
        let snapshot = &context.snapshot;
        let effect = match self.on_rules {
            true => Effect::of(snapshot, snapshot.tree()?, overlay_of(&self.edits), &[])?,
            false => Effect::default(),
        };
        let is_change = self.edits.iter().any(Edit::is_change);
        if context.speaks() {
            self.show(is_change, &effect)?;
        }
        if self.on_rules {
            context.say_unread(&snapshot.tree()?.unread);
        }
        let told = self.write || context.is_interactive() && !context.args.yes;
        let written = is_change && told && context.confirm("Write it?")?;
        if written {
            write(snapshot, self.command, &self.edits)?;
        }
        if context.for_people {
            let has_journal = snapshot.repository.is_some();
            putln!("{}", last_line(has_journal, is_change, written))?;
        }
        Ok(Outcome {
            written,
            effect,
            notes: self.notes,
        })
    }

    fn show(&self, is_change: bool, effect: &Effect) -> Result<()> {
        if is_change {
            for edit in self.edits.iter().filter(|edit| edit.is_for_people) {
                let before = edit.before.as_deref().unwrap_or_default();
                let name = shown(edit.shown.as_bstr());
                put!("{}", render::diff(&name, before, &edit.after))?;
            }
            if self.on_rules {
                put!("{}", render::effect(effect))?;
            }
        }
        for note in &self.notes {
            putln!("{}", Paint::Quiet.on(note))?;
        }
        Ok(())
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
            format!("{done}; {} takes it back", Paint::Type.on("redshank undo"))
        }
        (true, true) => format!(
            "{done}; this is not a repository yet, so taking it back means deleting the new lines"
        ),
    }
}
