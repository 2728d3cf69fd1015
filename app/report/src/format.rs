//! The formats that answers are written in, and which of them a command has.

use crate::{Listing, Report};
use anyhow::{Result, bail};
use clap::ValueEnum;
use clap::builder::{PossibleValuesParser, TypedValueParser};
use redshank_output as output;

/// How an answer is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum OutputFormat {
    /// For people
    Text,
    /// One JSON document
    Json,
    /// One JSON object a line
    Jsonl,
    /// Comma-separated values, for spreadsheets
    Csv,
    /// SARIF 2.1.0, for hosts and editors
    Sarif,
    /// JUnit XML, for continuous integration
    Junit,
}

/// The formats of a command, for its `--format`; the parser refuses the others.
pub struct Formats(&'static [OutputFormat]);

/// Of a command that gives one document.
pub const DOCUMENT: Formats = Formats(&[OutputFormat::Text, OutputFormat::Json]);

/// Of a command that lists.
pub const LIST: Formats = Formats(&[OutputFormat::Text, OutputFormat::Json, OutputFormat::Jsonl]);

/// Of `files`.
pub const FILES: Formats = Formats(&[
    OutputFormat::Text,
    OutputFormat::Json,
    OutputFormat::Jsonl,
    OutputFormat::Csv,
]);

/// Of `check`.
pub const FINDINGS: Formats = Formats(&[
    OutputFormat::Text,
    OutputFormat::Json,
    OutputFormat::Jsonl,
    OutputFormat::Sarif,
]);

/// Of `review`.
pub const REVIEW: Formats = Formats(&[OutputFormat::Text, OutputFormat::Json, OutputFormat::Sarif]);

/// Of `prove`.
pub const TESTS: Formats = Formats(&[
    OutputFormat::Text,
    OutputFormat::Json,
    OutputFormat::Jsonl,
    OutputFormat::Junit,
]);

impl Formats {
    /// Reads one of these, as an argument's `value_parser`.
    pub fn parser(self) -> impl TypedValueParser<Value = OutputFormat> {
        let formats = self.0;
        let values = formats.iter().filter_map(ValueEnum::to_possible_value);
        // The parser lets only these names through.
        PossibleValuesParser::new(values)
            .map(|name| OutputFormat::from_str(&name, false).unwrap_or(OutputFormat::Text))
    }
}

impl OutputFormat {
    /// Whether it is for people.
    pub fn is_text(self) -> bool {
        self == Self::Text
    }

    /// Writes an answer as text or as one document.
    ///
    /// # Errors
    /// If nobody takes it, or this answer has no such format.
    pub fn print(self, report: &impl Report) -> Result<()> {
        match self {
            Self::Text => Ok(output::screen::page(&report.text()?)?),
            Self::Json => output::json(&report.document()),
            _ => bail!("this answer has no such format\n  use --format json"),
        }
    }

    /// The same for an answer that lists: line by line, too.
    ///
    /// # Errors
    /// As [`Self::print`].
    pub fn print_list(self, report: &impl Listing) -> Result<()> {
        match self {
            Self::Jsonl => output::jsonl(report.rows()),
            other => other.print(report),
        }
    }
}
