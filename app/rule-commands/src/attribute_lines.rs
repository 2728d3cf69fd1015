//! Lines of attribute files: listed with what each does, tried, added and removed.

use anyhow::{Result, bail};
use bstr::{BStr, BString, ByteSlice};
use redshank_changes::{Edit, RuleTarget};
use redshank_context::{Context, Proposal, found};
use redshank_output::{self as output, Align, Cell, Table, wrapped};
use redshank_report::{
    AttributeEffectOut, AttributeLineOut, AttributeLinesOut, Listing, OutputFormat, Report, root,
};
use redshank_rules::attribute_file::{AttributeFile, Setting, split_line, without_mark};
use redshank_rules::ignore_file::{line_end, lines_of};
use redshank_text::{self as text, Paint, count, shown};
use redshank_worktree::Overlay;
use redshank_worktree::attributes::{
    AttributeEffect, AttributeReport, AttributeStatus, AttributeUsage, attribute_usage,
};
use std::fmt::Write;
use std::path::Path;
use std::process::ExitCode;

/// Lists every line with what it does.
pub fn list(context: &Context, format: OutputFormat, only_idle: bool) -> Result<ExitCode> {
    let AttributeReport { mut lines, unread } = attribute_usage(&context.snapshot, Overlay::new())?;
    if only_idle {
        lines.retain(|line| line.status != AttributeStatus::Works);
    }
    let lines = Lines {
        top: &context.snapshot.top,
        only_idle,
        lines,
    };
    format.print_list(&lines)?;
    context.say_unread(&unread);
    Ok(found(only_idle && !lines.lines.is_empty()))
}

/// Shows what lines would do.
pub fn attempt(
    context: &Context,
    format: OutputFormat,
    target: RuleTarget,
    typed: &[String],
) -> Result<ExitCode> {
    let new = as_lines(typed)?;
    let after = with_lines(&target, &new);
    let overlay = Overlay::from([(target.source.shown.clone(), after)]);
    let tried = Tried {
        top: &context.snapshot.top,
        typed,
        effect: AttributeEffect::compute(&context.snapshot, overlay.clone())?,
        notes: notes(context, &target, overlay, &new)?,
    };
    format.print(&tried)?;
    Ok(ExitCode::SUCCESS)
}

/// Adds lines that are not there yet: one for everything before all others, which say otherwise;
/// any other at the end, where it wins.
pub fn add(
    context: &Context,
    format: OutputFormat,
    target: RuleTarget,
    typed: &[String],
    write: bool,
) -> Result<ExitCode> {
    let mut new = as_lines(typed)?;
    let held = target.contents.as_deref().unwrap_or_default();
    let mut known = Vec::new();
    new.retain(|line| {
        let is_known = lines_of(held).any(|held| words(held.text) == words(line.as_bstr()));
        if is_known {
            known.push(format!(
                "`{}` is already in {}",
                shown(line.as_bstr()),
                shown(target.source.shown.as_bstr())
            ));
        }
        !is_known
    });
    let after = with_lines(&target, &new);
    let overlay = Overlay::from([(target.source.shown.clone(), after.clone())]);
    known.extend(notes(context, &target, overlay, &new)?);
    propose(context, format, "add", target, after, known, typed, write)
}

/// Removes lines, named whole or by their pattern.
pub fn drop(
    context: &Context,
    format: OutputFormat,
    target: RuleTarget,
    typed: &[String],
    write: bool,
) -> Result<ExitCode> {
    let held = target.contents.clone().unwrap_or_default();
    let mut after = held;
    for wanted in typed {
        let wanted = BStr::new(wanted);
        let is_meant = |line: &BStr| {
            let pattern = split_line(line).map(|(pattern, _)| pattern);
            words(line) == words(wanted) || pattern.is_some_and(|pattern| pattern == wanted)
        };
        let kept = lines_of(&after).filter(|line| !is_meant(line.text));
        let kept: Vec<&[u8]> = kept.map(|line| line.whole).collect();
        let kept = kept.concat();
        if kept.len() == after.len() {
            bail!(
                "no line of {} is `{}`\n  `redshank rules --attributes` lists all lines with \
                 their files; --for and --in choose the file",
                shown(target.source.shown.as_bstr()),
                shown(wanted)
            );
        }
        after = kept;
    }
    propose(
        context,
        format,
        "drop",
        target,
        after,
        Vec::new(),
        typed,
        write,
    )
}

#[expect(clippy::too_many_arguments, reason = "what a proposal is made of")]
fn propose(
    context: &Context,
    format: OutputFormat,
    command: &str,
    target: RuleTarget,
    after: Vec<u8>,
    notes: Vec<String>,
    typed: &[String],
    write: bool,
) -> Result<ExitCode> {
    let outcome = Proposal {
        command,
        write,
        on_rules: false,
        edits: vec![Edit::of_attributes(target, after)],
        notes,
        summary: None,
    }
    .carry_out(context)?;
    if !format.is_text() {
        let top = &context.snapshot.top;
        output::json(&AttributeEffectOut::new(
            top,
            typed.to_vec(),
            outcome.written,
            &outcome.attributes,
            outcome.notes,
        ))?;
    }
    Ok(ExitCode::SUCCESS)
}

/// The words of a line, which may be apart by any white space.
fn words(line: &BStr) -> Vec<&[u8]> {
    let words = line.split(u8::is_ascii_whitespace);
    words.filter(|word| !word.is_empty()).collect()
}

