mod choose;
mod show;

use crate::cli::{DocumentFormat, GlobalArgs};
use crate::context::Context;
use crate::render::{self, Paint};
use crate::report::TidyOut;
use crate::{put, putln};
use anyhow::{Result, bail};
use choose::Choice;
use clap::Args;
use redshank_changes::journal::Journal;
use redshank_changes::plan::Plan;
use redshank_findings::{Finding, ScanOptions, scan};
use redshank_templates::Survey;
use redshank_worktree::{Class, Purpose};
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
    /// How the answer is written
    #[arg(long, value_enum, default_value_t)]
    format: DocumentFormat,
}

impl Tidy {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        context.recover(self.apply || context.is_interactive())?;
        let snapshot = &context.snapshot;
        if self.apply {
            snapshot.needs_repository(Purpose::Journal)?;
        }
        let survey = context.survey()?;
        let result = scan(snapshot, &survey, &ScanOptions::default())?;
        let findings = self.chosen(result.findings)?;
        let remove = self.remove.then_some(&survey);
        let mut plan = Plan::of(snapshot, findings.clone(), remove, self.with_samples())?;
        if context.speaks() {
            put!("{}", show::plan(&plan)?)?;
        }
        context.say_unread(&result.unread);
        let mut applied = false;
        if !plan.changes.is_empty() && snapshot.repository.is_some() {
            applied = self.apply;
            if context.is_interactive() && !args.yes {
                (plan, applied) = choose_from(&context, self, findings, plan, remove)?;
            }
        }
        if applied {
            Journal::of(snapshot)?.apply("tidy", &plan.changes)?;
        }
        if !context.for_people {
            render::json(&TidyOut::of(&snapshot.top, &plan, applied))?;
        } else if applied && context.speaks() {
            put!("{}", show::done(&plan)?)?;
        } else if context.speaks() && !plan.changes.is_empty() {
            let apply = Paint::Type.on("redshank tidy --apply");
            putln!("nothing was changed; {apply} does it")?;
        }
        Ok(ExitCode::SUCCESS)
    }

    /// Whether samples of environment files are a part of what is asked for.
    fn with_samples(&self) -> bool {
        self.only.is_empty() || self.only.contains(&Class::Secret)
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
            (self.only.is_empty() || self.only.contains(&finding.class()))
                && !self.skip.contains(&finding.id)
        };
        Ok(findings.into_iter().filter(is_chosen).collect())
    }
}

/// Lets a person choose; gives the plan for what is chosen, and whether it is to be done.
fn choose_from(
    context: &Context,
    tidy: &Tidy,
    findings: Vec<Finding>,
    plan: Plan,
    remove: Option<&Survey>,
) -> Result<(Plan, bool)> {
    let (mut findings, mut plan) = (findings, plan);
    loop {
        match choose::ask()? {
            Choice::All => return Ok((plan, true)),
            Choice::Nothing => return Ok((plan, false)),
            Choice::Difference => put!("{}", show::differences(&plan))?,
            Choice::Some => {
                let Some(left_out) = choose::left_out(&plan)? else {
                    continue;
                };
                findings.retain(|finding| !left_out.contains(&finding.id));
                let with_samples = tidy.with_samples();
                plan = Plan::of(&context.snapshot, findings.clone(), remove, with_samples)?;
                put!("{}", show::plan(&plan)?)?;
                if plan.changes.is_empty() {
                    return Ok((plan, false));
                }
            }
        }
    }
}
