use anyhow::{Result, bail};
use bstr::ByteSlice;
use clap::Args;
use redshank_changes::Edit;
use redshank_context::{Context, GlobalArgs, Proposal, found};
use redshank_findings::Finding;
use redshank_output::{self as output, Align, Cell, JunitCase, Table, putln, width};
use redshank_report::{
    ExpectationOut, Listing, OutputFormat, ProposedOut, ProveOut, RecordOut, Report, TESTS, root,
};
use redshank_rules::RepoPath;
use redshank_secrets::masked;
use redshank_text::{self as text, Paint, shortened, shown};
use redshank_worktree::expectations::{Actual, Outcome, prove, recorded};
use redshank_worktree::settings;
use redshank_worktree::{Overlay, Verdicts};
use std::path::Path;
use std::process::ExitCode;

/// Test the repository's own expectations
#[derive(Args)]
pub struct Prove {
    /// Propose expectations from what is ignored and kept today, instead
    #[arg(long)]
    record: bool,
    /// Add the proposed ones to `redshank.toml`
    #[arg(long, requires = "record")]
    write: bool,
    /// How the answer is written
    #[arg(long, value_parser = TESTS.parser(), default_value = "text")]
    format: OutputFormat,
}

impl Prove {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        context.recover(self.write)?;
        if self.record {
            return self.record(&context);
        }
        let expected = &context.snapshot.settings()?.expect;
        if expected.is_empty() {
            bail!(
                "{} holds no expectations yet\n  `redshank prove --record` proposes some from \
                 what holds today",
                settings::FILE
            );
        }
        let verdicts = Verdicts::new(&context.snapshot, Overlay::new())?;
        let proof = Proof {
            top: &context.snapshot.top,
            outcomes: prove(&context.snapshot, &verdicts, &Overlay::new(), expected)?,
            verdicts: &verdicts,
            quiet: args.quiet,
        };
        match self.format {
            OutputFormat::Junit => putln!("{}", proof.junit()?)?,
            format => format.print_list(&proof)?,
        }
        Ok(found(proof.failed() > 0))
    }

    fn record(&self, context: &Context) -> Result<ExitCode> {
        if self.format == OutputFormat::Junit {
            bail!("what is proposed is no test run\n  use --format json, or leave out --record")
        }
        let findings = context.scan(&context.scan_options())?.findings;
        let covers = |finding: &Finding, path: &RepoPath| {
            path == &*finding.path || path.is_within(&finding.path)
        };
        // What somebody accepted is none of ours to name.
        let accepted = &context.snapshot.settings()?.accept;
        let is_work = |path: &RepoPath| {
            let mut places = findings.iter().flat_map(Finding::places);
            let is_accepted = accepted
                .iter()
                .any(|one| path.as_bstr() == one.path.as_bytes());
            !is_accepted && !places.any(|place| covers(place, path))
        };
        let proposed = recorded(&context.snapshot, &is_work)?;
        let settings = context.snapshot.settings()?;
        let after = settings.with_expectations(&proposed)?;
        let outcome = Proposal {
            command: "prove --record",
            write: self.write,
            on_rules: false,
            edits: vec![Edit::of_settings(settings, after)],
            notes: Vec::new(),
            summary: None,
        }
        .carry_out(context)?;
        let rows = || proposed.iter().map(ProposedOut::from);
        match self.format {
            OutputFormat::Json => output::json(&RecordOut {
                schema: "redshank.record/1",
                root: root(&context.snapshot.top),
                expectations: rows().collect(),
                written: outcome.written,
            })?,
            OutputFormat::Jsonl => output::jsonl(rows())?,
            _ => {}
        }
        Ok(ExitCode::SUCCESS)
    }
}

/// How expectations came out.
struct Proof<'a> {
    top: &'a Path,
    verdicts: &'a Verdicts<'a>,
    outcomes: Vec<Outcome<'a>>,
    /// Only those that fail are reported, and how many hold.
    quiet: bool,
}

