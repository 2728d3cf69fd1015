use crate::context::Context;
use crate::render::{self, Paint};
use crate::report::EffectOut;
use crate::{put, putln};
use anyhow::Result;
use bstr::{BString, ByteSlice};
use clap::Args;
use redshank_core::effect::Effect;
use redshank_core::journal::{Changes, Journal, write_without_journal};
use redshank_core::rules::IGNORE_FILE;
use redshank_core::templates::{self, Wish, builtin, recognise};
use redshank_core::tree::{Overlay, Scope, Tree};
use std::process::ExitCode;

/// Write rules for the projects that are here, fitted to where each one is
#[derive(Args)]
pub struct Draft {
    /// Templates, as NAME or NAME@FOLDER; without any, those of the projects found
    #[arg(value_name = "NAME[@FOLDER]")]
    names: Vec<String>,
    /// Write what is shown
    #[arg(long)]
    write: bool,
}

impl Draft {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        let place = &context.place;
        let tree = Tree::walk(place, &Scope::default())?;
        let survey = recognise(place, &tree, builtin()?);
        let wishes = self.names.iter().map(|text| wish(context, text)).collect::<Result<Vec<_>>>()?;
        let draft = templates::Draft::compose(place, &tree, &survey, &wishes)?;
        let file = BString::from(IGNORE_FILE);
        let overlay = Overlay::from([(file.clone(), draft.after.clone())]);
        let effect = Effect::of(place, &tree, overlay, &[])?;
        if context.for_people() && !context.asked.quiet {
            put!("{}", text(&draft, &effect))?;
        }
        context.say_unread(&tree.unread);
        let changed = draft.before != draft.after;
        let told = self.write || context.has_somebody() && !context.asked.yes;
        let written = changed && told && context.confirm("Write it?")?;
        if written {
            let changes = Changes { writes: vec![(file, draft.after.clone())], untracked: Vec::new() };
            if place.repository.is_some() {
                Journal::of(place)?.apply("draft", &changes)?;
            } else {
                write_without_journal(place, &draft.after)?;
            }
        }
        if context.for_people() {
            putln!("{}", ending(place.repository.is_some(), changed, written))?;
        } else {
            let patterns = draft.blocks.iter().flat_map(|block| block.section.lines.iter());
            let rules = patterns.filter(|line| !line.starts_with(b"#")).map(|line| line.to_str_lossy().into_owned());
            render::json(&EffectOut::of(&place.top, rules.collect(), written, &effect))?;
        }
        Ok(ExitCode::SUCCESS)
    }
}

/// Reads `NAME` or `NAME@FOLDER`.
fn wish(context: &Context, text: &str) -> Result<Wish<'static>> {
    let (name, folder) = match text.split_once('@') {
        Some((name, folder)) => (name, Some(context.resolve(folder.as_ref())?)),
        None => (text, None),
    };
    Ok(Wish::of(&context.place, name, folder.as_ref().map(|folder| folder.as_bstr()))?)
}

fn text(draft: &templates::Draft, effect: &Effect) -> String {
    if draft.blocks.is_empty() {
        return format!("{}\n", Paint::Good.on("nothing to add: what the templates hold is there already, or covered"));
    }
    let mut text = render::diff(IGNORE_FILE, &draft.before, &draft.after);
    text += &render::effect(effect);
    let covered: usize = draft.blocks.iter().map(|block| block.covered).sum();
    if covered > 0 {
        text += &format!("{}\n", Paint::Quiet.on(format!("{covered} rules left out: covered by rules that are there")));
    }
    text
}

fn ending(repository: bool, changed: bool, written: bool) -> String {
    match (changed, written) {
        (false, _) => "nothing to write".to_owned(),
        (true, false) => format!("nothing was written; {} writes it", Paint::Type.on("redshank draft --write")),
        (true, true) if repository => {
            format!("{} {IGNORE_FILE}; {} takes it back", Paint::Good.on("wrote"), Paint::Type.on("redshank undo"))
        }
        (true, true) => format!(
            "{} {IGNORE_FILE}; this is not a repository yet, so taking it back means deleting the marked blocks",
            Paint::Good.on("wrote")
        ),
    }
}
