//! Answers to a stream of questions: what is asked already is answered before more is waited for,
//! by several workers side by side.

use super::ask;
use anyhow::{Result, bail};
use bstr::{BStr, ByteSlice};
use rayon::prelude::*;
use redshank_context::{Context, found};
use redshank_output::{put, screen};
use redshank_report::{AnswerOut, OutputFormat, RuleOut};
use redshank_rules::{RuleId, Ruling};
use redshank_text as text;
use redshank_worktree::Verdicts;
use redshank_worktree::tree::State;
use serde_json::value::{RawValue, to_raw_value};
use std::collections::HashMap;
use std::collections::hash_map::Entry;
use std::io::{Read, Write};
use std::process::ExitCode;

/// How much is read in one go, in bytes.
const READ_AT_ONCE: usize = 1 << 20;

/// Below this many bytes of questions, one worker is quicker than several.
const WORTH_SHARING: usize = 1 << 12;

/// Answers the standard input's questions, each ending with the byte `end`.
pub fn run(
    context: &Context,
    format: OutputFormat,
    verdicts: &Verdicts,
    end: u8,
) -> Result<ExitCode> {
    if format == OutputFormat::Json {
        bail!("answers to a stream have no end to close a document with\n  use --format jsonl");
    }
    let mut workers: Vec<Worker> = (0..rayon::current_num_threads())
        .map(|_| Worker::new(context, verdicts))
        .collect();
    let mut input = std::io::stdin().lock();
    let mut asked = Vec::new();
    loop {
        let before = asked.len();
        asked.resize(before + READ_AT_ONCE, 0);
        let read = input.read(&mut asked[before..])?;
        asked.truncate(before + read);
        let whole = if read == 0 {
            asked.len()
        } else {
            asked.rfind_byte(end).map_or(0, |at| at + 1)
        };
        answer(&mut workers, &asked[..whole], end)?;
        if read == 0 {
            return Ok(found(
                context.args.quiet && workers.iter().any(|worker| !worker.all_ignored),
            ));
        }
        asked.drain(..whole);
    }
}

/// Shares questions among the clerks, and puts the answers out in the order of the questions.
fn answer(workers: &mut [Worker], questions: &[u8], end: u8) -> Result<()> {
    let shares = if questions.len() < WORTH_SHARING {
        1
    } else {
        workers.len()
    };
    let mut rest = questions;
    let mut given = Vec::new();
    for left in (1..=shares).rev() {
        let fair = rest.len() / left;
        let cut = rest[fair..]
            .find_byte(end)
            .map_or(rest.len(), |at| fair + at + 1);
        let (share, after) = rest.split_at(cut);
        given.push(share);
        rest = after;
    }
    workers
        .par_iter_mut()
        .zip(given)
        .for_each(|(worker, share)| worker.answer(share, end));
    workers.iter_mut().try_for_each(Worker::put_out)?;
    Ok(screen::raw().flush()?)
}

/// One of those who answer side by side.
struct Worker<'a> {
    context: &'a Context<'a>,
    verdicts: &'a Verdicts<'a>,
    told: ToldRules,
    output: Vec<u8>,
    /// Why the question behind the last answer has none.
    failed: Option<anyhow::Error>,
    all_ignored: bool,
}

impl<'a> Worker<'a> {
    fn new(context: &'a Context<'a>, verdicts: &'a Verdicts<'a>) -> Self {
        Self {
            context,
            verdicts,
            told: ToldRules::default(),
            output: Vec::new(),
            failed: None,
            all_ignored: true,
        }
    }

    /// Answers questions up to the first that has no answer.
    fn answer(&mut self, questions: &[u8], end: u8) {
        self.failed = questions
            .split_inclusive(|byte| *byte == end)
            .find_map(|question| {
                let question = question.strip_suffix(&[end]).unwrap_or(question);
                self.answer_one(question.as_bstr()).err()
            });
    }

    fn answer_one(&mut self, given: &BStr) -> Result<()> {
        let (path, answer) = ask(self.context, self.verdicts, given)?;
        self.all_ignored &= answer.state == State::Ignored;
        if self.context.args.quiet {
            return Ok(());
        }
        if self.context.for_people {
            self.output
                .extend(text::answer(self.verdicts, given, &path, &answer)?.bytes());
        } else {
            let rule = answer
                .ruling
                .as_ref()
                .map(|ruling| self.told.json(ruling))
                .transpose()?;
            serde_json::to_writer(&mut self.output, &AnswerOut::new(given, answer.state, rule))?;
            self.output.push(b'\n');
        }
        Ok(())
    }

    fn put_out(&mut self) -> Result<()> {
        if self.context.for_people {
            put!("{}", self.output.as_bstr())?;
        } else {
            screen::raw().write_all(&self.output)?;
        }
        self.output.clear();
        self.failed.take().map_or(Ok(()), Err)
    }
}

/// The rules that were told, as they are written: few rules decide about many paths.
#[derive(Default)]
struct ToldRules(HashMap<RuleId, Box<RawValue>>);

impl ToldRules {
    fn json(&mut self, ruling: &Ruling) -> Result<&RawValue> {
        Ok(match self.0.entry(ruling.id()) {
            Entry::Occupied(told) => told.into_mut(),
            Entry::Vacant(new) => new.insert(to_raw_value(&RuleOut::from(ruling))?),
        })
    }
}