impl Proof<'_> {
    fn failed(&self) -> usize {
        let failed = self.outcomes.iter().filter(|one| !one.wrong.is_empty());
        failed.count()
    }

    /// Why each path that is not as expected is what it is.
    fn reasons(&self, outcome: &Outcome) -> Result<String> {
        let mut text = String::new();
        for (path, answer) in &outcome.wrong {
            let path = path.as_bstr();
            let answer = match answer {
                Actual::Verdict(answer) => text::answer(self.verdicts, path, path.into(), answer)?,
                Actual::Attribute(found) => text::attribute_given(path, found.as_ref()),
            };
            for line in answer.lines() {
                text += &format!("        {line}\n");
            }
        }
        Ok(text)
    }

    fn junit(&self) -> Result<String> {
        let cases: Result<Vec<JunitCase>> = self
            .outcomes
            .iter()
            .map(|outcome| {
                let many = outcome.wrong.len();
                let failure = match many {
                    0 => None,
                    _ => {
                        let reasons = self.reasons(outcome)?;
                        let plain = anstream::adapter::strip_str(&reasons).to_string();
                        Some((format!("{many} paths are not as expected"), plain))
                    }
                };
                let name = title(outcome);
                let took = outcome.took;
                Ok(JunitCase {
                    name,
                    took,
                    failure,
                })
            })
            .collect();
        output::junit("redshank.prove", &cases?)
    }
}

impl Report for Proof<'_> {
    type Document = ProveOut;

    fn text(&self) -> Result<String> {
        let mut table = Table::new(&[Align::Whole, Align::Whole, Align::Whole, Align::Left]);
        let shown_ones: Vec<&Outcome> = self
            .outcomes
            .iter()
            .filter(|outcome| {
                !(self.quiet
                    && outcome.wrong.is_empty()
                    && outcome.only_here.is_none()
                    && outcome.paths > 0)
            })
            .collect();
        for outcome in &shown_ones {
            let because = outcome.expected.because.as_deref().unwrap_or_default();
            let because = shown(masked(because).as_bytes().as_bstr());
            table.row([
                if outcome.wrong.is_empty() {
                    Cell::painted(Paint::Good, "holds")
                } else {
                    Cell::painted(Paint::Bad, "failed")
                },
                shown(outcome.expected.expected().as_bytes().as_bstr()).into(),
                narrowed(&subject(outcome)).into(),
                Cell::painted(Paint::Quiet, because),
            ]);
        }
        let mut text = String::new();
        for (row, outcome) in table.text().lines().zip(&shown_ones) {
            text += &format!("{row}\n{}", self.reasons(outcome)?);
            if outcome.paths == 0 {
                let said = "        no path matches this pattern, so nothing was tried";
                text += &format!("{}\n", Paint::Warn.on(said));
            }
            if let Some((path, ruling)) = &outcome.only_here {
                let said = format!(
                    "        only here: {} by {}; for everybody else, and in CI, it fails",
                    shown(path),
                    text::ruling(ruling)
                );
                text += &format!("{}\n", Paint::Warn.on(said));
            }
        }
        let all = self.outcomes.len();
        let sum = format!("{} of {all} hold", all - self.failed());
        text += &format!("{}\n", Paint::Head.on(sum));
        Ok(text)
    }

    fn document(&self) -> ProveOut {
        let failed = self.failed();
        ProveOut {
            schema: "redshank.prove/1",
            root: root(self.top),
            passed: self.outcomes.len() - failed,
            failed,
            expectations: self.rows().collect(),
        }
    }
}

impl Listing for Proof<'_> {
    type Row = ExpectationOut;

    fn rows(&self) -> impl Iterator<Item = ExpectationOut> {
        self.outcomes.iter().map(ExpectationOut::from)
    }
}

/// What an expectation is about, in words.
fn title(outcome: &Outcome) -> String {
    format!("{} {}", subject(outcome), outcome.expected.expected())
}

/// On a terminal half of a row is left for the reason.
fn narrowed(path: &str) -> String {
    width().map_or(path.to_owned(), |width| shortened(path, width / 2))
}

/// The path, or the pattern.
fn subject(outcome: &Outcome) -> String {
    let expected = outcome.expected;
    let what = expected.path.as_ref().or(expected.pattern.as_ref());
    let what = what.map_or("", |text| text.as_str());
    shown(what.as_bytes().as_bstr())
}
