use super::found;
use crate::cli::Format;
use crate::context::Context;
use crate::put;
use crate::render::{self, Paint, shown};
use crate::report;
use anyhow::{Result, bail};
use bstr::{BStr, BString, ByteSlice, ByteVec};
use clap::Args;
use redshank_core::near::near_misses;
use redshank_core::rules::{Chain, RuleId, Ruling};
use redshank_core::tree::{Answer, Oracle, Overlay, State};
use serde::Serialize;
use serde_json::value::{RawValue, to_raw_value};
use std::borrow::Cow;
use std::collections::HashMap;
use std::collections::hash_map::Entry;
use std::ffi::OsString;
use std::io::{BufRead, BufReader, Write};
use std::process::ExitCode;

/// Which rule decides about a path, whether it exists or not
#[derive(Args)]
pub struct Why {
    /// Paths; one that ends in a slash stands for a folder
    #[arg(required_unless_present = "stdin")]
    paths: Vec<OsString>,
    /// Read paths from the standard input, one a line, and answer each at once
    #[arg(long, conflicts_with = "paths")]
    stdin: bool,
    /// Paths on the standard input end with a NUL
    #[arg(short, requires = "stdin")]
    z: bool,
}

/// One answer, as a line of `--format jsonl`.
#[derive(Serialize)]
struct AnswerOut<'a, R> {
    path: Cow<'a, str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    path_b64: Option<String>,
    verdict: State,
    rule: Option<R>,
}

#[derive(Serialize)]
struct RuleOut<'a> {
    source: Cow<'a, str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    source_b64: Option<String>,
    line: u32,
    pattern: Cow<'a, str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pattern_b64: Option<String>,
    negated: bool,
}

impl<'a> From<&'a Ruling> for RuleOut<'a> {
    fn from(ruling: &'a Ruling) -> Self {
        let rule = ruling.rule();
        let (source, source_b64) = report::text(ruling.source().shown.as_bstr());
        let (pattern, pattern_b64) = report::text(rule.text.as_bstr());
        Self { source, source_b64, line: rule.line, pattern, pattern_b64, negated: rule.negated }
    }
}

impl Why {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        let oracle = Oracle::new(&context.place, Overlay::new())?;
        if self.stdin {
            return self.stream(context, &oracle);
        }
        let mut all_ignored = true;
        let mut answers = Vec::new();
        for path in &self.paths {
            let given = BString::from(Vec::from_os_str_lossy(path).into_owned());
            let (path, answer) = ask(context, &oracle, given.as_bstr())?;
            let path = path.into_owned();
            all_ignored &= answer.state == State::Ignored;
            answers.push((given, path, answer));
        }
        match context.asked.format {
            _ if context.asked.quiet => {}
            Format::Json | Format::Junit => render::json(
                &answers
                    .iter()
                    .map(|(given, _, answer)| {
                        out(given.as_bstr(), answer.state, answer.ruling.as_ref().map(RuleOut::from))
                    })
                    .collect::<Vec<_>>(),
            )?,
            Format::Jsonl => render::jsonl(answers.iter().map(|(given, _, answer)| {
                out(given.as_bstr(), answer.state, answer.ruling.as_ref().map(RuleOut::from))
            }))?,
            Format::Text => {
                for (given, path, answer) in &answers {
                    put!("{}", text(&oracle, given.as_bstr(), path.as_bstr(), answer)?)?;
                }
            }
        }
        Ok(found(context.asked.quiet && !all_ignored))
    }

    /// Answers each question as it comes: nothing waits for the next.
    fn stream(&self, context: &Context, oracle: &Oracle) -> Result<ExitCode> {
        let mut input = BufReader::with_capacity(1 << 16, std::io::stdin().lock());
        let mut output = Vec::with_capacity(2 * FLUSH_AT);
        let mut told = ToldRules::default();
        let end = if self.z { 0 } else { b'\n' };
        let mut question = Vec::new();
        let mut all_ignored = true;
        loop {
            // What is asked already is answered in one go; before waiting for more, all answers are out.
            if input.buffer().is_empty() || output.len() > FLUSH_AT {
                put_out(&mut output)?;
            }
            question.clear();
            if input.read_until(end, &mut question)? == 0 {
                put_out(&mut output)?;
                return Ok(found(context.asked.quiet && !all_ignored));
            }
            let given = question.strip_suffix(&[end]).unwrap_or(&question).as_bstr();
            let (path, answer) = match ask(context, oracle, given) {
                Ok(found) => found,
                Err(error) => {
                    put_out(&mut output)?;
                    return Err(error);
                }
            };
            all_ignored &= answer.state == State::Ignored;
            match context.asked.format {
                _ if context.asked.quiet => {}
                Format::Text => {
                    put!("{}", text(oracle, given, path.as_bstr(), &answer)?)?;
                }
                Format::Json | Format::Junit => {
                    bail!("answers to a stream have no end to close a document with\n  use --format jsonl")
                }
                Format::Jsonl => {
                    let rule = answer.ruling.as_ref().map(|ruling| told.json(ruling)).transpose()?;
                    serde_json::to_writer(&mut output, &out(given, answer.state, rule))?;
                    output.push(b'\n');
                }
            }
        }
    }
}

