//! One template, to be read.

use anyhow::Result;
use redshank_context::{Context, GlobalArgs};
use redshank_report::{OutputFormat, Report};
use redshank_templates::{Collection, Template, TemplateAttribute, TemplateRule, TemplateSource};
use redshank_text::{self as text, Paint};
use redshank_worktree::Class;
use std::fmt::Write;
use std::process::ExitCode;

pub fn run(args: &GlobalArgs, name: &str, format: OutputFormat) -> Result<ExitCode> {
    let context = Context::find(args, format)?;
    format.print(&Shown(Collection::one(&context.snapshot, name)?))?;
    Ok(ExitCode::SUCCESS)
}

struct Shown(Template);

impl Report for Shown {
    type Document = Template;

    fn text(&self) -> Result<String> {
        let mut text = String::new();
        write_head(&self.0, &mut text)?;
        write_rules(&self.0.rule, "", &mut text)?;
        write_places(&self.0, &mut text)?;
        write_attributes(&self.0, &mut text)?;
        write_variants(&self.0, &mut text)?;
        Ok(text)
    }

    fn document(&self) -> Template {
        self.0.clone()
    }
}

fn write_head(template: &Template, text: &mut String) -> Result<()> {
    writeln!(
        text,
        "{}  {}",
        Paint::Head.on(&template.name),
        template.title
    )?;
    let markers = template.recognise.iter();
    let markers: Vec<&str> = markers.map(|marker| marker.file.as_str()).collect();
    let recognised = match markers.as_slice() {
        [] => "not recognised by any file; ask for it by name".to_owned(),
        markers => format!("recognised by {}", markers.join(", ")),
    };
    let revision = format!("revision {}, {recognised}", template.revision);
    writeln!(text, "{}", Paint::Quiet.on(revision))?;
    if let TemplateSource::Policy(path)
    | TemplateSource::Personal(path)
    | TemplateSource::Team(path) = &template.origin
    {
        writeln!(
            text,
            "{}",
            Paint::Quiet.on(format!("from {}", path.display()))
        )?;
    }
    if !template.with.is_empty() {
        let with = template.with.join(", ");
        writeln!(text, "{} {with}", Paint::Quiet.on("comes with"))?;
    }
    Ok(())
}

fn write_rules(rules: &[TemplateRule], indent: &str, text: &mut String) -> Result<()> {
    let mut above = None;
    for rule in rules {
        let reason = (&rule.reason, &rule.remake);
        if above != Some(reason) {
            let class = text::class_paint(rule.class).on(rule.class);
            writeln!(text, "\n{indent}  {class}  {}", rule.reason)?;
            if let Some(command) = &rule.remake {
                let (by, command) = (Paint::Quiet.on("made again by"), Paint::Type.on(command));
                writeln!(text, "{indent}    {by} {command}")?;
            }
            above = Some(reason);
        }
        writeln!(text, "{indent}    {}", Paint::Head.on(&rule.pattern))?;
    }
    Ok(())
}

/// What is known by what is in a folder, by settings, and what is needed.
fn write_places(template: &Template, text: &mut String) -> Result<()> {
    for mark in &template.folder {
        let class = text::class_paint(mark.class).on(mark.class);
        writeln!(text, "\n  {class}  {}", mark.reason)?;
        let holds = Paint::Head.on(&mark.holds);
        writeln!(text, "    any folder that holds {holds}")?;
    }
    for output in &template.output {
        let class = text::class_paint(Class::Generated).on(Class::Generated);
        writeln!(text, "\n  {class}  {}", output.reason)?;
        let file = Paint::Head.on(&output.file);
        writeln!(text, "    wherever {file} sets it")?;
    }
    for needed in &template.needed {
        writeln!(text, "\n  {}  {}", Paint::Warn.on("needed"), needed.reason)?;
        writeln!(text, "    {}", Paint::Head.on(&needed.pattern))?;
    }
    Ok(())
}

fn write_attributes(template: &Template, text: &mut String) -> Result<()> {
    let same =
        |a: &TemplateAttribute, b: &TemplateAttribute| a.reason == b.reason && a.set == b.set;
    for group in template.attribute.chunk_by(same) {
        let (class, reason) = (Paint::Good.on("attributes"), &group[0].reason);
        writeln!(text, "\n  {class}  {reason}")?;
        let patterns = group.iter().map(|attribute| attribute.pattern.as_str());
        let patterns = patterns.collect::<Vec<_>>().join(" ");
        let set = group[0].set.join(" ");
        writeln!(text, "    {} {set}", Paint::Head.on(patterns))?;
    }
    Ok(())
}

fn write_variants(template: &Template, text: &mut String) -> Result<()> {
    for (name, variant) in template.variant_names().zip(&template.variant) {
        let choose = Paint::Type.on(format!("redshank draft --variant {name}"));
        let head = Paint::Head.on("variant");
        writeln!(text, "\n  {head}  {}  {choose}", variant.title)?;
        for dropped in &variant.drops {
            let (without, dropped) = (Paint::Quiet.on("without"), Paint::Head.on(dropped));
            writeln!(text, "    {without} {dropped}")?;
        }
        write_rules(&variant.rule, "  ", text)?;
    }
    Ok(())
}
