use super::found;
use crate::cli::{Everywhere, Format};
use crate::render::{self, Align, Cell, Paint, Table};
use crate::{put, putln};
use anyhow::Result;
use clap::{Args, Subcommand};
use redshank_core::templates::{Template, builtin, find, prove};
use serde::Serialize;
use std::process::ExitCode;

/// Find, read and prove templates
#[derive(Args)]
#[command(args_conflicts_with_subcommands = true)]
pub struct Templates {
    #[command(subcommand)]
    action: Option<Action>,
    /// Only those whose name, title or marker file holds this
    query: Option<String>,
}

#[derive(Subcommand)]
enum Action {
    /// One template with its rules and reasons
    Show {
        /// Its name
        name: String,
    },
    /// Try every example of templates against the matching engine
    Test {
        /// Their names; without any, all
        names: Vec<String>,
    },
}

#[derive(Serialize)]
struct Row<'a> {
    name: &'a str,
    title: &'a str,
    group: redshank_core::templates::Group,
    revision: u32,
    rules: usize,
}

impl Templates {
    pub fn run(&self, asked: &Everywhere) -> Result<ExitCode> {
        match &self.action {
            Some(Action::Show { name }) => show(asked, find(name)?),
            Some(Action::Test { names }) => test(names),
            None => self.list(asked),
        }
    }

    fn list(&self, asked: &Everywhere) -> Result<ExitCode> {
        let listed: Vec<&Template> = builtin()?.iter().filter(|template| self.is_asked_for(template)).collect();
        let row = |template: &&'static Template| Row {
            name: &template.name,
            title: &template.title,
            group: template.group,
            revision: template.revision,
            rules: template.rule.len(),
        };
        match asked.format {
            Format::Json | Format::Junit => render::json(&listed.iter().map(row).collect::<Vec<_>>())?,
            Format::Jsonl => render::jsonl(listed.iter().map(row))?,
            Format::Text => {
                let mut table = Table::new(&[Align::Whole, Align::Right, Align::Left]);
                for template in &listed {
                    let rules = format!("{} rules", template.rule.len());
                    table.row([
                        Cell::painted(Paint::Head, &template.name),
                        rules.into(),
                        template.title.clone().into(),
                    ]);
                }
                put!("{}", table.text())?;
                let next = Paint::Type.on("redshank templates show NAME");
                putln!("{next}  {}", Paint::Quiet.on("reads one; `redshank draft` writes the ones that fit"))?;
            }
        }
        Ok(found(listed.is_empty()))
    }

    fn is_asked_for(&self, template: &Template) -> bool {
        let Some(query) = self.query.as_deref().map(str::to_lowercase) else {
            return true;
        };
        let markers = template.recognise.iter().map(|marker| &marker.file);
        [&template.name, &template.title].into_iter().chain(markers).any(|text| text.to_lowercase().contains(&query))
    }
}

fn show(asked: &Everywhere, template: &Template) -> Result<ExitCode> {
    if asked.format != Format::Text {
        render::json(template)?;
        return Ok(ExitCode::SUCCESS);
    }
    putln!("{}  {}", Paint::Head.on(&template.name), template.title)?;
    let markers: Vec<&str> = template.recognise.iter().map(|marker| marker.file.as_str()).collect();
    putln!("{}", Paint::Quiet.on(format!("revision {}, recognised by {}", template.revision, markers.join(", "))))?;
    let mut above = None;
    for rule in &template.rule {
        let reason = (&rule.reason, &rule.remake);
        if above != Some(reason) {
            putln!("\n  {}  {}", render::class_paint(rule.class).on(rule.class), rule.reason)?;
            if let Some(command) = &rule.remake {
                putln!("    {} {}", Paint::Quiet.on("made again by"), Paint::Type.on(command))?;
            }
            above = Some(reason);
        }
        putln!("    {}", Paint::Head.on(&rule.pattern))?;
    }
    for mark in &template.folder {
        putln!("\n  {}  {}", render::class_paint(mark.class).on(mark.class), mark.reason)?;
        putln!("    any folder that holds {}", Paint::Head.on(&mark.holds))?;
    }
    for needed in &template.needed {
        putln!("\n  {}  {}\n    {}", Paint::Warn.on("needed"), needed.reason, Paint::Head.on(&needed.pattern))?;
    }
    Ok(ExitCode::SUCCESS)
}

fn test(names: &[String]) -> Result<ExitCode> {
    let chosen: Vec<&Template> = match names {
        [] => builtin()?.iter().collect(),
        names => names.iter().map(|name| find(name)).collect::<Result<_, _>>()?,
    };
    let (mut failed, mut tried) = (0, 0);
    for template in &chosen {
        let (failures, tries) = prove(template);
        tried += tries;
        failed += failures.len();
        for failure in failures {
            let should =
                if failure.expected_ignored { "must be ignored and is not" } else { "must stay and is ignored" };
            putln!(
                "{} {}: `{}`: {} {should} (in folder `{}`)",
                Paint::Bad.on("failed"),
                template.name,
                failure.pattern,
                failure.example,
                failure.folder
            )?;
        }
    }
    putln!("{} templates, {tried} examples tried, {failed} failed", chosen.len())?;
    Ok(found(failed > 0))
}
