mod attributes;
mod stream;

use anyhow::{Result, bail};
use bstr::{BStr, BString, ByteSlice};
use clap::Args;
use redshank_context::{Context, GlobalArgs, found, path_values};
use redshank_files::FileKind;
use redshank_origin::Judgement;
use redshank_report::{AnswerOut, LIST, Listing, OriginOut, OutputFormat, Report, RuleOut};
use redshank_rules::Ruling;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_text as text;
use redshank_text::shown;
use redshank_worktree::tree::State;
use redshank_worktree::{Answer, Overlay, Verdicts};
use std::borrow::Cow;
use std::collections::HashMap;
use std::ffi::OsString;
use std::path::Path;
use std::process::ExitCode;

/// Show which rule decides about a path, whether it exists or not
#[derive(Args)]
pub struct Why {
    /// Paths; one that ends in a slash stands for a folder
    #[arg(required_unless_present = "stdin", add = path_values::paths())]
    paths: Vec<OsString>,
    /// Read paths from the standard input, one a line, and answer each at once
    #[arg(long, conflicts_with = "paths")]
    stdin: bool,
    /// Paths on the standard input end with a NUL
    #[arg(short, requires = "stdin")]
    z: bool,
    /// Where each file comes from, too, and by what evidence
    #[arg(long, conflicts_with = "stdin")]
    origin: bool,
    /// The attributes of each path instead, with the lines that give them
    #[arg(long, conflicts_with = "origin")]
    attributes: bool,
    /// How the answer is written
    #[arg(long, value_parser = LIST.parser(), default_value = "text")]
    format: OutputFormat,
}

impl Why {
    /// Says of each path which rule decides.
    ///
    /// # Errors
    /// If the working tree can't be read, or an argument doesn't fit it.
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        if self.attributes {
            let paths = if self.stdin {
                attributes::asked(if self.z { 0 } else { b'\n' })?
            } else {
                let given = self.paths.iter();
                given
                    .map(|path| {
                        redshank_files::path_bytes(Path::new(path))
                            .into_owned()
                            .into()
                    })
                    .collect()
            };
            return attributes::run(&context, self.format, paths);
        }
        let verdicts = Verdicts::new(&context.snapshot, Overlay::new())?;
        if self.stdin {
            let end = if self.z { 0 } else { b'\n' };
            return stream::run(&context, self.format, &verdicts, end);
        }
        let mut answers = Answers::new(&verdicts);
        for path in &self.paths {
            let given = BString::from(redshank_files::path_bytes(Path::new(path)).into_owned());
            answers.ask(&context, given)?;
        }
        if self.origin {
            answers.judge(&context)?;
        }
        if !args.quiet {
            self.format.print_list(&&answers)?;
        }
        Ok(found(args.quiet && !answers.are_all_ignored()))
    }
}

/// The verdicts on single paths.
pub struct Answers<'a> {
    verdicts: &'a Verdicts<'a>,
    /// Each with the path as it was given, and from the top.
    answers: Vec<(BString, RepoPathBuf, Answer)>,
    /// Where each file comes from, if that was asked for.
    origins: HashMap<RepoPathBuf, Judgement>,
}

impl<'a> Answers<'a> {
    pub fn new(verdicts: &'a Verdicts<'a>) -> Self {
        Self {
            verdicts,
            answers: Vec::new(),
            origins: HashMap::new(),
        }
    }

    /// Judges where the files come from.
    fn judge(&mut self, context: &Context) -> Result<()> {
        let survey = context.survey()?;
        let is_file =
            |path: &&RepoPathBuf| context.snapshot.root.kind(path) == Some(FileKind::File);
        let files = self.answers.iter().map(|(_, path, _)| path).filter(is_file);
        self.origins = files
            .filter_map(|path| Some((path.clone(), survey.origin(path)?)))
            .collect();
        Ok(())
    }

    /// Asks about one more path.
    pub fn ask(&mut self, context: &Context, given: BString) -> Result<()> {
        let (path, answer) = ask(context, self.verdicts, given.as_bstr())?;
        let path = path.into_owned();
        self.answers.push((given, path, answer));
        Ok(())
    }

    /// Whether git ignores all of them.
    fn are_all_ignored(&self) -> bool {
        let mut answers = self.answers.iter();
        answers.all(|(_, _, answer)| answer.state == State::Ignored)
    }

    /// Whether a rule would ignore all of them, tracked or not.
    pub fn are_all_kept_out(&self) -> bool {
        let mut answers = self.answers.iter();
        answers.all(|(_, _, answer)| answer.ruling.as_ref().is_some_and(Ruling::ignores))
    }
}

impl<'a> Report for &'a Answers<'_> {
    type Document = Vec<AnswerOut<'a, RuleOut<'a>>>;

    fn text(&self) -> Result<String> {
        let mut text = String::new();
        for (given, path, answer) in &self.answers {
            text += &text::answer(self.verdicts, given.as_bstr(), path, answer)?;
            if let Some(judgement) = self.origins.get(path) {
                text += &text::origin_lines(judgement);
            }
        }
        Ok(text)
    }

    fn document(&self) -> Self::Document {
        self.rows().collect()
    }
}

impl<'a> Listing for &'a Answers<'_> {
    type Row = AnswerOut<'a, RuleOut<'a>>;

    fn rows(&self) -> impl Iterator<Item = Self::Row> {
        self.answers.iter().map(|(given, path, answer)| {
            let rule = answer.ruling.as_ref().map(RuleOut::from);
            let origin = self.origins.get(path).map(OriginOut::from);
            AnswerOut::new(given.as_bstr(), answer.state, rule).with_origin(origin)
        })
    }
}

fn ask<'p>(
    context: &Context,
    verdicts: &Verdicts,
    given: &'p BStr,
) -> Result<(Cow<'p, RepoPath>, Answer)> {
    let path = context.resolve_bytes(given)?;
    let answer = verdicts.query(&path)?;
    if let Some(link) = answer.link(&path) {
        let link = shown(link);
        bail!(
            "{given} is behind the symbolic link {link}\n  git looks at the link, not behind \
             it; name the link or the real path"
        );
    }
    Ok((path, answer))
}
