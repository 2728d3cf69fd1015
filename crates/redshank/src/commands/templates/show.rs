//! One template, to be read.

use crate::cli::Format;
use crate::context::Context;
use crate::putln;
use crate::render::{self, Paint};
use anyhow::Result;
use redshank_core::templates::{Origin, Template, TemplateRule};
use std::process::ExitCode;

pub fn show(context: &Context, template: &Template) -> Result<ExitCode> {
    if context.asked.format != Format::Text {
        render::json(template)?;
        return Ok(ExitCode::SUCCESS);
    }
    putln!("{}  {}", Paint::Head.on(&template.name), template.title)?;
    let markers: Vec<&str> = template
        .recognise
        .iter()
        .map(|marker| marker.file.as_str())
        .collect();
    let recognised = match markers.join(", ") {
        none if none.is_empty() => "not recognised by any file; ask for it by name".to_owned(),
        markers => format!("recognised by {markers}"),
    };
    putln!(
        "{}",
        Paint::Quiet.on(format!("revision {}, {recognised}", template.revision))
    )?;
    if let Origin::Personal(path) | Origin::Team(path) = &template.origin {
        putln!("{}", Paint::Quiet.on(format!("from {}", path.display())))?;
    }
    if !template.with.is_empty() {
        putln!(
            "{} {}",
            Paint::Quiet.on("comes with"),
            template.with.join(", ")
        )?;
    }
    rules(&template.rule, "")?;
    for mark in &template.folder {
        putln!(
            "\n  {}  {}",
            render::class_paint(mark.class).on(mark.class),
            mark.reason
        )?;
        putln!("    any folder that holds {}", Paint::Head.on(&mark.holds))?;
    }
    for output in &template.output {
        putln!(
            "\n  {}  {}",
            render::class_paint(redshank_core::findings::Class::Generated).on("generated"),
            output.reason
        )?;
        putln!("    wherever {} says so", Paint::Head.on(&output.file))?;
    }
    for needed in &template.needed {
        putln!(
            "\n  {}  {}\n    {}",
            Paint::Warn.on("needed"),
            needed.reason,
            Paint::Head.on(&needed.pattern)
        )?;
    }
    for (name, variant) in template.variant_names().zip(&template.variant) {
        let choose = format!("redshank draft --variant {name}");
        putln!(
            "\n  {}  {}  {}",
            Paint::Head.on("variant"),
            variant.title,
            Paint::Type.on(choose)
        )?;
        for dropped in &variant.drops {
            putln!(
                "    {} {}",
                Paint::Quiet.on("without"),
                Paint::Head.on(dropped)
            )?;
        }
        rules(&variant.rule, "  ")?;
    }
    Ok(ExitCode::SUCCESS)
}

fn rules(rules: &[TemplateRule], indent: &str) -> Result<()> {
    let mut above = None;
    for rule in rules {
        let reason = (&rule.reason, &rule.remake);
        if above != Some(reason) {
            putln!(
                "\n{indent}  {}  {}",
                render::class_paint(rule.class).on(rule.class),
                rule.reason
            )?;
            if let Some(command) = &rule.remake {
                putln!(
                    "{indent}    {} {}",
                    Paint::Quiet.on("made again by"),
                    Paint::Type.on(command)
                )?;
            }
            above = Some(reason);
        }
        putln!("{indent}    {}", Paint::Head.on(&rule.pattern))?;
    }
    Ok(())
}
