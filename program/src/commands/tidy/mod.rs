mod choose;
mod show;

use anyhow::{Result, bail};
use choose::Choice;
use clap::{Args, ValueEnum};
use redshank_changes::journal::Journal;
use redshank_changes::plan::{LargeFiles, Plan, PlanOptions};
use redshank_context::{Context, GlobalArgs, values};
use redshank_findings::{Finding, scan};
use redshank_output::{self as output, put, putln};
use redshank_report::{DOCUMENT, OutputFormat, TidyOut};
use redshank_templates::Survey;
use redshank_text::Paint;
use redshank_worktree::Class;
use std::process::ExitCode;

/// Plan the fixes for the findings and apply them; no file is ever deleted
#[derive(Args)]
pub struct Tidy {
    /// Do what the plan says
    #[arg(long)]
    apply: bool,
    /// Only findings of these classes
    #[arg(long, value_name = "CLASS", value_delimiter = ',', value_parser = values::class())]
    only: Vec<Class>,
    /// Leave these findings out; `redshank check --ids` shows the ids
    #[arg(long, value_name = "ID", value_delimiter = ',', add = values::findings())]
    skip: Vec<String>,
    /// Also move out of the way what is generated and can be made again; `redshank undo` brings it
    /// back
    #[arg(long)]
    remove: bool,
    /// What to do about files and folders too large for git; without it, large-file storage where
    /// it is set up and fits, else a rule
    #[arg(long, value_enum, value_name = "WAY")]
    large: Option<LargeArg>,
    /// Instead, normalize line endings: the general line of .gitattributes, at its top
    #[arg(
        long = "line-endings",
        alias = "line-ends",
        conflicts_with_all = ["only", "skip", "remove", "large"]
    )]
    line_ends: bool,
    /// How the answer is written
    #[arg(long, value_parser = DOCUMENT.parser(), default_value = "text")]
    format: OutputFormat,
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum LargeArg {
    /// Rules ignore them
    #[value(alias = "keep-out")]
    Ignore,
    /// All files of their types go to large-file storage
    StoreType,
    /// All files of their folders go to large-file storage
    StoreFolder,
    /// They stay in git
    Keep,
}

impl From<LargeArg> for LargeFiles {
    fn from(large: LargeArg) -> Self {
        match large {
            LargeArg::Ignore => Self::Ignore,
            LargeArg::StoreType => Self::StoreType,
            LargeArg::StoreFolder => Self::StoreFolder,
            LargeArg::Keep => Self::Keep,
        }
    }
}

impl Tidy {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        context.begin_change(self.apply)?;
        let snapshot = &context.snapshot;
        let survey = context.survey()?;
        let result = scan(snapshot, &survey, &context.scan_options())?;
        let findings = if self.line_ends {
            Vec::new()
        } else {
            self.chosen(result.findings)?
        };
        let options = self.plan_options(&survey);
        let mut plan = Plan::build(snapshot, findings.clone(), options)?;
        if context.speaks() {
            put!("{}", show::plan(&plan)?)?;
        }
        context.say_unread(&result.unread);
        let mut applied = false;
        if !plan.changes.is_empty() && snapshot.repository.is_some() {
            applied = self.apply;
            if context.is_interactive() && !args.yes {
                (plan, applied) = choose_from(&context, options, findings, plan)?;
            }
        }
        if applied {
            Journal::open(snapshot)?.apply(&context.journal_name("tidy"), &plan.changes)?;
        }
        if !context.for_people {
            output::json(&TidyOut::new(&snapshot.top, &plan, applied))?;
        } else if applied && context.speaks() {
            put!("{}", show::done(&plan)?)?;
        } else if context.speaks() && !plan.changes.is_empty() {
            let apply = Paint::Type.on("redshank tidy --apply");
            putln!("nothing was changed; {apply} does it")?;
        }
        Ok(ExitCode::SUCCESS)
    }

    fn plan_options<'a>(&self, survey: &'a Survey<'a>) -> PlanOptions<'a> {
        PlanOptions {
            remove: self.remove.then_some(survey),
            // Samples of environment files are a part of what is asked for about secrets.
            with_samples: !self.line_ends
                && (self.only.is_empty() || self.only.contains(&Class::Secret)),
            large: self.large.map(Into::into),
            line_ends: self.line_ends,
        }
    }

    /// The findings that are to be corrected.
    fn chosen(&self, findings: Vec<Finding>) -> Result<Vec<Finding>> {
        if let Some(unknown) = self
            .skip
            .iter()
            .find(|id| !findings.iter().any(|finding| finding.id == **id))
        {
            bail!(
                "there is no finding `{unknown}` to skip\n  `redshank check --ids` shows the ids"
            );
        }
        Ok(findings
            .into_iter()
            .filter(|finding| {
                (self.only.is_empty() || self.only.contains(&finding.class()))
                    && !self.skip.contains(&finding.id)
            })
            .collect())
    }
}

/// Lets a person choose; returns the plan for what is chosen, and whether it is to be done.
fn choose_from(
    context: &Context,
    options: PlanOptions,
    findings: Vec<Finding>,
    plan: Plan,
) -> Result<(Plan, bool)> {
    let (mut findings, mut plan) = (findings, plan);
    loop {
        match choose::ask()? {
            Choice::All => return Ok((plan, true)),
            Choice::Nothing => return Ok((plan, false)),
            Choice::Difference => output::screen::page(&show::differences(&plan))?,
            Choice::Some => {
                let Some(left_out) = choose::left_out(&plan)? else {
                    continue;
                };
                findings.retain(|finding| !left_out.contains(&finding.id));
                plan = Plan::build(&context.snapshot, findings.clone(), options)?;
                put!("{}", show::plan(&plan)?)?;
                if plan.changes.is_empty() {
                    return Ok((plan, false));
                }
            }
        }
    }
}
