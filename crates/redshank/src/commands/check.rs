use super::found;
use crate::cli::Format;
use crate::context::Context;
use crate::put;
use crate::render::{
    self, Align, Cell, Paint, Table, class_paint, count, cut, files, level_paint, shortened, shown,
    width,
};
use crate::report::{CheckOut, FindingOut, SummaryOut, root};
use anyhow::{Result, bail};
use bstr::ByteSlice;
use clap::Args;
use indicatif::{ProgressBar, ProgressStyle};
use redshank_core::findings::{Ask, Class, Exposure, Finding, Found, Level, Remedy, find_in};
use redshank_core::tree::State;
use redshank_files::Kind;
use std::ffi::OsString;
use std::fmt::Write;
use std::process::ExitCode;

/// What should not be tracked and is or would be, and what should and isn't
#[derive(Args)]
pub struct Check {
    /// Only what concerns these files and folders
    paths: Vec<OsString>,
    /// Look at the staged contents instead of those on disk
    #[arg(long, conflicts_with = "ignored")]
    staged: bool,
    /// Look into ignored files, too
    #[arg(long)]
    ignored: bool,
    /// Look into every version that a commit holds, too: for secrets and files too large
    #[arg(long, conflicts_with = "staged")]
    history: bool,
    /// Only findings of these classes
    #[arg(long = "class", value_name = "CLASS", value_delimiter = ',', value_parser = class)]
    classes: Vec<Class>,
    /// Only findings of this level and worse ones
    #[arg(long, value_name = "LEVEL", value_parser = level)]
    level: Option<Level>,
    /// Fail with 2 if anything could not be read
    #[arg(long)]
    strict: bool,
}

/// A class by its word.
pub fn class(word: &str) -> Result<Class, String> {
    let known = || Class::ALL.map(Class::word).join(", ");
    Class::ALL
        .into_iter()
        .find(|class| class.word() == word)
        .ok_or_else(|| format!("one of {}", known()))
}

fn level(word: &str) -> Result<Level, String> {
    let all = [Level::Error, Level::Warning, Level::Note];
    all.into_iter()
        .find(|level| level.word() == word)
        .ok_or_else(|| "one of error, warning, note".to_owned())
}

impl Check {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        context.recover(false)?;
        let spinner = ProgressBar::new_spinner().with_message("versions looked into");
        let spinner =
            spinner.with_style(ProgressStyle::with_template("{spinner} {human_pos} {msg}")?);
        let progress = |versions| spinner.set_position(versions);
        let ask = Ask {
            progress: &progress,
            ..self.ask(context)?
        };
        let found_here = find_in(&context.place, &ask)?;
        spinner.finish_and_clear();
        match context.asked.format {
            Format::Text if context.asked.quiet => {}
            Format::Text => put!("{}", text(context, &found_here)?)?,
            Format::Sarif => render::json(&render::sarif(&found_here))?,
            Format::Json | Format::Junit => render::json(&CheckOut {
                schema: "redshank.check/1",
                root: root(&context.place.top),
                findings: found_here.findings.iter().map(FindingOut::from).collect(),
                summary: SummaryOut {
                    accepted: found_here.accepted,
                    ..SummaryOut::of(&found_here.findings)
                },
                unread: found_here.unread.iter().map(Into::into).collect(),
            })?,
            Format::Jsonl => render::jsonl(found_here.findings.iter().map(FindingOut::from))?,
        }
        context.say_unread(&found_here.unread);
        if self.strict && !found_here.unread.is_empty() {
            bail!(
                "{} paths could not be read, and --strict was asked for",
                found_here.unread.len()
            );
        }
        Ok(found(
            found_here
                .findings
                .iter()
                .any(|finding| finding.level < Level::Note),
        ))
    }

    fn ask(&self, context: &Context) -> Result<Ask<'static>> {
        let mut paths = Vec::new();
        for path in &self.paths {
            let mut resolved = context.resolve(path)?;
            let on_disk = context.place.root.kind(resolved.as_bstr());
            if on_disk == Some(Kind::Folder) && !resolved.is_empty() && !resolved.ends_with(b"/") {
                resolved.push(b'/');
            } else if on_disk.is_none() && !self.staged {
                bail!(
                    "{} is not there\n  name a file or folder that exists",
                    shown(resolved.as_bstr())
                );
            }
            paths.push(resolved);
        }
        let (staged, ignored, history) = (self.staged, self.ignored, self.history);
        Ok(Ask {
            staged,
            ignored,
            history,
            paths,
            classes: self.classes.clone(),
            level: self.level,
            ..Ask::default()
        })
    }
}

