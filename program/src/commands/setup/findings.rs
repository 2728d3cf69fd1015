//! What should not be tracked, one class after the other, or one finding.

use super::Walk;
use crate::ask;
use crate::render::{Paint, count, shown};
use crate::{putln, words};
use anyhow::Result;
use bstr::ByteSlice;
use redshank_changes::plan::{Plan, PlanOptions};
use redshank_findings::{Cause, Finding, Level, Remedy};
use redshank_worktree::Class;

/// So many paths of a class are named.
const NAMED: usize = 4;

/// What an answer is to several findings.
const MEND_ALL: &[ask::Answer] = &[
    ('y', "yes"),
    ('n', "leave them"),
    ('d', "see what it does"),
    ('e', "each by itself"),
    ('a', "they are all right: accept them, with a reason"),
];

/// The same to files too large, where there is storage for them.
const MEND_OR_STORE: &[ask::Answer] = &[
    ('y', "yes"),
    ('n', "leave them"),
    ('d', "see what it does"),
    ('e', "each by itself"),
    ('a', "they are all right: accept them, with a reason"),
    ('k', "keep them out by rules"),
    ('t', "large-file storage for all files of these types"),
    ('f', "large-file storage for all files of these folders"),
];

/// What an answer is to one finding.
const MEND_ONE: &[ask::Answer] = &[
    ('y', "mend it"),
    ('n', "leave it"),
    ('a', "it is all right: accept it, with a reason"),
];

impl Walk<'_> {
    pub(super) fn findings(&self) -> Result<()> {
        self.title(3, "What should not be tracked")?;
        let context = self.context()?;
        let result = context.scan(&context.scan_options())?;
        let repository = context.snapshot.repository.as_ref();
        let stores = repository.is_some_and(|repository| repository.stores_large_files);
        drop(context);
        let serious = result.findings.iter();
        let serious = serious.filter(|one| one.level < Level::Note);
        let serious: Vec<&Finding> = serious.collect();
        if serious.is_empty() {
            putln!("Nothing was found.")?;
        }
        for class in Class::ALL {
            let of_class = serious.iter().filter(|one| one.class() == class);
            let is_mended = |one: &&Finding| !matches!(one.remedy, Remedy::ByHand(_));
            let (mended, by_hand): (Vec<&Finding>, Vec<&Finding>) =
                of_class.copied().partition(is_mended);
            for finding in &by_hand {
                say(finding)?;
                putln!("  {} {}", Paint::Good.on("mend:"), words::remedy(finding))?;
            }
            if !mended.is_empty() && !self.setup.leave.contains(&class) {
                let paths = mended.iter().take(NAMED).map(|one| shown(&one.path));
                let mut paths: Vec<String> = paths.collect();
                if mended.len() > NAMED {
                    paths.push(format!("and {} more", mended.len() - NAMED));
                }
                putln!("{} {}", Paint::Warn.on(class), paths.join(", "))?;
                self.mend(class, &mended, stores)?;
            }
        }
        self.samples()
    }

    fn samples(&self) -> Result<()> {
        let options = PlanOptions {
            with_samples: true,
            ..PlanOptions::default()
        };
        let samples = Plan::of(&self.context()?.snapshot, Vec::new(), options)?;
        let question = "Write a sample without values beside the environment file?";
        let answers = Self::preferred(self.args.preferences.setup.sample);
        if !samples.steps.is_empty() && self.asked(question, answers)? == 'y' {
            return self.ours(&["tidy", "--only", "secret", "--apply", "--quiet"]);
        }
        Ok(())
    }

    fn mend(&self, class: Class, mended: &[&Finding], stores: bool) -> Result<()> {
        let question = match mended.len() {
            1 => "Mend it?".to_owned(),
            many => format!("Mend these {}?", count(many as u64)),
        };
        let is_large = |one: &&Finding| matches!(one.cause, Cause::TooLarge { .. });
        let answers = match stores && mended.iter().any(is_large) {
            true => MEND_OR_STORE,
            false => MEND_ALL,
        };
        let tidy = ["tidy", "--only", class.word()];
        let apply = |more: &[&str]| {
            let words = [&tidy, more, &["--apply", "--quiet"]].concat();
            self.ours(&words)
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
                'k' => apply(&["--large", "keep-out"]),
                't' => apply(&["--large", "store-type"]),
                'f' => apply(&["--large", "store-folder"]),
                'a' => self.accept(mended),
                'e' => {
                    let left = self.one_by_one(mended)?;
                    match left.len() == mended.len() {
                        true => Ok(()),
                        false if left.is_empty() => apply(&[]),
                        false => apply(&["--skip", &left.join(",")]),
                    }
                }
                _ => Ok(()),
            };
        }
    }

    /// Asks about each; gives the ids of those that stay as they are and were not accepted.
    fn one_by_one(&self, mended: &[&Finding]) -> Result<Vec<String>> {
        let mut left = Vec::new();
        for finding in mended {
            say(finding)?;
            match self.asked(&format!("  {}?", words::remedy(finding)), MEND_ONE)? {
                'y' => {}
                // What is accepted is no finding any more.
                'a' => self.accept(&[finding])?,
                _ => left.push(finding.id.clone()),
            }
        }
        Ok(left)
    }

    fn accept(&self, findings: &[&Finding]) -> Result<()> {
        let Some(because) = ask::text("Why is it all right? (Enter to leave it)")? else {
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

fn say(finding: &Finding) -> Result<()> {
    let place = words::place(finding);
    let message = words::message(finding);
    let message = shown(message.as_bytes().as_bstr());
    Ok(putln!(
        "{} {place}: {message}",
        Paint::Warn.on(finding.class())
    )?)
}
