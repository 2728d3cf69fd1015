//! What should not be tracked, one class after the other, or one finding.

use super::Walk;
use anyhow::Result;
use bstr::ByteSlice;
use redshank_changes::plan::{Plan, PlanOptions};
use redshank_context::ask;
use redshank_findings::{Cause, Exposure, Finding, Level, Remedy};
use redshank_output::putln;
use redshank_text::{self as text, Paint, count, files, shown};
use redshank_worktree::Class;
use redshank_worktree::tree::State;

/// At most this many paths of a class are named.
const NAMED: usize = 4;

/// What an answer is to several findings.
const FIX_ALL: &[ask::Answer] = &[
    ('y', "yes"),
    ('n', "no, leave them"),
    ('d', "difference"),
    ('e', "each by itself"),
    ('a', "accept them, with a reason"),
];

/// What it is where Enter alone must change nothing, for others have the files already.
const LEAVE_ALL: &[ask::Answer] = &[
    ('n', "no, leave them"),
    ('y', "yes"),
    ('d', "difference"),
    ('e', "each by itself"),
    ('a', "accept them, with a reason"),
];

/// The same to files too large, where there is storage for them.
const FIX_OR_STORE: &[ask::Answer] = &[
    ('y', "yes"),
    ('n', "no, leave them"),
    ('d', "difference"),
    ('e', "each by itself"),
    ('a', "accept them, with a reason"),
    ('k', "ignore them"),
    ('t', "type: large-file storage for all files of these types"),
    (
        'f',
        "folder: large-file storage for all files of these folders",
    ),
];

/// What an answer is to one finding.
const FIX_ONE: &[ask::Answer] = &[
    ('y', "yes"),
    ('n', "no, leave it"),
    ('a', "accept it, with a reason"),
];

