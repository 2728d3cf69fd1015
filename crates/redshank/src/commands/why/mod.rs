mod stream;
mod words;

pub use words::{difference, marked_line, text, whole};

use super::found;
use crate::cli::Format;
use crate::context::Context;
use crate::put;
use crate::render::{self, shown};
use crate::report;
use anyhow::{Result, bail};
use bstr::{BStr, BString, ByteSlice, ByteVec};
use clap::Args;
use redshank_core::rules::Ruling;
use redshank_core::tree::{Answer, Oracle, Overlay, State};
use serde::Serialize;
use std::borrow::Cow;
use std::ffi::OsString;
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
        Self {
            source,
            source_b64,
            line: rule.line,
            pattern,
            pattern_b64,
            negated: rule.negated,
        }
    }
}

impl Why {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        let oracle = Oracle::new(&context.place, Overlay::new())?;
        if self.stdin {
            return stream::run(context, &oracle, if self.z { 0 } else { b'\n' });
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
            Format::Json | Format::Junit | Format::Sarif => render::json(
                &answers
                    .iter()
                    .map(|(given, _, answer)| {
                        out(
                            given.as_bstr(),
                            answer.state,
                            answer.ruling.as_ref().map(RuleOut::from),
                        )
                    })
                    .collect::<Vec<_>>(),
            )?,
            Format::Jsonl => render::jsonl(answers.iter().map(|(given, _, answer)| {
                out(
                    given.as_bstr(),
                    answer.state,
                    answer.ruling.as_ref().map(RuleOut::from),
                )
            }))?,
            Format::Text => {
                for (given, path, answer) in &answers {
                    put!(
                        "{}",
                        text(&oracle, given.as_bstr(), path.as_bstr(), answer)?
                    )?;
                }
            }
        }
        Ok(found(context.asked.quiet && !all_ignored))
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
    AnswerOut {
        path,
        path_b64,
        verdict,
        rule,
    }
}
