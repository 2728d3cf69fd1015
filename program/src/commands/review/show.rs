//! What a review found, for people.

use super::Reviewed;
use anyhow::Result;
use redshank_output::{Align, Cell, Table, attribute_effect};
use redshank_report::{Report, ReviewOut};
use redshank_rules::RepoPathBuf;
use redshank_secrets::masked;
use redshank_text::{Paint, count, files, shown};
use redshank_worktree::settings::{self, Expectation};
use redshank_worktree::{DecidingRule, MovedPath, RuleChange};
use std::fmt::Write;

/// At most this many files of a kind are named.
const NAMED: usize = 20;

impl Report for Reviewed<'_> {
    type Document = ReviewOut;

    fn text(&self) -> Result<String> {
        let review = &self.review;
        let mut text = format!("{}\n", self.compared.title());
        if review.is_empty() {
            let none = Paint::Good.on("no file of rules or settings differs");
            writeln!(text, "{none}")?;
            return Ok(text);
        }
        for (what, paths) in [
            ("rules changed in", &review.changed),
            ("attributes changed in", &review.changed_attributes),
            ("settings changed in", &review.changed_settings),
        ] {
            if !paths.is_empty() {
                writeln!(text, "{} {}", Paint::Quiet.on(what), listed(paths))?;
            }
        }
        if !self.conflicts.is_empty() {
            let said = "the merge will stop for you; until then both sides count";
            writeln!(text, "{}: {}", Paint::Bad.on(said), listed(&self.conflicts))?;
        }
        text += &self.text_of_paths()?;
        text += &self.text_of_rules();
        text += &attribute_effect(&review.attributes);
        text += &self.text_of_settings()?;
        Ok(text)
    }

    fn document(&self) -> ReviewOut {
        let super::Compared { base, head, after } = &self.compared;
        ReviewOut::new(
            self.top,
            base,
            head.as_deref(),
            *after,
            &self.review,
            &self.conflicts,
        )
    }
}

fn listed(paths: &[RepoPathBuf]) -> String {
    let paths: Vec<String> = paths.iter().map(|path| shown(path)).collect();
    paths.join(", ")
}