impl Walk<'_> {
    pub(super) fn findings(&self) -> Result<()> {
        let context = self.context()?;
        let result = context.scan(&context.scan_options())?;
        let repository = context.snapshot.repository.as_ref();
        let stores = repository.is_some_and(|repository| repository.stores_large_files);
        drop(context);
        let serious = result.findings.iter();
        let serious = serious.filter(|one| one.level < Level::Note);
        let serious: Vec<&Finding> = serious.collect();
        let notes = result.findings.len() - serious.len();
        let (not_scanned, unread) = (text::not_scanned(&result), result.unread.len());
        if !serious.is_empty() || !self.is_begun {
            self.title(3, "Files that shouldn't be committed")?;
            let others = text::level_counts(0, 0, notes);
            match (serious.is_empty(), notes, result.is_complete()) {
                (true, 0, true) => putln!("Nothing was found.")?,
                (true, 0, false) => putln!("Nothing was found in what was scanned.")?,
                (true, ..) => putln!(
                    "No errors and no warnings; {others}: {}",
                    Paint::Type.on("redshank check --level note")
                )?,
                _ => {}
            }
        }
        for said in not_scanned {
            putln!("{}", Paint::Warn.on(said))?;
        }
        if unread > 0 {
            putln!(
                "{}",
                Paint::Warn.on(format!("{} could not be read", files(unread as u64)))
            )?;
        }
        for class in Class::ALL {
            let of_class = serious.iter().filter(|one| one.class() == class);
            let (fixed, by_hand): (Vec<&Finding>, Vec<&Finding>) = of_class
                .copied()
                .partition(|one| !matches!(one.remedy, Remedy::ByHand(_)));
            for finding in &by_hand {
                say(finding)?;
                putln!("  {} {}", Paint::Good.on("fix:"), text::remedy(finding))?;
            }
            if !fixed.is_empty() && !self.setup.leave.contains(&class) {
                let paths = fixed.iter().take(NAMED).map(|one| shown(&one.path));
                let mut paths: Vec<String> = paths.collect();
                if fixed.len() > NAMED {
                    paths.push(format!("and {} more", fixed.len() - NAMED));
                }
                putln!("{} {}", Paint::Warn.on(class), paths.join(", "))?;
                self.fix(class, &fixed, stores)?;
            }
        }
        self.samples()
    }

    fn samples(&self) -> Result<()> {
        let options = PlanOptions {
            with_samples: true,
            ..PlanOptions::default()
        };
        let samples = Plan::build(&self.context()?.snapshot, Vec::new(), options)?;
        let question = "Write a sample without values beside the environment file?";
        let answers = Self::preferred(self.args.preferences.setup.sample);
        if !samples.steps.is_empty() && self.asked(question, answers)? == 'y' {
            self.ours(&["tidy", "--only", "secret", "--apply", "--quiet"])?;
        }
        Ok(())
    }

    fn fix(&self, class: Class, fixed: &[&Finding], stores: bool) -> Result<()> {
        let what = match fixed.len() {
            1 => "this".to_owned(),
            many => format!("these {}", count(many as u64)),
        };
        let is_pushed =
            |one: &&Finding| one.state == State::Tracked && one.exposure == Exposure::Pushed;
        let are_pushed = fixed.iter().any(is_pushed);
        let question = match are_pushed {
            true => {
                putln!(
                    "{}: git stops tracking them, and the next pull deletes them on the disks of \
                     everybody else. What was pushed stays in the history.",
                    Paint::Warn.on("Others have some of these already")
                )?;
                format!("Fix {what}, although others lose them?")
            }
            false
                if fixed
                    .iter()
                    .all(|one| matches!(one.remedy, Remedy::KeepOut(_))) =>
            {
                format!("Fix {what}? (ignored; stays on disk)")
            }
            false => format!("Fix {what}?"),
        };
        let answers = match stores
            && fixed
                .iter()
                .any(|one| matches!(one.cause, Cause::TooLarge { .. }))
        {
            _ if are_pushed => LEAVE_ALL,
            true => FIX_OR_STORE,
            false => FIX_ALL,
        };
        if are_pushed && !self.asks {
            putln!(
                "Left as they are; {} fixes them.",
                Paint::Type.on("redshank tidy --apply")
            )?;
            return Ok(());
        }
        let tidy = ["tidy", "--only", class.word()];
        let apply = |more: &[&str]| {
            let words = [&tidy, more, &["--apply", "--quiet"]].concat();
            self.ours(&words).map(drop)
        };
        if let (Some(way), Class::Oversized, false) = (&self.setup.large, class, self.asks) {
            return apply(&["--large", way]);
        }
        loop {
            return match self.asked(&question, answers)? {
                'd' => {
                    self.ours(&tidy)?;
                    continue;
                }
                'y' => apply(&[]),
                'k' => apply(&["--large", "ignore"]),
                't' => apply(&["--large", "store-type"]),
                'f' => apply(&["--large", "store-folder"]),
                'a' => self.accept(fixed),
                'e' => {
                    let left = self.one_by_one(fixed)?;
                    match left.len() == fixed.len() {
                        true => Ok(()),
                        false if left.is_empty() => apply(&[]),
                        false => apply(&["--skip", &left.join(",")]),
                    }
                }
                _ => Ok(()),
            };
        }
    }

    /// Asks about each; returns the ids of those that stay as they are and were not accepted.
    fn one_by_one(&self, fixed: &[&Finding]) -> Result<Vec<String>> {
        let mut left = Vec::new();
        for finding in fixed {
            say(finding)?;
            match self.asked(&format!("  {}?", text::remedy(finding)), FIX_ONE)? {
                'y' => {}
                // What is accepted is not a finding any more.
                'a' => self.accept(&[finding])?,
                _ => left.push(finding.id.clone()),
            }
        }
        Ok(left)
    }

    fn accept(&self, findings: &[&Finding]) -> Result<()> {
        let Some(because) = ask::text("Why is this OK? (Enter to skip)")? else {
            return Ok(());
        };
        for finding in findings {
            let words = [
                "accept",
                &finding.id,
                "--because",
                &because,
                "--write",
                "--quiet",
            ];
            self.ours(&words)?;
        }
        Ok(())
    }
}

pub(super) fn say(finding: &Finding) -> Result<()> {
    let place = text::place(finding);
    let message = text::message(finding);
    let message = shown(message.as_bytes().as_bstr());
    Ok(putln!(
        "{} {place}: {message}",
        Paint::Warn.on(finding.class())
    )?)
}
