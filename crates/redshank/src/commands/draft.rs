use super::write::{Proposal, Rewrite};
use crate::context::Context;
use crate::putln;
use crate::render::Paint;
use anyhow::Result;
use bstr::ByteSlice;
use clap::Args;
use redshank_core::edit::Target;
use redshank_core::rules::Reach;
use redshank_core::templates::{self, Wish, builtin, recognise};
use redshank_core::tree::{Scope, Tree};
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
        let covered: usize = draft.blocks.iter().map(|block| block.covered).sum();
        if covered > 0 && context.for_people() && !context.asked.quiet {
            let covered = format!("{covered} rules are left out: the rules that are there cover them");
            putln!("{}", Paint::Quiet.on(covered))?;
        }
        let lines = draft.blocks.iter().flat_map(|block| block.section.lines.iter());
        let rules = lines.filter(|line| !line.starts_with(b"#")).map(|line| line.to_str_lossy().into_owned()).collect();
        let target = Target::of(place, Reach::Team, b"".into())?;
        let files = vec![Rewrite { target, after: draft.after }];
        Proposal { command: "draft", told: self.write, tree: &tree, rules, files }.carry_out(context)?;
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
