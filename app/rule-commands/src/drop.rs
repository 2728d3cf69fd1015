use crate::attribute_lines;
use crate::rule_args::RuleArgs;
use anyhow::{Result, bail};
use bstr::{BStr, ByteSlice};
use clap::Args;
use redshank_changes::Edit;
use redshank_context::{Context, GlobalArgs, Proposal, values};
use redshank_output as output;
use redshank_report::{DOCUMENT, EffectOut, OutputFormat};
use redshank_text::shown;
use std::process::ExitCode;

/// Remove a rule, after showing what that does
#[derive(Args)]
pub struct Drop {
    /// Patterns, as they are in the file; one that starts with `-` goes behind `--`
    #[arg(required = true, add = values::rules())]
    patterns: Vec<String>,
    #[command(flatten)]
    rules: RuleArgs,
    /// What is given are lines of an attribute file, or their patterns
    #[arg(long)]
    attributes: bool,
    /// Write what is shown
    #[arg(long)]
    write: bool,
    /// How the answer is written
    #[arg(long, value_parser = DOCUMENT.parser(), default_value = "text")]
    format: OutputFormat,
}

impl Drop {
    /// Takes rules out, or shows what that would do.
    ///
    /// # Errors
    /// If the working tree can't be read, or an argument doesn't fit it.
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        context.recover(self.write || context.is_interactive())?;
        if self.attributes {
            let target = self.rules.attributes_target(&context)?;
            return attribute_lines::drop(
                &context,
                self.format,
                target,
                &self.patterns,
                self.write,
            );
        }
        let before = self.rules.target(&context)?;
        let mut target = before.clone();
        for pattern in &self.patterns {
            let Some(after) = target.without(BStr::new(pattern)) else {
                let file = shown(before.source.shown.as_bstr());
                bail!(
                    "no line of {file} holds `{pattern}`\n  `redshank rules` lists all rules \
                     with their files; --for and --in choose the file"
                );
            };
            target.contents = Some(after);
        }
        let after = target.contents.unwrap_or_default();
        let outcome = Proposal {
            command: "drop",
            write: self.write,
            on_rules: true,
            edits: vec![Edit::of_rules(before, after)],
            notes: Vec::new(),
            summary: None,
        }
        .carry_out(&context)?;
        if !context.for_people {
            let rules = self.patterns.clone();
            output::json(&EffectOut::new(&context.snapshot.top, rules, outcome))?;
        }
        Ok(ExitCode::SUCCESS)
    }
}
