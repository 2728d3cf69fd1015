use super::found;
use crate::cli::Format;
use crate::context::Context;
use crate::render::{self, Paint, shown};
use crate::report::{ExpectationOut, PathOut, ProveOut, root};
use crate::{put, putln};
use anyhow::{Result, bail};
use bstr::ByteSlice;
use clap::Args;
use quick_junit::{NonSuccessKind, Report, TestCase, TestCaseStatus, TestSuite};
use redshank_core::expect::{Outcome, prove, recorded};
use redshank_core::journal::{Changes, FileChange, Journal};
use redshank_core::settings::{self, Settings};
use redshank_core::tree::{Oracle, Overlay};
use std::process::ExitCode;

/// Run the repository's own expectations
#[derive(Args)]
pub struct Prove {
    /// Propose expectations from what holds today, instead
    #[arg(long)]
    record: bool,
    /// Add the proposed ones to `redshank.toml`
    #[arg(long, requires = "record")]
    write: bool,
}

impl Prove {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        context.recover(self.write)?;
        if self.record {
            return self.record(context);
        }
        let settings = Settings::read(&context.place)?;
        if settings.expect.is_empty() {
            bail!(
                "{} holds no expectations yet\n  `redshank prove --record` proposes some from what holds today",
                settings::FILE
            );
        }
        let oracle = Oracle::new(&context.place, Overlay::new())?;
        let outcomes = prove(&context.place, &oracle, &settings.expect)?;
        let failed = outcomes
            .iter()
            .filter(|outcome| !outcome.wrong.is_empty())
            .count();
        match context.asked.format {
            Format::Text => put!("{}", text(&oracle, &outcomes, failed)?)?,
            Format::Json | Format::Sarif => render::json(&ProveOut {
                schema: "redshank.prove/1",
                root: root(&context.place.top),
                passed: outcomes.len() - failed,
                failed,
                expectations: outcomes.iter().map(expectation).collect(),
            })?,
            Format::Jsonl => render::jsonl(outcomes.iter().map(expectation))?,
            Format::Junit => putln!("{}", junit(&oracle, &outcomes)?)?,
        }
        Ok(found(failed > 0))
    }

    fn record(&self, context: &Context) -> Result<ExitCode> {
        let proposed = recorded(&context.place)?;
        put!("{proposed}")?;
        if self.write {
            // What can't be read as settings isn't added to.
            Settings::read(&context.place)?;
            let before = settings::text(&context.place)?;
            let after = [before.as_deref().unwrap_or_default(), &proposed]
                .concat()
                .into_bytes();
            let change =
                FileChange::of(settings::FILE.into(), before.map(String::into_bytes), after);
            let changes = Changes::of_files(vec![change]);
            Journal::of(&context.place)?.apply("prove --record", &changes)?;
            crate::eputln!(
                "added to {}; {} takes it back",
                settings::FILE,
                Paint::Type.on("redshank undo")
            );
        }
        Ok(ExitCode::SUCCESS)
    }
}

/// What an expectation is about, in words.
fn title(outcome: &Outcome) -> String {
    let expected = outcome.expected;
    let what = expected
        .path
        .as_ref()
        .or(expected.pattern.as_ref())
        .map_or("", |text| text.as_str());
    format!(
        "{} {}",
        shown(what.as_bytes().as_bstr()),
        expected.state.word()
    )
}

fn text(oracle: &Oracle, outcomes: &[Outcome], failed: usize) -> Result<String> {
    let mut text = String::new();
    for outcome in outcomes {
        let because = outcome.expected.because.as_deref().unwrap_or_default();
        let because = Paint::Quiet.on(shown(because.as_bytes().as_bstr()));
        let mark = if outcome.wrong.is_empty() {
            Paint::Good.on("holds ")
        } else {
            Paint::Bad.on("failed")
        };
        text += &format!("{mark}  {}  {because}\n", title(outcome));
        text += &reasons(oracle, outcome)?;
    }
    let all = outcomes.len();
    text += &format!(
        "{}\n",
        Paint::Head.on(format!("{} of {all} hold", all - failed))
    );
    Ok(text)
}

/// Why each path that is not as expected is what it is.
fn reasons(oracle: &Oracle, outcome: &Outcome) -> Result<String> {
    let mut text = String::new();
    for (path, answer) in &outcome.wrong {
        for line in super::why::text(oracle, path.as_bstr(), path.as_bstr(), answer)?.lines() {
            text += &format!("        {line}\n");
        }
    }
    Ok(text)
}

fn expectation(outcome: &Outcome) -> ExpectationOut {
    ExpectationOut {
        path: outcome.expected.path.clone(),
        pattern: outcome.expected.pattern.clone(),
        state: outcome.expected.state.word(),
        because: outcome.expected.because.clone(),
        holds: outcome.wrong.is_empty(),
        paths: outcome.paths,
        wrong: outcome
            .wrong
            .iter()
            .map(|(path, _)| PathOut::of(path.as_bstr()))
            .collect(),
    }
}

/// JUnit XML, as continuous integration reads it.
fn junit(oracle: &Oracle, outcomes: &[Outcome]) -> Result<String> {
    let mut suite = TestSuite::new("redshank prove");
    for outcome in outcomes {
        let status = if outcome.wrong.is_empty() {
            TestCaseStatus::success()
        } else {
            let mut status = TestCaseStatus::non_success(NonSuccessKind::Failure);
            let plain = anstream::adapter::strip_str(&reasons(oracle, outcome)?).to_string();
            status
                .set_message(format!("{} paths are not as expected", outcome.wrong.len()))
                .set_description(plain);
            status
        };
        suite.add_test_case(TestCase::new(title(outcome), status));
    }
    let mut report = Report::new("redshank");
    report.add_test_suite(suite);
    Ok(report.to_string()?)
}
