mod new;
mod show;

use super::found;
use crate::cli::Format;
use crate::context::Context;
use crate::render::{self, Align, Cell, Paint, Table};
use crate::{put, putln};
use anyhow::Result;
use clap::{Args, Subcommand};
use redshank_core::templates::{Collection, Group, Origin, Template, prove};
use serde::Serialize;
use std::process::ExitCode;

/// Find, read and prove templates
#[derive(Args)]
#[command(args_conflicts_with_subcommands = true)]
pub struct Templates {
    #[command(subcommand)]
    action: Option<Action>,
    /// Only those whose name, title, marker file or file type (`.rs`) fits this
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
    /// Start a template of your own from an ignore file
    New(new::New),
}

#[derive(Serialize)]
struct Row<'a> {
    name: &'a str,
    title: &'a str,
    group: Group,
    revision: u32,
    rules: usize,
    origin: &'static str,
    /// Whether it hides a farther one of the same name.
    hides: bool,
}

impl<'a> Row<'a> {
    fn of(collection: &Collection, template: &'a Template) -> Self {
        Self {
            name: &template.name,
            title: &template.title,
            group: template.group,
            revision: template.revision,
            rules: template.rule.len(),
            origin: origin(&template.origin),
            hides: collection
                .hidden
                .iter()
                .any(|hidden| hidden.name == template.name),
        }
    }
}

impl Templates {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        match &self.action {
            Some(Action::Show { name }) => {
                show::show(context, &Collection::one(&context.place, name)?)
            }
            Some(Action::Test { names }) => test(context, names),
            Some(Action::New(new)) => new.run(context),
            None => self.list(context),
        }
    }

    fn list(&self, context: &Context) -> Result<ExitCode> {
        let collection = Collection::of(&context.place)?;
        let listed: Vec<&Template> = collection
            .iter()
            .filter(|template| self.is_asked_for(template))
            .collect();
        let rows: Vec<Row> = listed
            .into_iter()
            .map(|template| Row::of(&collection, template))
            .collect();
        match context.asked.format {
            Format::Json | Format::Junit | Format::Sarif => render::json(&rows)?,
            Format::Jsonl => render::jsonl(&rows)?,
            Format::Text => put!("{}", text(&rows))?,
        }
        Ok(found(rows.is_empty()))
    }

    fn is_asked_for(&self, template: &Template) -> bool {
        let Some(query) = self.query.as_deref().map(str::to_lowercase) else {
            return true;
        };
        let markers = template.recognise.iter().map(|marker| &marker.file);
        // `.rs` and `*.rs` ask for a file type, which the rules and their examples tell.
        let kind = query.trim_start_matches('*');
        let is_kind = kind.starts_with('.') && !kind.contains('/');
        let examples = template
            .rule
            .iter()
            .flat_map(|rule| rule.ignored.iter().chain(&rule.kept).chain([&rule.pattern]));
        let mut texts = [&template.name, &template.title].into_iter().chain(markers);
        texts.any(|text| text.to_lowercase().contains(&query))
            || is_kind
                && examples
                    .map(|path| path.to_lowercase())
                    .any(|path| path.ends_with(kind))
    }
}

fn origin(origin: &Origin) -> &'static str {
    match origin {
        Origin::BuiltIn => "built-in",
        Origin::Personal(_) => "yours",
        Origin::Team(_) => "team",
    }
}

fn text(rows: &[Row]) -> String {
    let mut text = String::new();
    let mut groups: Vec<Group> = rows.iter().map(|row| row.group).collect();
    groups.sort_unstable();
    groups.dedup();
    for group in groups {
        text += &format!("{}\n", Paint::Head.on(group));
        let mut table = Table::new(&[Align::Whole, Align::Left]);
        for row in rows.iter().filter(|row| row.group == group) {
            let from = match (row.origin, row.hides) {
                ("built-in", _) => String::new(),
                (from, true) => format!(" ({from}, in place of the built-in one)"),
                (from, false) => format!(" ({from})"),
            };
            table.row([
                row.name.to_owned().into(),
                Cell::painted(Paint::Quiet, format!("{}{from}", row.title)),
            ]);
        }
        text += &table.text();
    }
    let next = Paint::Type.on("redshank templates show NAME");
    text + &format!(
        "{next}  {}\n",
        Paint::Quiet.on("reads one; `redshank draft` writes the ones that fit")
    )
}

fn test(context: &Context, names: &[String]) -> Result<ExitCode> {
    let collection = Collection::of(&context.place)?;
    let chosen: Vec<&Template> = match names {
        [] => collection.iter().collect(),
        names => names
            .iter()
            .map(|name| collection.find(name))
            .collect::<Result<_, _>>()?,
    };
    let (mut failed, mut tried) = (0, 0);
    for template in &chosen {
        let (failures, tries) = prove(template);
        tried += tries;
        failed += failures.len();
        for failure in failures {
            let should = if failure.expected_ignored {
                "must be ignored and is not"
            } else {
                "must stay and is ignored"
            };
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
    putln!(
        "{} templates, {tried} examples tried, {failed} failed",
        chosen.len()
    )?;
    Ok(found(failed > 0))
}