fn text(context: &Context, found: &Found) -> Result<String> {
    let mut text = String::new();
    if found.findings.is_empty() {
        writeln!(text, "{}", super::survey::nothing_found(found))?;
        return Ok(text);
    }
    for group in found
        .findings
        .chunk_by(|a, b| (a.level, a.class) == (b.level, b.class))
    {
        text_of_group(context, group, &mut text)?;
    }
    let summary = SummaryOut::of(&found.findings);
    let counts = [
        (summary.errors, "error"),
        (summary.warnings, "warning"),
        (summary.notes, "note"),
    ];
    let counts: Vec<String> = counts
        .iter()
        .filter(|(number, _)| *number > 0)
        .map(|(number, word)| format!("{number} {word}{}", if *number == 1 { "" } else { "s" }))
        .collect();
    writeln!(text, "{}", Paint::Head.on(counts.join(", ")))?;
    if found.accepted > 0 {
        let many = if found.accepted == 1 {
            "finding is"
        } else {
            "findings are"
        };
        writeln!(
            text,
            "{}",
            Paint::Quiet.on(format!(
                "{} {many} accepted in redshank.toml",
                found.accepted
            ))
        )?;
    }
    let by_tidy = found
        .findings
        .iter()
        .filter(|finding| !matches!(finding.remedy, Remedy::ByHand(_)))
        .count();
    if by_tidy > 0 {
        let command = Paint::Type.on("redshank tidy");
        writeln!(
            text,
            "{command}  {}",
            Paint::Quiet.on(format!("mends {by_tidy} of them, and can be undone"))
        )?;
    }
    Ok(text)
}

/// Below this width, in columns, what a finding is goes on a line of its own.
const NARROW: usize = 100;

/// Findings of one level and class: a line for each, and what mends those that `tidy` can't.
fn text_of_group(context: &Context, group: &[Finding], text: &mut String) -> Result<()> {
    let (level, class) = (group[0].level, group[0].class);
    let of_class = class_paint(class).on(class);
    let many = count(group.len() as u64)
        + if group.len() == 1 {
            " finding"
        } else {
            " findings"
        };
    writeln!(
        text,
        "{}  {of_class}  {}",
        level_paint(level).on(level),
        Paint::Quiet.on(many)
    )?;
    let narrow = width().is_some_and(|width| width < NARROW);
    let mut table = Table::new(&[
        Align::Whole,
        Align::Right,
        Align::Right,
        Align::Whole,
        Align::Left,
    ]);
    for finding in group {
        let what = Cell::painted(Paint::Quiet, what(finding));
        table.row(cells(finding).into_iter().chain((!narrow).then_some(what)));
    }
    for (at, (row, finding)) in table.text().lines().zip(group).enumerate() {
        writeln!(text, "{row}")?;
        if narrow {
            writeln!(
                text,
                "      {}",
                Paint::Quiet.on(cut(&what(finding), width().unwrap_or(NARROW) - 8))
            )?;
        }
        if context.asked.verbose {
            writeln!(
                text,
                "      {} {}: {}",
                Paint::Quiet.on(&finding.id),
                finding.rule,
                finding.message
            )?;
        }
        if context.asked.verbose {
            for also in &finding.also {
                writeln!(text, "      {} {}", Paint::Quiet.on("also in"), place(also))?;
            }
        }
        // What mends several in a row, is said below the last of them.
        let mend = finding.remedy_in_words();
        let told_below = group
            .get(at + 1)
            .is_some_and(|next| next.remedy_in_words() == mend);
        if matches!(finding.remedy, Remedy::ByHand(_)) && !told_below || context.asked.verbose {
            writeln!(text, "      {} {}", Paint::Good.on("mend:"), mend)?;
        }
    }
    text.push('\n');
    Ok(())
}

fn what(finding: &Finding) -> String {
    let evidence = finding
        .evidence
        .as_ref()
        .map_or(String::new(), |evidence| format!("{evidence}; "));
    shown(
        format!("{evidence}{}", finding.message)
            .as_bytes()
            .as_bstr(),
    )
}

/// The path, and the line behind it.
fn place(finding: &Finding) -> String {
    let line = finding
        .line
        .map_or(String::new(), |line| format!(":{line}"));
    format!("{}{line}", shown(finding.path.as_bstr()))
}

fn cells(finding: &Finding) -> [Cell; 4] {
    let path = place(finding);
    let amount = finding.size.map_or(String::new(), |size| size.to_string());
    let many = if finding.path.ends_with(b"/") {
        files(finding.files)
    } else {
        String::new()
    };
    let far = match (finding.exposure, finding.state) {
        (Exposure::Disk, State::Ignored) => "ignored",
        (Exposure::Disk, _) => "on disk",
        (Exposure::Staged, _) => "staged",
        (Exposure::Committed, _) => "committed",
        (Exposure::Pushed, _) => "pushed",
    };
    let path = shortened(&path, width().map_or(usize::MAX, |width| width * 2 / 5));
    [
        path.into(),
        many.into(),
        amount.into(),
        far.to_owned().into(),
    ]
}