fn ask<'a>(context: &Context, oracle: &Oracle, given: &'a BStr) -> Result<(Cow<'a, [u8]>, Answer)> {
    let path = context.resolve_bytes(given)?;
    if path.is_empty() {
        bail!("{given} is the top folder itself; no rule applies to it\n  name a path inside it");
    }
    let answer = oracle.ask(path.as_bstr())?;
    if let Some(length) = answer.link {
        let link = shown(path[..length].as_bstr());
        bail!(
            "{given} leads through the link {link}\n  git looks at the link, not behind it; name the link or the real path"
        );
    }
    Ok((path, answer))
}

fn out<R>(given: &BStr, verdict: State, rule: Option<R>) -> AnswerOut<'_, R> {
    let (path, path_b64) = report::text(given);
    AnswerOut { path, path_b64, verdict, rule }
}

/// How much is answered before it is put out, in bytes, where questions keep coming.
const FLUSH_AT: usize = 1 << 16;

fn put_out(output: &mut Vec<u8>) -> Result<()> {
    let mut out = std::io::stdout().lock();
    out.write_all(output)?;
    out.flush()?;
    output.clear();
    Ok(())
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

/// The answer in words.
pub fn text(oracle: &Oracle, given: &BStr, at: &BStr, answer: &Answer) -> Result<String> {
    let path = Paint::Head.on(shown(given));
    let ignores = answer.ruling.as_ref().is_some_and(Ruling::ignores);
    let mut text = match (answer.state, &answer.ruling) {
        (State::Tracked, Some(_)) if ignores => {
            format!("{path} is tracked already, so rules do nothing for it\n")
        }
        (State::Tracked, _) => format!("{path} is tracked\n"),
        (State::Ignored, _) => format!("{path} is {}\n", Paint::Warn.on("ignored")),
        (State::Candidate, Some(_)) => {
            format!("{path} is {}: an exception lets it in\n", Paint::Good.on("not ignored"))
        }
        (State::Candidate, None) => format!("{path} is {}: no rule matches it\n", Paint::Good.on("not ignored")),
    };
    if let Some(ruling) = &answer.ruling {
        text += &marked(ruling);
        if let Some(length) = answer.shut {
            let folder = shown(at[..=length].as_bstr());
            text += &format!("    the rule shuts the folder {folder}; no exception can let in a file below it\n");
            text += &in_vain(&oracle.rules_at(at)?, at, ruling);
        } else {
            text += &overridden(&oracle.rules_at(at)?, at);
        }
        if answer.state == State::Tracked && ignores {
            let command = Paint::Type.on(format!("git rm --cached {}", shown(given)));
            text += &format!("    {command} stops tracking it and keeps it on disk\n");
        }
    }
    if answer.state == State::Candidate && answer.ruling.is_none() {
        text += &near(&oracle.rules_at(at)?, at);
    }
    Ok(text)
}

/// The exceptions that can't work because a folder above is shut, and what to do instead.
fn in_vain(rules: &Chain, path: &BStr, shutting: &Ruling) -> String {
    let bare = path.strip_suffix(b"/").unwrap_or(path).as_bstr();
    let exceptions = rules.all_rulings(bare, bare.len() < path.len()).into_iter().filter(|ruling| !ruling.ignores());
    let rule = shown(shutting.rule().text.as_bstr());
    let open = format!("{}/*", rule.trim_end_matches('/'));
    exceptions
        .map(|exception| {
            let mend = format!("`{}` instead of `{rule}` leaves the folder open", Paint::Type.on(&open));
            format!("    {} cannot work; {mend}\n", told(&exception))
        })
        .collect()
}

/// The rules that match, too, and are overridden.
fn overridden(rules: &Chain, path: &BStr) -> String {
    let bare = path.strip_suffix(b"/").unwrap_or(path).as_bstr();
    let all = rules.all_rulings(bare, bare.len() < path.len());
    all.iter().skip(1).take(NEAR).map(|ruling| format!("    overrides {}\n", told(ruling))).collect()
}

/// Where a rule stands, and the rule.
fn told(ruling: &Ruling) -> String {
    let place = format!("{}:{}", shown(ruling.source().shown.as_bstr()), ruling.rule().line);
    format!("{}  {}", Paint::Quiet.on(place), shown(ruling.rule().text.as_bstr()))
}

/// How many rules that nearly matched, or are overridden, are told.
const NEAR: usize = 3;

/// The rules that nearly matched, and what would.
fn near(rules: &Chain, path: &BStr) -> String {
    let misses = near_misses(rules, path);
    let told = misses.iter().take(NEAR).map(|miss| {
        let place = format!("{}:{}", shown(miss.source.as_bstr()), miss.line);
        let (pattern, mended) = (shown(miss.pattern.as_bstr()), shown(miss.mended.as_bstr()));
        let mend = if pattern == mended { String::new() } else { format!("; {} would match", Paint::Type.on(mended)) };
        format!("    {}  {pattern}  nearly: {}{mend}\n", Paint::Quiet.on(place), miss.because)
    });
    told.collect()
}

/// The deciding line with a marker under the rule.
fn marked(ruling: &Ruling) -> String {
    let rule = shown(ruling.rule().text.as_bstr());
    marked_line(&format!("{}:{}", shown(ruling.source().shown.as_bstr()), ruling.rule().line), &rule)
}

/// A line of a file with a marker under all of it.
pub fn marked_line(place: &str, line: &str) -> String {
    let indent = " ".repeat(place.chars().count());
    let mark = "^".repeat(line.chars().count().max(1));
    format!("    {}  {line}\n    {indent}  {}\n", Paint::Quiet.on(place), Paint::Warn.on(mark))
}
