//! Trying the examples of templates.

use anyhow::Result;
use clap::Args;
use redshank_context::{Context, GlobalArgs, found, values};
use redshank_report::{DOCUMENT, ExampleOut, OutputFormat, Report, TestOut};
use redshank_templates::{Collection, Failure, Template, prove, prove_beside};
use redshank_text::{self as text, Paint};
use std::process::ExitCode;

#[derive(Args)]
pub struct Test {
    /// Their names; without any, all
    #[arg(add = values::templates())]
    names: Vec<String>,
    /// How the answer is written
    #[arg(long, value_parser = DOCUMENT.parser(), default_value = "text")]
    format: OutputFormat,
}

impl Test {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        let collection = Collection::load(&context.snapshot)?;
        let chosen: Vec<&Template> = match self.names.as_slice() {
            [] => collection.iter().collect(),
            names => names
                .iter()
                .map(|name| collection.find(name))
                .collect::<Result<_, _>>()?,
        };
        let mut tried = Tried {
            templates: chosen.len(),
            examples: 0,
            failed: Vec::new(),
        };
        for template in chosen {
            let (mut failures, tries) = prove(template);
            let (beside, more) = prove_beside(template, &collection);
            failures.extend(beside);
            tried.examples += tries + more;
            tried.failed.extend(
                failures
                    .into_iter()
                    .map(|failure| (template.name.clone(), failure)),
            );
        }
        self.format.print(&tried)?;
        Ok(found(!tried.failed.is_empty()))
    }
}

/// How the examples came out.
struct Tried {
    templates: usize,
    examples: usize,
    failed: Vec<(String, Failure)>,
}

impl Report for Tried {
    type Document = TestOut;

    fn text(&self) -> Result<String> {
        let mut text = String::new();
        for (template, failure) in &self.failed {
            let mark = Paint::Bad.on("failed");
            let (example, folder) = (text::example(failure), &failure.folder);
            text += &format!("{mark} {template}: {example} (in folder `{folder}`)\n");
        }
        let Self {
            templates,
            examples,
            ..
        } = self;
        let failed = self.failed.len();
        let of = if *templates == 1 {
            "template"
        } else {
            "templates"
        };
        Ok(text + &format!("{templates} {of}, {examples} examples tried, {failed} failed\n"))
    }

    fn document(&self) -> TestOut {
        let failed = self.failed.iter();
        TestOut {
            schema: "redshank.templates-test/1",
            templates: self.templates,
            tried: self.examples,
            failed: failed
                .map(|(template, failure)| ExampleOut::new(template, failure))
                .collect(),
        }
    }
}
