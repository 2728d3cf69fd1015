use super::found;
use crate::cli::Format;
use crate::context::Context;
use crate::put;
use crate::render::{self, Paint, shown};
use crate::report::{PathOut, b64};
use anyhow::{Result, bail};
use bstr::{BStr, BString, ByteSlice, ByteVec};
use clap::Args;
use redshank_core::near::near_misses;
use redshank_core::rules::Ruling;
use redshank_core::tree::{Answer, Oracle, Overlay, State};
use serde::Serialize;
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
struct AnswerOut {
    #[serde(flatten)]
    path: PathOut,
    verdict: State,
    rule: Option<RuleOut>,
}

#[derive(Serialize)]
struct RuleOut {
    source: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    source_b64: Option<String>,
    line: u32,
    pattern: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    pattern_b64: Option<String>,
    negated: bool,
}

impl From<&Ruling> for RuleOut {
    fn from(ruling: &Ruling) -> Self {
        let (source, rule) = (ruling.source(), ruling.rule());
        Self {
            source: source.shown.to_str_lossy().into_owned(),
            source_b64: b64(source.shown.as_bstr()),
            line: rule.line,
            pattern: rule.text.to_str_lossy().into_owned(),
            pattern_b64: b64(rule.text.as_bstr()),
            negated: rule.negated,
        }
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
            let answer = ask(context, &oracle, given.as_bstr())?;
            all_ignored &= answer.state == State::Ignored;
            answers.push((given, answer));
        }
        match context.asked.format {
            _ if context.asked.quiet => {}
            Format::Json => render::json(&answers.iter().map(out).collect::<Vec<_>>())?,
            Format::Jsonl => render::jsonl(answers.iter().map(out))?,
            Format::Text => {
                for (given, answer) in &answers {
                    put!("{}", text(given.as_bstr(), answer))?;
                }
            }
        }
        Ok(found(context.asked.quiet && !all_ignored))
    }

    /// Answers each question as it comes: nothing waits for the next.
    fn stream(&self, context: &Context, oracle: &Oracle) -> Result<ExitCode> {
        let mut input = BufReader::with_capacity(1 << 16, std::io::stdin().lock());
        let mut output = std::io::BufWriter::with_capacity(1 << 16, anstream::stdout().lock());
        let end = if self.z { 0 } else { b'\n' };
        let mut question = Vec::new();
        let mut all_ignored = true;
        loop {
            // What is asked already is answered in one go; before waiting for more, all answers are out.
            if input.buffer().is_empty() {
                output.flush()?;
            }
            question.clear();
            if input.read_until(end, &mut question)? == 0 {
                output.flush()?;
                return Ok(found(context.asked.quiet && !all_ignored));
            }
            let given = question.strip_suffix(&[end]).unwrap_or(&question).as_bstr();
            let answer = match ask(context, oracle, given) {
                Ok(answer) => answer,
                Err(error) => {
                    output.flush()?;
                    return Err(error);
                }
            };
            all_ignored &= answer.state == State::Ignored;
            match context.asked.format {
                _ if context.asked.quiet => {}
                Format::Text => write!(output, "{}", text(given, &answer))?,
                Format::Json => bail!("answers to a stream have no end to close a document with\n  use --format jsonl"),
                Format::Jsonl => {
                    serde_json::to_writer(&mut output, &out(&(given.to_owned(), answer)))?;
                    output.write_all(b"\n")?;
                }
            }
        }
    }
}

fn ask(context: &Context, oracle: &Oracle, given: &BStr) -> Result<Answer> {
    let path = context.resolve_bytes(given)?;
    if path.is_empty() {
        bail!("{given} is the top folder itself; no rule applies to it\n  name a path inside it");
    }
    Ok(oracle.ask(path.as_bstr())?)
}

fn out((given, answer): &(BString, Answer)) -> AnswerOut {
    AnswerOut {
        path: PathOut::of(given.as_bstr()),
        verdict: answer.state,
        rule: answer.ruling.as_ref().map(RuleOut::from),
    }
}

fn text(given: &BStr, answer: &Answer) -> String {
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
        if let Some(folder) = &answer.shut {
            let folder = shown(folder.as_bstr());
            text += &format!("    the rule shuts the folder {folder}; no exception can let in a file below it\n");
        }
        if answer.state == State::Tracked && ignores {
            let command = Paint::Type.on(format!("git rm --cached {}", shown(given)));
            text += &format!("    {command} stops tracking it and keeps it on disk\n");
        }
    }
    if answer.state == State::Candidate && answer.ruling.is_none() {
        text += &near(answer);
    }
    text
}

/// How many rules that nearly matched are told.
const NEAR: usize = 3;

/// The rules that nearly matched, and what would.
fn near(answer: &Answer) -> String {
    let misses = near_misses(&answer.chain, answer.path.as_bstr(), answer.path.ends_with(b"/"));
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
    let place = format!("{}:{}", shown(ruling.source().shown.as_bstr()), ruling.rule().line);
    let indent = " ".repeat(place.chars().count());
    let mark = "^".repeat(rule.chars().count().max(1));
    format!("    {}  {rule}\n    {indent}  {}\n", Paint::Quiet.on(place), Paint::Warn.on(mark))
}