impl Reviewed<'_> {
    fn text_of_paths(&self) -> Result<String> {
        let review = &self.review;
        let mut text = String::new();
        if review.changed.is_empty() {
            return Ok(text);
        }
        let (tracked, ignored): (Vec<&MovedPath>, Vec<&MovedPath>) =
            review.ignored.iter().partition(|moved| moved.is_tracked);
        let included: Vec<&MovedPath> = review.included.iter().collect();
        list(&mut text, &Paint::Warn.on("newly ignored"), &ignored)?;
        list(&mut text, &Paint::Head.on("no longer ignored"), &included)?;
        let although = Paint::Bad.on("newly ignored, although tracked");
        list(&mut text, &although, &tracked)?;
        if review.ignored.is_empty() && review.included.is_empty() {
            writeln!(
                text,
                "{}",
                Paint::Good.on("no file that is here changes sides")
            )?;
        }
        if !tracked.is_empty() {
            let fix =
                "the rules do nothing for tracked files: re-include them, or stop tracking them";
            writeln!(text, "{fix}: {}", Paint::Type.on("redshank untrack PATH"))?;
        }
        Ok(text)
    }

    /// The rules that began, or ended, to do something.
    fn text_of_rules(&self) -> String {
        let rules = &self.review.rules;
        // A new rule that catches something is named beside what it catches.
        let shown_ones = rules.iter().filter(|one| match one.change {
            RuleChange::New => one.after == 0,
            RuleChange::Gone => one.before > 0,
            RuleChange::Began | RuleChange::Idle => true,
        });
        let shown_ones: Vec<_> = shown_ones.collect();
        if shown_ones.is_empty() {
            return String::new();
        }
        let mut table = Table::new(&[Align::Left, Align::Whole, Align::Whole, Align::Left]);
        for one in shown_ones.iter().take(NAMED) {
            let (paint, word, many) = match one.change {
                RuleChange::New => (Paint::Warn, "new, decides nothing", 0),
                RuleChange::Began => (Paint::Head, "begins to decide", one.after),
                RuleChange::Idle => (Paint::Warn, "decides nothing now", one.before),
                RuleChange::Gone => (Paint::Quiet, "gone", one.before),
            };
            let many = match (many, one.change) {
                (0, _) => String::new(),
                (many, RuleChange::Began) => files(many),
                (many, _) => format!("it was {}", files(many)),
            };
            table.row([
                Cell::painted(paint, word.to_owned()),
                Cell::painted(Paint::Type, shown(one.rule.pattern.as_ref())),
                Cell::painted(Paint::Quiet, place(&one.rule)),
                Cell::painted(Paint::Quiet, many),
            ]);
        }
        let mut text = format!("{}\n{}", Paint::Head.on("rules:"), table.text());
        if let Some(more) = shown_ones.len().checked_sub(NAMED).filter(|more| *more > 0) {
            text += &format!("  and {} more\n", count(more as u64));
        }
        text
    }

    fn text_of_settings(&self) -> Result<String> {
        let settings = &self.review.settings;
        let mut text = String::new();
        if let Some(fault) = &settings.fault {
            writeln!(
                text,
                "{}: {fault}",
                Paint::Bad.on("the settings can't be read")
            )?;
        }
        for (title, expectations) in [
            (Paint::Bad.on("expectations that break"), &settings.broken),
            (Paint::Warn.on("expectations dropped"), &settings.dropped),
        ] {
            if !expectations.is_empty() {
                writeln!(text, "{title}:")?;
            }
            for one in expectations {
                writeln!(text, "  {}", expectation(one))?;
            }
        }
        if !settings.accepted.is_empty() {
            writeln!(text, "{}:", Paint::Warn.on("findings accepted"))?;
        }
        for one in &settings.accepted {
            let because = shown(masked(&one.because).as_bytes().into());
            writeln!(
                text,
                "  {}  {}  {}",
                shown(one.path.as_bytes().into()),
                Paint::Quiet.on(&one.rule),
                Paint::Quiet.on(because)
            )?;
        }
        let templates = self.review.changed_settings.iter();
        if templates.into_iter().any(|path| *path != *settings::FILE) {
            let typed = Paint::Type.on("redshank draft --refresh");
            writeln!(
                text,
                "templates changed: {typed} shows what that does to the rules here"
            )?;
        }
        Ok(text)
    }
}

/// An expectation in a line.
pub(super) fn expectation(one: &Expectation) -> String {
    let subject = one.path.as_ref().or(one.pattern.as_ref());
    let subject = subject.map_or("", String::as_str);
    let because = one.because.as_ref().map_or(String::new(), |because| {
        format!(": {}", shown(masked(because).as_bytes().into()))
    });
    let subject = shown(subject.as_bytes().into());
    format!("{subject} {}{because}", one.expected())
}

/// Where a rule is.
fn place(rule: &DecidingRule) -> String {
    format!("{}:{}", shown(rule.file.as_ref()), rule.line)
}

/// A few of some paths, below what they are, each with the rule that ignores it, or did.
fn list(text: &mut String, what: &str, moved: &[&MovedPath]) -> Result<()> {
    if moved.is_empty() {
        return Ok(());
    }
    writeln!(
        text,
        "{what}  {}",
        Paint::Quiet.on(files(moved.len() as u64))
    )?;
    let mut table = Table::new(&[Align::Whole, Align::Whole, Align::Whole]);
    for moved in moved.iter().take(NAMED) {
        let (pattern, line) = moved.rule.as_ref().map_or_else(Default::default, |rule| {
            (shown(rule.pattern.as_ref()), place(rule))
        });
        table.row([
            shown(&moved.path).into(),
            Cell::painted(Paint::Type, pattern),
            Cell::painted(Paint::Quiet, line),
        ]);
    }
    *text += &table.text();
    if let Some(more) = moved.len().checked_sub(NAMED).filter(|more| *more > 0) {
        writeln!(text, "  and {} more", count(more as u64))?;
    }
    Ok(())
}
