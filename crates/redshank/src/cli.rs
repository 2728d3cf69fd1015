//! The arguments that every command takes.

use clap::{Args, ValueEnum};
use std::path::PathBuf;

/// What holds for every command.
#[derive(Args)]
pub struct Everywhere {
    /// The folder to work in; without it, the one you are in
    #[arg(long, global = true, value_name = "DIR")]
    pub root: Option<PathBuf>,
    /// How the answer is written
    #[arg(long, global = true, value_enum, default_value_t = Format::Text)]
    pub format: Format,
    /// When to colour it
    #[arg(long, global = true, value_enum, default_value_t = Color::Auto, value_name = "WHEN")]
    pub color: Color,
    /// Say less
    #[arg(short, long, global = true)]
    pub quiet: bool,
    /// Say more
    #[arg(short, long, global = true)]
    pub verbose: bool,
    /// Answer every question with yes
    #[arg(long, global = true)]
    pub yes: bool,
}

/// How an answer is written.
#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Format {
    /// For people
    Text,
    /// One JSON document
    Json,
    /// One JSON object a line
    Jsonl,
    /// JUnit XML (`prove`)
    Junit,
    /// SARIF 2.1.0 (`check`)
    Sarif,
}

/// When an answer is coloured.
#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Color {
    /// On a terminal, unless `NO_COLOR` is set
    Auto,
    /// Always
    Always,
    /// Never
    Never,
}

impl Color {
    /// Makes the choice hold for all output.
    pub fn write_global(self) {
        match self {
            Self::Auto => anstream::ColorChoice::Auto,
            Self::Always => anstream::ColorChoice::Always,
            Self::Never => anstream::ColorChoice::Never,
        }
        .write_global();
    }
}
