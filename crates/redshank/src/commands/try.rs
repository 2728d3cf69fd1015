use crate::context::Context;
use crate::put;
use crate::render::{self, Paint, files, shown};
use crate::report::EffectOut;
use anyhow::{Result, bail};
use bstr::{BString, ByteSlice};
use clap::Args;
use redshank_core::effect::Effect;
use redshank_core::rules::{RuleList, Source};
use redshank_core::tree::{Overlay, Scope, State, Tree};
use std::ffi::OsString;
use std::process::ExitCode;

/// The effect of patterns, without writing them
#[derive(Args)]
pub struct Try {
    /// Patterns, as they would stand in an ignore file; one that starts with `-` goes behind `--`
    #[arg(required = true)]
    patterns: Vec<String>,
    /// The folder whose ignore file they would stand in; without it, the top
    #[arg(long = "in", value_name = "FOLDER")]
    folder: Option<OsString>,
}

impl Try {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        let place = &context.place;
        let mut folder = match &self.folder {
            Some(folder) => context.resolve(folder)?,
            None => BString::default(),
        };
        if !folder.is_empty() && !folder.ends_with(b"/") {
            folder.push(b'/');
        }
        if !place.path(folder.as_bstr()).is_dir() {
            bail!("{} is not a folder\n  name one that exists", shown(folder.as_bstr()));
        }
        let added = self.patterns.join("\n");
        let list = RuleList::parse(Source::of_folder(folder.clone()), added.as_bytes(), place.case());
        let mut contents = place.ignore_file(folder.as_bstr())?.unwrap_or_default();
        if !contents.is_empty() && !contents.ends_with(b"\n") {
            contents.push(b'\n');
        }
        contents.extend_from_slice(added.as_bytes());
        let before = Tree::walk(place, &Scope::default())?;
        let overlay = Overlay::from([(list.source.shown.clone(), contents)]);
        let effect = Effect::of(place, &before, overlay, &[])?;
        if !context.for_people() {
            render::json(&EffectOut::of(&place.top, self.patterns.clone(), false, &effect))?;
            return Ok(ExitCode::SUCCESS);
        }
        let mut text = render::effect(&effect);
        if effect.kept_out.is_empty() && effect.let_in.is_empty() {
            text += &format!("{}\n", Paint::Warn.on("changes nothing: no untracked file is decided differently"));
        }
        let tracked = before
            .in_state(State::Tracked)
            .filter(|entry| {
                let below = entry.path.strip_prefix(folder.as_slice()).map(ByteSlice::as_bstr);
                below.is_some_and(|below| list.rules().iter().any(|rule| !rule.negated && rule.matches(below, false)))
            })
            .count();
        if tracked > 0 {
            let tracked = files(tracked as u64);
            text += &format!("{}\n", Paint::Warn.on(format!("{tracked} matched without effect: tracked already")));
        }
        text += &format!("{}\n", Paint::Quiet.on("nothing was written"));
        put!("{text}")?;
        context.say_unread(&before.unread);
        Ok(ExitCode::SUCCESS)
    }
}
