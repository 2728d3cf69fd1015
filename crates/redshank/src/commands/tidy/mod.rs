mod choose;
mod show;

use crate::context::Context;
use crate::render::{self, Paint};
use crate::report::TidyOut;
use crate::{put, putln};
use anyhow::{Result, bail};
use choose::Choice;
use clap::Args;
use redshank_core::Error;
use redshank_core::findings::{self, Class, Finding};
use redshank_core::journal::Journal;
use redshank_core::plan::Plan;
use redshank_core::templates::{Survey, recognise};
use redshank_core::tree::{Scope, Tree};
use std::process::ExitCode;

/// The plan that mends the findings; nothing is ever deleted by it
#[derive(Args)]
pub struct Tidy {
    /// Do what the plan says
    #[arg(long)]
    apply: bool,
    /// Only findings of these classes
    #[arg(long, value_name = "CLASS", value_delimiter = ',', value_parser = super::check::class)]
    only: Vec<Class>,
    /// Leave these findings out; `redshank check -v` shows the ids
    #[arg(long, value_name = "ID", value_delimiter = ',')]
    skip: Vec<String>,
    /// Also move out of the way what is generated and can be made again; `redshank undo` brings it
    /// back
    #[arg(long)]
    remove: bool,
}

impl Tidy {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        context.recover(self.apply || context.has_somebody())?;
        let place = &context.place;
        if self.apply && place.repository.is_none() {
            let what = "a journal that makes undo possible lies in the git folder";
            return Err(Error::NoRepository {
                top: place.top.clone(),
                what,
            }
            .into());
        }
        let tree = Tree::walk(place, &Scope::default())?;
        let collection = context.collection()?;
        let survey = recognise(place, &tree, &collection);
        let found = findings::find(place, &tree, &survey, &context.settings()?)?;
        let findings = self.chosen(found.findings)?;
        let remove = self.remove.then_some(&survey);
        let mut plan = Plan::of(place, &tree, findings.clone(), remove)?;
        let speaks = context.for_people() && !context.asked.quiet;
        if speaks {
            put!("{}", show::plan(&plan)?)?;
        }
        context.say_unread(&found.unread);
        let applied = if plan.changes.is_empty() || place.repository.is_none() {
            false
        } else if context.asked.yes || !context.has_somebody() {
            self.apply
        } else {
            let told;
            (plan, told) = choose_from(context, &tree, findings, remove, plan)?;
            told
        };
        if applied {
            Journal::of(place)?.apply("tidy", &plan.changes)?;
        }
        if !context.for_people() {
            render::json(&TidyOut::of(&place.top, &plan, applied))?;
        } else if applied && speaks {
            put!("{}", show::done(&plan)?)?;
        } else if speaks && !plan.changes.is_empty() {
            putln!(
                "nothing was changed; {} does it",
                Paint::Type.on("redshank tidy --apply")
            )?;
        }
        Ok(ExitCode::SUCCESS)
    }

    /// The findings that are to be mended.
    fn chosen(&self, findings: Vec<Finding>) -> Result<Vec<Finding>> {
        if let Some(unknown) = self
            .skip
            .iter()
            .find(|id| !findings.iter().any(|finding| finding.id == **id))
        {
            bail!("there is no finding `{unknown}` to skip\n  `redshank check -v` shows the ids");
        }
        let is_chosen = |finding: &Finding| {
            (self.only.is_empty() || self.only.contains(&finding.class))
                && !self.skip.contains(&finding.id)
        };
        Ok(findings.into_iter().filter(is_chosen).collect())
    }
}

/// Lets a person choose; gives the plan for what is chosen, and whether it is to be done.
fn choose_from(
    context: &Context,
    tree: &Tree,
    findings: Vec<Finding>,
    remove: Option<&Survey>,
    plan: Plan,
) -> Result<(Plan, bool)> {
    let (mut findings, mut plan) = (findings, plan);
    loop {
        match choose::ask()? {
            Choice::All => return Ok((plan, true)),
            Choice::Nothing => return Ok((plan, false)),
            Choice::Difference => put!("{}", show::differences(&plan))?,
            Choice::Some => {
                let left_out = choose::left_out(&plan)?;
                findings.retain(|finding| !left_out.contains(&finding.id));
                plan = Plan::of(&context.place, tree, findings.clone(), remove)?;
                put!("{}", show::plan(&plan)?)?;
                if plan.changes.is_empty() {
                    return Ok((plan, false));
                }
            }
        }
    }
}
