//! Showing what a change of a rule file does, and making it.

use crate::context::Context;
use crate::render::{self, Paint, shown};
use crate::report::EffectOut;
use crate::{put, putln};
use anyhow::{Result, bail};
use bstr::ByteSlice;
use redshank_core::edit::Target;
use redshank_core::effect::Effect;
use redshank_core::journal::{Changes, Journal, write_without_journal};
use redshank_core::rules::Reach;
use redshank_core::tree::{Overlay, Tree};

/// A file of rules and what it would hold.
pub struct Rewrite {
    pub target: Target,
    pub after: Vec<u8>,
}

impl Rewrite {
    fn changes(&self) -> bool {
        self.target.contents.as_deref().unwrap_or_default() != self.after
    }

    /// Whether all that the file held stands at its start.
    fn adds_only(&self) -> bool {
        self.after
            .starts_with(self.target.contents.as_deref().unwrap_or_default())
    }
}

/// A change of rule files to be shown, and made if told.
pub struct Proposal<'a> {
    /// The command that makes it, for the journal.
    pub command: &'a str,
    /// It was told to write.
    pub told: bool,
    /// The tree as it is, walked with sizes.
    pub tree: &'a Tree,
    /// The rules that it is about.
    pub rules: Vec<String>,
    /// The files.
    pub files: Vec<Rewrite>,
    /// What else there is to know, each in a sentence.
    pub notes: Vec<String>,
}

impl Proposal<'_> {
    /// Shows the difference and its effect; writes it if told, after asking on a terminal.
    pub fn carry_out(self, context: &Context) -> Result<()> {
        let place = &context.place;
        let files = self.files.iter().filter(|file| file.changes());
        let overlay: Overlay = files
            .map(|file| (file.target.source.shown.clone(), file.after.clone()))
            .collect();
        let effect = Effect::of(place, self.tree, overlay, &[])?;
        let changed = self.files.iter().any(Rewrite::changes);
        if changed && context.for_people() && !context.asked.quiet {
            for Rewrite { target, after } in &self.files {
                let before = target.contents.clone().unwrap_or_default();
                put!(
                    "{}",
                    render::diff(&shown(target.source.shown.as_bstr()), &before, after)
                )?;
            }
            put!("{}", render::effect(&effect))?;
        }
        if context.for_people() && !context.asked.quiet {
            self.notes
                .iter()
                .try_for_each(|note| putln!("{}", Paint::Quiet.on(note)))?;
        }
        context.say_unread(&self.tree.unread);
        let told = self.told || context.has_somebody() && !context.asked.yes;
        let written = changed && told && context.confirm("Write it?")?;
        if written {
            write(context, self.command, &self.files)?;
        }
        if context.for_people() {
            putln!("{}", ending(place.repository.is_some(), changed, written))?;
        } else {
            let out = EffectOut::of(&place.top, self.rules, written, &effect);
            render::json(&EffectOut {
                notes: self.notes,
                ..out
            })?;
        }
        Ok(())
    }
}

fn ending(repository: bool, changed: bool, written: bool) -> String {
    match (changed, written) {
        (false, _) => "nothing to write".to_owned(),
        (true, false) => format!(
            "nothing was written; {} writes it",
            Paint::Type.on("--write")
        ),
        (true, true) if repository => {
            format!(
                "{}; {} takes it back",
                Paint::Good.on("written"),
                Paint::Type.on("redshank undo")
            )
        }
        (true, true) => format!(
            "{}; this is not a repository yet, so taking it back means deleting the new lines",
            Paint::Good.on("written")
        ),
    }
}

fn write(context: &Context, command: &str, files: &[Rewrite]) -> Result<()> {
    let place = &context.place;
    if place.repository.is_some() {
        let changed = files
            .iter()
            .filter(|file| file.changes())
            .map(|file| file.target.change(file.after.clone()));
        return Ok(Journal::of(place)?.apply(command, &Changes::of_files(changed.collect()))?);
    }
    match files {
        // Without a journal nothing may be taken out: what stood there would be gone.
        [one] if one.target.source.reach == Reach::Team && one.adds_only() => Ok(
            write_without_journal(place, &one.target.change(one.after.clone()))?,
        ),
        _ => {
            bail!(
                "outside a repository lines can only be added, to the ignore file at the top\n  run `git init` first"
            )
        }
    }
}
