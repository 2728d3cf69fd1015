use super::add::ReachArgs;
use super::write::{Proposal, Rewrite};
use crate::context::Context;
use crate::render::shown;
use anyhow::{Result, bail};
use bstr::{BStr, ByteSlice};
use clap::Args;
use redshank_core::tree::{Scope, Tree};
use std::process::ExitCode;

/// Take a rule out, after showing what that does
#[derive(Args)]
pub struct Drop {
    /// Patterns, as they stand in the file; one that starts with `-` goes behind `--`
    #[arg(required = true)]
    patterns: Vec<String>,
    #[command(flatten)]
    reach: ReachArgs,
    /// Write what is shown
    #[arg(long)]
    write: bool,
}

impl Drop {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        context.recover(self.write || context.has_somebody())?;
        let before = self.reach.target(context)?;
        let mut target = before.clone();
        for pattern in &self.patterns {
            let Some(after) = target.without(BStr::new(pattern)) else {
                let file = shown(before.source.shown.as_bstr());
                bail!(
                    "no line of {file} holds `{pattern}`\n  `redshank rules` lists all rules with their files; --for and --in choose the file"
                );
            };
            target.contents = Some(after);
        }
        let after = target.contents.unwrap_or_default();
        let tree = Tree::walk(&context.place, &Scope::default())?;
        let files = vec![Rewrite {
            target: before,
            after,
        }];
        let rules = self.patterns.clone();
        Proposal {
            command: "drop",
            told: self.write,
            tree: &tree,
            rules,
            files,
            notes: Vec::new(),
        }
        .carry_out(context)?;
        Ok(ExitCode::SUCCESS)
    }
}
