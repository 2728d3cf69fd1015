mod new;
mod show;
mod test;

use anyhow::Result;
use clap::{Args, Subcommand};
use redshank_context::{Context, GlobalArgs, found, values};
use redshank_output::{Align, Cell, Table};
use redshank_report::{DOCUMENT, LIST, Listing, OutputFormat, Report, TemplateRowOut};
use redshank_templates::{Collection, Group, Template, TemplateSource};
use redshank_text::Paint;
use std::process::ExitCode;

/// List, show and test project templates
#[derive(Args)]
#[command(args_conflicts_with_subcommands = true)]
pub struct Templates {
    #[command(subcommand)]
    action: Option<Action>,
    /// Only those whose name, title, marker file or file type (`.rs`) fits this
    query: Option<String>,
    /// How the answer is written
    #[arg(long, value_parser = LIST.parser(), default_value = "text")]
    format: OutputFormat,
}

#[derive(Subcommand)]
enum Action {
    /// One template with its rules and reasons
    Show {
        /// Its name
        #[arg(add = values::templates())]
        name: String,
        /// How the answer is written
        #[arg(long, value_parser = DOCUMENT.parser(), default_value = "text")]
        format: OutputFormat,
    },
    /// Try every example of templates against the matching engine
    Test(test::Test),
    /// Start a template of your own from an ignore file
    New(new::New),
}

impl Templates {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        match &self.action {
            Some(Action::Show { name, format }) => show::run(args, name, *format),
            Some(Action::Test(test)) => test.run(args),
            Some(Action::New(new)) => new.run(args),
            None => self.list(args),
        }
    }

    fn list(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        let collection = Collection::load(&context.snapshot)?;
        let listed: Vec<&Template> = collection
            .iter()
            .filter(|template| self.is_asked_for(&collection, template))
            .collect();
        if !(listed.is_empty() && context.for_people) {
            self.format.print_list(&List {
                collection: &collection,
                listed: &listed,
            })?;
        }
        if let (true, Some(query), true) = (listed.is_empty(), &self.query, context.for_people) {
            let nearest = collection
                .near(query)
                .map_or(String::new(), |near| format!("; did you mean `{near}`?"));
            redshank_output::eputln!(
                "no template is about `{query}`{nearest}\n  `redshank templates new NAME --from \
                 FILE` starts one of your own"
            );
        }
        Ok(found(listed.is_empty()))
    }

    fn is_asked_for(&self, collection: &Collection, template: &Template) -> bool {
        let Some(query) = self.query.as_deref().map(str::to_lowercase) else {
            return true;
        };
        let markers = template.recognise.iter().map(|marker| &marker.file);
        // `.rs` and `*.rs` ask for a file type, which the rules and their examples tell.
        let extension = query.trim_start_matches('*');
        let is_type = extension.starts_with('.') && !extension.contains('/');
        let rules = template.rule.iter();
        let examples =
            rules.flat_map(|rule| rule.ignored.iter().chain(&rule.kept).chain([&rule.pattern]));
        let mut examples = examples.map(|path| path.to_lowercase());
        let mut texts = [&template.name, &template.title].into_iter().chain(markers);
        // Another name for a template (`js`), or so few letters that most names hold them.
        let meant = collection.find(&query).ok().map(|meant| &meant.name);
        let is_few = !query.is_empty() && query.len() < FEW_LETTERS;
        let is_word = is_few || meant.is_some_and(|meant| *meant != query);
        meant == Some(&template.name)
            || texts.any(|text| {
                let text = text.to_lowercase();
                if is_word {
                    text.split(|c: char| !c.is_alphanumeric())
                        .any(|word| word == query)
                } else {
                    text.contains(&query)
                }
            })
            || is_type && examples.any(|path| path.ends_with(extension))
    }
}

/// A query of fewer letters is looked for as a whole word.
const FEW_LETTERS: usize = 3;

/// Templates of a collection.
struct List<'a> {
    collection: &'a Collection,
    listed: &'a [&'a Template],
}

impl Report for List<'_> {
    type Document = Vec<TemplateRowOut>;

    fn text(&self) -> Result<String> {
        let mut text = String::new();
        let mut groups: Vec<Group> = self.listed.iter().map(|one| one.group).collect();
        groups.sort_unstable();
        groups.dedup();
        for group in groups {
            text += &format!("{}\n", Paint::Head.on(group));
            let mut table = Table::new(&[Align::Whole, Align::Left]);
            for template in self.listed.iter().filter(|one| one.group == group) {
                let from = self.origin(template);
                table.row([
                    template.name.clone().into(),
                    Cell::painted(Paint::Quiet, format!("{}{from}", template.title)),
                ]);
            }
            text += &table.text();
        }
        let next = Paint::Type.on("redshank templates show NAME");
        let reads = Paint::Quiet.on("reads one; `redshank draft` writes the ones that fit");
        Ok(text + &format!("{next}  {reads}\n"))
    }

    fn document(&self) -> Vec<TemplateRowOut> {
        self.rows().collect()
    }
}

impl Listing for List<'_> {
    type Row = TemplateRowOut;

    fn rows(&self) -> impl Iterator<Item = TemplateRowOut> {
        let listed = self.listed.iter();
        listed.map(|template| TemplateRowOut::new(self.collection, template))
    }
}

impl List<'_> {
    /// Where a template comes from, if it doesn't come with the program.
    fn origin(&self, template: &Template) -> String {
        let from = match &template.origin {
            TemplateSource::BuiltIn => return String::new(),
            TemplateSource::Policy(_) => "policy",
            TemplateSource::Personal(_) => "yours",
            TemplateSource::Team(_) => "team",
        };
        let mut hidden = self.collection.hidden.iter();
        if hidden.any(|hidden| hidden.name == template.name) {
            format!(" ({from}, in place of the built-in one)")
        } else {
            format!(" ({from})")
        }
    }
}
