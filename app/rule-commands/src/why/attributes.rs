//! The attributes of paths, and the lines that give them.

use anyhow::Result;
use bstr::{BString, ByteSlice};
use redshank_context::Context;
use redshank_output::{Align, Cell, Table};
use redshank_report::{AttributesOut, Listing, OutputFormat, Report};
use redshank_rules::RepoPathBuf;
use redshank_rules::attribute_file::AttributeLine;
use redshank_text::{Paint, shown};
use redshank_worktree::Overlay;
use redshank_worktree::attributes::{Attributes, PathAttributes};
use std::fmt::Write;
use std::io::Read;
use std::process::ExitCode;

/// The paths that the standard input asks about, each ending with the byte `end`.
pub fn asked(end: u8) -> Result<Vec<BString>> {
    let mut input = Vec::new();
    std::io::stdin().lock().read_to_end(&mut input)?;
    let paths = input
        .split(|byte| *byte == end)
        .filter(|path| !path.is_empty());
    Ok(paths.map(BString::from).collect())
}

/// Answers on paths as they were given.
pub fn run(context: &Context, format: OutputFormat, given: Vec<BString>) -> Result<ExitCode> {
    let mut paths: Vec<RepoPathBuf> = Vec::new();
    for path in &given {
        paths.push(context.resolve_bytes(path.as_bstr())?.into_owned());
    }
    let answers = Attributes::new(&context.snapshot, Overlay::new())?.of(&paths)?;
    let answers = Answers {
        answers: given.into_iter().zip(answers).collect(),
    };
    if context.speaks() || !context.for_people {
        format.print_list(&answers)?;
    }
    Ok(ExitCode::SUCCESS)
}

/// Where a line is, and what it says.
fn place(line: &AttributeLine) -> String {
    let text = shown(line.text.trim().as_bstr());
    format!(
        "{}, line {}: `{text}`",
        shown(line.source.as_bstr()),
        line.line
    )
}

/// The attributes of each path.
struct Answers {
    answers: Vec<(BString, PathAttributes)>,
}

impl Report for Answers {
    type Document = Vec<AttributesOut>;

    fn text(&self) -> Result<String> {
        let mut text = String::new();
        for (path, attributes) in &self.answers {
            writeln!(text, "{}", Paint::Head.on(shown(path.as_bstr())))?;
            if attributes.is_empty() {
                writeln!(text, "  {}", Paint::Quiet.on("no attributes"))?;
            }
            let mut table = Table::new(&[Align::Left, Align::Left, Align::Whole]);
            for (name, given) in attributes {
                let by = given.line.as_ref().map(place).unwrap_or_default();
                let value = Cell::painted(Paint::Type, shown(given.value.as_bstr()));
                table.row([
                    shown(name.as_bstr()).into(),
                    value,
                    Cell::painted(Paint::Quiet, by),
                ]);
                for line in &given.overridden {
                    let over = format!("not {}", place(line));
                    table.row([
                        String::new().into(),
                        String::new().into(),
                        Cell::painted(Paint::Quiet, over),
                    ]);
                }
            }
            text += &table.text();
        }
        Ok(text)
    }

    fn document(&self) -> Self::Document {
        self.rows().collect()
    }
}

impl Listing for Answers {
    type Row = AttributesOut;

    fn rows(&self) -> impl Iterator<Item = AttributesOut> {
        let rows = self.answers.iter();
        rows.map(|(path, attributes)| AttributesOut::new(path.as_bstr(), attributes))
    }
}
