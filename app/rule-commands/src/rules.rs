use crate::{attribute_lines, shorten};
use anyhow::Result;
use bstr::ByteSlice;
use clap::Args;
use redshank_context::{Context, GlobalArgs, found};
use redshank_output::{Align, Cell, Table, link};
use redshank_report::{LIST, Listing, OutputFormat, Report, RuleRowOut, RulesOut, StrayOut, root};
use redshank_text::{self as text, Paint, count, difference, marked_line, shown, whole};
use redshank_worktree::usage::{RuleStatus, RuleUsage, UsageReport, rule_usage};
use std::fmt::Write;
use std::path::Path;
use std::process::ExitCode;
use std::sync::Arc;

/// List every rule in force, what each matches, and those that do nothing
#[derive(Args)]
pub struct Rules {
    /// Only the rules that don't do what they seem to
    #[arg(long)]
    idle: bool,
    /// The lines of attribute files instead
    #[arg(long)]
    attributes: bool,
    /// Show the lines that could go without changing a verdict, and the proof
    #[arg(long, conflicts_with_all = ["idle", "attributes"])]
    shorten: bool,
    /// With it, also put one rule in the place of three or more that differ in one part of their
    /// paths: it matches what isn't there yet, too
    #[arg(long, requires = "shorten")]
    merge: bool,
    /// Take them out
    #[arg(long, requires = "shorten")]
    write: bool,
    /// How the answer is written
    #[arg(long, value_parser = LIST.parser(), default_value = "text")]
    format: OutputFormat,
}

impl Rules {
    /// Lists the rules in force and what each catches.
    ///
    /// # Errors
    /// If the working tree can't be read, or an argument doesn't fit it.
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        if self.attributes {
            return attribute_lines::list(&context, self.format, self.idle);
        }
        if self.shorten {
            context.recover(self.write || context.is_interactive())?;
            return shorten::run(&context, self.format, self.merge, self.write);
        }
        let mut usage = rule_usage(&context.snapshot)?;
        if self.idle {
            usage.rules.retain(|rule| rule.status != RuleStatus::Works);
        }
        self.format.print_list(&InForce {
            top: &context.snapshot.top,
            usage: &usage,
            idle: self.idle,
        })?;
        let is_any = !(usage.rules.is_empty() && usage.strays.is_empty());
        Ok(found(self.idle && is_any))
    }
}

/// The rules in force.
struct InForce<'a> {
    top: &'a Path,
    usage: &'a UsageReport,
    /// Only those that don't do what they seem to.
    idle: bool,
}

impl Report for InForce<'_> {
    type Document = RulesOut;

    fn text(&self) -> Result<String> {
        let mut text = String::new();
        let rules = &self.usage.rules;
        if rules.is_empty() && self.usage.strays.is_empty() {
            return Ok(if self.idle {
                format!("{}\n", Paint::Good.on("every rule does what it seems to"))
            } else {
                format!(
                    "no rule is in force; {} writes those that fit\n",
                    Paint::Type.on("redshank draft")
                )
            });
        }
        for group in rules.chunk_by(|a, b| Arc::ptr_eq(&a.list, &b.list)) {
            text_of_file(group, self.top, &mut text)?;
        }
        if self.usage.rules.is_empty() {
            writeln!(text, "{}", Paint::Quiet.on("no rules"))?;
        }
        for stray in &self.usage.strays {
            let (mark, path) = (Paint::Warn.on("stray"), shown(&stray.path));
            let because = text::stray_reason(stray.because);
            writeln!(text, "{mark} {path} is not read by git: {because}")?;
        }
        Ok(text)
    }

    fn document(&self) -> RulesOut {
        RulesOut {
            schema: "redshank.rules/1",
            root: root(self.top),
            rules: self.rows().collect(),
            strays: self.usage.strays.iter().map(StrayOut::from).collect(),
        }
    }
}

impl Listing for InForce<'_> {
    type Row = RuleRowOut;

    fn rows(&self) -> impl Iterator<Item = RuleRowOut> {
        self.usage.rules.iter().map(RuleRowOut::from)
    }
}

fn text_of_file(rules: &[RuleUsage], top: &Path, text: &mut String) -> Result<()> {
    let source = &rules[0].list.source;
    let file = top.join(source.shown.to_path_lossy());
    let name = link(Paint::Head.on(shown(source.shown.as_bstr())), &file);
    writeln!(
        text,
        "{name}  {}",
        Paint::Quiet.on(text::scope(source.scope))
    )?;
    let columns = [
        Align::Right,
        Align::Whole,
        Align::Right,
        Align::Right,
        Align::Left,
    ];
    let mut table = Table::new(&columns);
    let (mut shown, mut left_out) = (0, 0);
    for rule in rules {
        if rule.status == RuleStatus::CatchesNothing {
            shown += 1;
            if shown > MOST_IDLE {
                left_out += 1;
                continue;
            }
        }
        table.row(row(rule));
    }
    text.push_str(&table.text());
    if left_out > 0 {
        let more = format!("and {} more that catch nothing here", count(left_out));
        let command = Paint::Type.on("redshank rules --format jsonl");
        writeln!(text, " {}; {command} lists them", Paint::Quiet.on(more))?;
    }
    writeln!(text)?;
    for rule in rules {
        text.push_str(&diagnosis(rule).unwrap_or_default());
    }
    Ok(())
}

/// How many rules of a file that catch nothing are shown; nobody reads more.
const MOST_IDLE: usize = 1000;

/// What is wrong with a rule that can't do what it seems to: the line with a marker under the
/// fault, and the fix.
fn diagnosis(usage: &RuleUsage) -> Option<String> {
    let fix = text::fix(&usage.status)?;
    let rule = text::pattern(usage.rule().text.as_bstr());
    let fault = match &usage.status {
        RuleStatus::Misread { corrected, .. } => {
            difference(&rule, &text::pattern(corrected.as_bstr()))
        }
        _ => whole(&rule),
    };
    let fix = typed(&fix);
    let file = shown(usage.list.source.shown.as_bstr());
    let place = format!("{file}:{}", usage.rule().line);
    let line = marked_line(&place, &rule, fault);
    Some(format!("{line}    {}; {fix}\n\n", text::status(usage)))
}

/// A sentence with what can be typed in its colour.
fn typed(sentence: &str) -> String {
    let parts = sentence.split('`').enumerate();
    let parts = parts.map(|(at, part)| match at % 2 {
        0 => part.to_owned(),
        _ => Paint::Type.on(format!("`{part}`")),
    });
    parts.collect()
}

fn row(usage: &RuleUsage) -> [Cell; 5] {
    let works = usage.status == RuleStatus::Works;
    let number = |text: String| {
        if works {
            text.into()
        } else {
            Cell::painted(Paint::Quiet, "")
        }
    };
    let paint = if works { Paint::Type } else { Paint::Warn };
    let status = text::status(usage);
    [
        Cell::painted(Paint::Quiet, usage.rule().line),
        Cell::painted(paint, text::pattern(usage.rule().text.as_bstr())),
        number(count(usage.catches.files)),
        number(usage.catches.size.to_string()),
        Cell::painted(Paint::Quiet, shown(status.as_bytes().as_bstr())),
    ]
}