/// Lines as they are typed; one that git would drop is refused.
fn as_lines(typed: &[String]) -> Result<Vec<BString>> {
    let mut lines = Vec::new();
    for line in typed {
        if line.contains(['\n', '\r']) {
            bail!("a line of attributes is one line\n  pass several as several arguments");
        }
        if split_line(line.as_bytes()).is_none() && !line.starts_with("[attr]") {
            bail!(
                "`{}` gives no attribute\n  write a pattern and what it gives, such as `*.png \
                 -text` or `*.sh text eol=lf`",
                shown(BStr::new(line))
            );
        }
        lines.push(BString::from(line.trim()));
    }
    Ok(lines)
}

/// What the file would hold with lines. A byte-order mark stays at its start.
fn with_lines(target: &RuleTarget, new: &[BString]) -> Vec<u8> {
    let (general, other): (Vec<&BString>, Vec<&BString>) = new.iter().partition(|line| {
        (words(line.as_bstr()).first() == Some(&&b"*"[..])) || line.starts_with(b"[attr]")
    });
    let held = target.contents.as_deref().unwrap_or_default();
    let end = line_end(held);
    let (mark, held) = without_mark(held);
    let mut text = mark.to_vec();
    for line in general {
        text.extend([line.as_slice(), end].concat());
    }
    text.extend_from_slice(held);
    if !text.is_empty() && !text.ends_with(b"\n") {
        text.extend_from_slice(end);
    }
    for line in other {
        text.extend([line.as_slice(), end].concat());
    }
    text
}

/// What there is to know of new lines.
fn notes(
    context: &Context,
    target: &RuleTarget,
    overlay: Overlay,
    new: &[BString],
) -> Result<Vec<String>> {
    let mut notes = Vec::new();
    for usage in attribute_usage(&context.snapshot, overlay)?.lines {
        let is_new = usage.line.source == target.source.shown
            && new
                .iter()
                .any(|new| usage.line.text.trim() == new.as_bytes());
        if is_new && usage.status != AttributeStatus::Works {
            let line = shown(usage.line.text.trim().as_bstr());
            notes.push(format!("`{line}`: {}", text::attribute_status(&usage)));
        }
    }
    let text = bstr::join("\n", new);
    let source = target.source.shown.as_bstr();
    let is_top = target.source.base.is_top();
    let read = AttributeFile::parse(&text, source, is_top, context.snapshot.case());
    let storage = Setting::text("filter", "lfs");
    let is_stored = read
        .rules
        .iter()
        .any(|rule| rule.settings.contains(&storage));
    let repository = context.snapshot.repository.as_ref();
    let stores = repository.is_some_and(|repository| repository.stores_large_files);
    if is_stored && !stores {
        notes.push(
            "Git LFS is not set up here, so git would store these files whole: install git-lfs \
             and run `git lfs install`"
                .to_owned(),
        );
    }
    Ok(notes)
}

/// Lines with what they do.
struct Lines<'a> {
    top: &'a Path,
    only_idle: bool,
    lines: Vec<AttributeUsage>,
}

impl Report for Lines<'_> {
    type Document = AttributeLinesOut;

    fn text(&self) -> Result<String> {
        if self.lines.is_empty() {
            return Ok(if self.only_idle {
                format!("{}\n", Paint::Good.on("every line does what it seems to"))
            } else {
                format!(
                    "no attributes are set here; {} writes those that fit\n",
                    Paint::Type.on("redshank draft --attributes")
                )
            });
        }
        let mut text = String::new();
        for group in self.lines.chunk_by(|a, b| a.line.source == b.line.source) {
            let source = shown(group[0].line.source.as_bstr());
            writeln!(text, "{}", Paint::Head.on(source))?;
            let columns = [
                Align::Right,
                Align::Whole,
                Align::Right,
                Align::Right,
                Align::Left,
            ];
            let mut table = Table::new(&columns);
            for usage in group {
                // A line may be there before the first file of its type.
                let paint = match usage.status {
                    AttributeStatus::Works => Paint::Type,
                    AttributeStatus::MatchesNothing => Paint::Quiet,
                    _ => Paint::Warn,
                };
                let decides = usage.decides.files > 0;
                let number = |text: String| if decides { text } else { String::new() };
                table.row([
                    Cell::painted(Paint::Quiet, usage.line.line),
                    Cell::painted(paint, text::pattern(usage.line.text.trim().as_bstr())),
                    number(count(usage.decides.files)).into(),
                    number(usage.decides.size.to_string()).into(),
                    Cell::painted(Paint::Quiet, text::attribute_status(usage)),
                ]);
            }
            text += &table.text();
        }
        Ok(text)
    }

    fn document(&self) -> AttributeLinesOut {
        AttributeLinesOut {
            schema: "redshank.attribute-lines/1",
            root: root(self.top),
            lines: self.rows().collect(),
        }
    }
}

impl Listing for Lines<'_> {
    type Row = AttributeLineOut;

    fn rows(&self) -> impl Iterator<Item = AttributeLineOut> {
        self.lines.iter().map(AttributeLineOut::from)
    }
}

/// What lines would do.
struct Tried<'a> {
    top: &'a Path,
    typed: &'a [String],
    effect: AttributeEffect,
    notes: Vec<String>,
}

impl Report for Tried<'_> {
    type Document = AttributeEffectOut;

    fn text(&self) -> Result<String> {
        let mut text = output::attribute_effect(&self.effect);
        if self.effect.changes.is_empty() {
            let nothing = "changes nothing: no file here gets another attribute";
            text += &format!("{}\n", Paint::Warn.on(nothing));
        }
        for note in &self.notes {
            text += &format!("{}\n", Paint::Warn.on(wrapped(note)));
        }
        Ok(text + &format!("{}\n", Paint::Quiet.on("nothing was written")))
    }

    fn document(&self) -> AttributeEffectOut {
        AttributeEffectOut::new(
            self.top,
            self.typed.to_vec(),
            false,
            &self.effect,
            self.notes.clone(),
        )
    }
}
