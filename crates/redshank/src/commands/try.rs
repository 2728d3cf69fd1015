use super::found;
use crate::context::Context;
use crate::put;
use crate::render::{self, Paint, files, shown};
use crate::report::EffectOut;
use anyhow::Result;
use bstr::{BString, ByteSlice};
use clap::Args;
use redshank_core::effect::Effect;
use redshank_core::rules::{RuleList, Ruling, Source};
use redshank_core::tree::{Entry, Oracle, Overlay, Scope, State, Tree};
use std::ffi::OsString;
use std::process::ExitCode;

/// The effect of patterns, without writing them
#[derive(Args)]
pub struct Try {
    /// Patterns, as they would stand in an ignore file; `-` reads them from the standard input, one
    /// a line
    #[arg(required = true)]
    patterns: Vec<String>,
    /// Try them on these paths only, existing or not; ends with 1 if one of them is not ignored
    #[arg(long, value_name = "PATH", num_args = 1..)]
    on: Vec<OsString>,
    /// The folder whose ignore file they would stand in; without it, the top
    #[arg(long = "in", value_name = "FOLDER")]
    folder: Option<OsString>,
}

impl Try {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        let place = &context.place;
        let folder = match &self.folder {
            Some(folder) => context.resolve_folder(folder)?,
            None => BString::default(),
        };
        let patterns = self.patterns()?;
        let added = patterns.join("\n");
        let list = RuleList::parse(
            Source::of_folder(folder.clone()),
            added.as_bytes(),
            place.case(),
        );
        let mut contents = place.ignore_file(folder.as_bstr())?.unwrap_or_default();
        if !contents.is_empty() && !contents.ends_with(b"\n") {
            contents.push(b'\n');
        }
        contents.extend_from_slice(added.as_bytes());
        let overlay = Overlay::from([(list.source.shown.clone(), contents)]);
        if !self.on.is_empty() {
            return self.on_paths(context, overlay);
        }
        let before = Tree::walk(place, &Scope::default())?;
        let effect = Effect::of(place, &before, overlay, &[])?;
        if !context.for_people() {
            render::json(&EffectOut::of(&place.top, patterns, false, &effect))?;
            return Ok(ExitCode::SUCCESS);
        }
        let mut text = render::effect(&effect);
        if effect.kept_out.is_empty() && effect.let_in.is_empty() {
            text += &format!(
                "{}\n",
                Paint::Warn.on("changes nothing: no untracked file is decided differently")
            );
            text += &covered(&before, &list);
        }
        let tracked = before
            .in_state(State::Tracked)
            .filter(|entry| {
                let below = entry
                    .path
                    .strip_prefix(folder.as_slice())
                    .map(ByteSlice::as_bstr);
                below.is_some_and(|below| {
                    list.rules()
                        .iter()
                        .any(|rule| !rule.negated && rule.matches(below, false))
                })
            })
            .count();
        if tracked > 0 {
            let tracked = files(tracked as u64);
            text += &format!(
                "{}\n",
                Paint::Warn.on(format!("{tracked} matched without effect: tracked already"))
            );
        }
        text += &format!("{}\n", Paint::Quiet.on("nothing was written"));
        put!("{text}")?;
        context.say_unread(&before.unread);
        Ok(ExitCode::SUCCESS)
    }

    fn patterns(&self) -> Result<Vec<String>> {
        if self.patterns != ["-"] {
            return Ok(self.patterns.clone());
        }
        let text = std::io::read_to_string(std::io::stdin())?;
        Ok(text.lines().map(str::to_owned).collect())
    }

    /// The verdicts on single paths, with the patterns in force.
    fn on_paths(&self, context: &Context, overlay: Overlay) -> Result<ExitCode> {
        let oracle = Oracle::new(&context.place, overlay)?;
        let mut all_ignored = true;
        for given in &self.on {
            let path = context.resolve(given)?;
            let answer = oracle.ask(path.as_bstr())?;
            all_ignored &= answer
                .ruling
                .as_ref()
                .is_some_and(|ruling| ruling.ignores());
            if !context.asked.quiet {
                put!(
                    "{}",
                    super::why::text(&oracle, path.as_bstr(), path.as_bstr(), &answer)?
                )?;
            }
        }
        Ok(found(!all_ignored))
    }
}

/// The rules that keep out already what the patterns match.
fn covered(tree: &Tree, list: &RuleList) -> String {
    let matches = |entry: &&Entry| {
        let below = entry
            .path
            .strip_prefix(list.source.base.as_slice())
            .map(ByteSlice::as_bstr);
        below.is_some_and(|below| list.rules().iter().any(|rule| rule.reaches(below)))
    };
    let mut rulings: Vec<&Ruling> = tree
        .in_state(State::Ignored)
        .filter(matches)
        .filter_map(|e| e.ruling.as_ref())
        .collect();
    rulings.sort_by_key(|ruling| ruling.id());
    rulings.dedup_by_key(|ruling| ruling.id());
    let told = rulings.iter().map(|ruling| {
        let (source, rule) = (
            shown(ruling.source().shown.as_bstr()),
            shown(ruling.excerpt().as_bstr()),
        );
        format!(
            "covered already by {source}, line {}: {rule}\n",
            ruling.rule().line
        )
    });
    told.collect()
}
