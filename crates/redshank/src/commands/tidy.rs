use crate::context::Context;
use crate::render::{self, Align, Cell, Paint, Table, files, level_paint, shown};
use crate::report::TidyOut;
use crate::{put, putln};
use anyhow::{Result, bail};
use bstr::ByteSlice;
use clap::Args;
use redshank_core::Error;
use redshank_core::findings::{self, Class, Finding};
use redshank_core::journal::Journal;
use redshank_core::plan::{Act, Plan, Step};
use redshank_core::templates::recognise;
use redshank_core::tree::{Scope, Tree};
use std::fmt::Write;
use std::process::ExitCode;

/// The plan that mends the findings; nothing on disk is ever deleted by it
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
}

impl Tidy {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        context.settle(self.apply || context.has_somebody())?;
        let place = &context.place;
        if self.apply && place.repository.is_none() {
            let what = "a journal that makes undo possible lies in the git folder";
            return Err(Error::NoRepository { top: place.top.clone(), what }.into());
        }
        let tree = Tree::walk(place, &Scope::default())?;
        let collection = context.collection()?;
        let survey = recognise(place, &tree, &collection);
        let found = findings::find(place, &tree, &survey, &context.settings()?)?;
        let plan = Plan::of(place, &tree, self.chosen(found.findings)?)?;
        if context.for_people() && !context.asked.quiet {
            put!("{}", text(&plan)?)?;
        }
        context.say_unread(&found.unread);
        let told = self.apply || context.has_somebody() && !context.asked.yes;
        let applied = !plan.changes.is_empty() && told && place.repository.is_some() && context.confirm("Do it?")?;
        if applied {
            Journal::of(place)?.apply("tidy", &plan.changes)?;
        }
        if !context.for_people() {
            render::json(&TidyOut::of(&place.top, &plan, applied))?;
        } else if applied {
            putln!("{}; {} takes it back", Paint::Good.on("done"), Paint::Type.on("redshank undo"))?;
        } else if !plan.changes.is_empty() {
            putln!("nothing was changed; {} does it", Paint::Type.on("redshank tidy --apply"))?;
        }
        Ok(ExitCode::SUCCESS)
    }
}

impl Tidy {
    /// The findings that are to be mended.
    fn chosen(&self, findings: Vec<Finding>) -> Result<Vec<Finding>> {
        if let Some(unknown) = self.skip.iter().find(|id| !findings.iter().any(|finding| finding.id == **id)) {
            bail!("there is no finding `{unknown}` to skip\n  `redshank check -v` shows the ids");
        }
        let is_chosen = |finding: &Finding| {
            (self.only.is_empty() || self.only.contains(&finding.class)) && !self.skip.contains(&finding.id)
        };
        Ok(findings.into_iter().filter(is_chosen).collect())
    }
}

fn text(plan: &Plan) -> Result<String> {
    let mut text = String::new();
    type IsOf = fn(&Act) -> bool;
    let acts: [(&str, IsOf); 4] = [
        ("keep out, by a rule", |act| matches!(act, Act::Ignore(_))),
        ("stop tracking, keep on disk", |act| matches!(act, Act::StopTracking)),
        ("write a sample", |act| matches!(act, Act::Sample(_))),
        ("let in, by an exception", |act| matches!(act, Act::LetIn(_))),
    ];
    for (title, is_of) in acts {
        let steps: Vec<&Step> = plan.steps.iter().filter(|step| is_of(&step.act)).collect();
        if steps.is_empty() {
            continue;
        }
        writeln!(text, "{}", Paint::Head.on(title))?;
        let mut table = Table::new(&[Align::Whole, Align::Right, Align::Right, Align::Left]);
        for step in steps {
            let what = match &step.act {
                Act::Ignore(pattern) | Act::LetIn(pattern) => Cell::painted(Paint::Type, shown(pattern.as_bstr())),
                Act::Sample(path) => shown(path.as_bstr()).into(),
                Act::StopTracking => shown(step.path.as_bstr()).into(),
            };
            let (many, size) = (files(step.amount.files), step.amount.size.to_string());
            table.row([what, many.into(), size.into(), Cell::painted(Paint::Quiet, &step.reason)]);
        }
        writeln!(text, "{}", table.text())?;
    }
    if plan.steps.is_empty() {
        writeln!(text, "{}", Paint::Good.on("nothing that a rule or git's index could mend"))?;
    } else {
        text += &render::effect(&plan.effect);
    }
    if !plan.left.is_empty() {
        writeln!(text, "\n{}", Paint::Head.on("left for you"))?;
        for finding in &plan.left {
            let line = finding.line.map_or(String::new(), |line| format!(":{line}"));
            let path = shown(finding.path.as_bstr());
            writeln!(text, "  {}  {path}{line}  {}", level_paint(finding.level).on(finding.level), finding.message)?;
            writeln!(text, "      {} {}", Paint::Good.on("mend:"), finding.remedy_in_words())?;
        }
    }
    Ok(text)
}
