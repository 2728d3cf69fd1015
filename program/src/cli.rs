//! The arguments that every command takes, and the formats that commands have.

use crate::choices::Color;
use crate::preferences::Preferences;
use clap::{Args, ValueEnum};
use std::path::PathBuf;

/// What holds for every command.
#[derive(Args, Default, Clone)]
pub struct GlobalArgs {
    /// The folder to work in; without it, the one you are in
    #[arg(long, global = true, value_name = "DIR")]
    pub root: Option<PathBuf>,
    /// When to colour it: on a terminal, always or never
    #[arg(long, global = true, value_enum, value_name = "WHEN")]
    pub color: Option<Color>,
    /// Say less
    #[arg(short, long, global = true)]
    pub quiet: bool,
    /// Say more
    #[arg(short, long, global = true)]
    pub verbose: bool,
    /// Ask nothing: what the other options ask for is done
    #[arg(long, global = true)]
    pub yes: bool,
    /// The command that this one is a part of.
    #[arg(skip)]
    pub within: Option<&'static str>,
    /// What the person set for themselves.
    #[arg(skip)]
    pub preferences: Preferences,
}

/// How an answer is written: a set of formats that a command has.
pub trait Format: Copy {
    /// Whether it is for people.
    fn is_text(self) -> bool;
}

/// The format of a command that gives one document.
#[derive(Clone, Copy, PartialEq, Eq, Default, ValueEnum)]
pub enum DocumentFormat {
    /// For people
    #[default]
    Text,
    /// One JSON document
    Json,
}

/// The format of a command that lists.
#[derive(Clone, Copy, PartialEq, Eq, Default, ValueEnum)]
pub enum ListFormat {
    /// For people
    #[default]
    Text,
    /// One JSON document
    Json,
    /// One JSON object a line
    Jsonl,
}

/// The formats of `check`.
#[derive(Clone, Copy, PartialEq, Eq, Default, ValueEnum)]
pub enum CheckFormat {
    /// For people
    #[default]
    Text,
    /// One JSON document
    Json,
    /// One JSON object a line
    Jsonl,
    /// SARIF 2.1.0, for hosts and editors
    Sarif,
}

/// The formats of `prove`.
#[derive(Clone, Copy, PartialEq, Eq, Default, ValueEnum)]
pub enum ProveFormat {
    /// For people
    #[default]
    Text,
    /// One JSON document
    Json,
    /// One JSON object a line
    Jsonl,
    /// JUnit XML, for continuous integration
    Junit,
}

impl Format for DocumentFormat {
    fn is_text(self) -> bool {
        self == Self::Text
    }
}

impl Format for ListFormat {
    fn is_text(self) -> bool {
        self == Self::Text
    }
}

impl Format for CheckFormat {
    fn is_text(self) -> bool {
        self == Self::Text
    }
}

impl Format for ProveFormat {
    fn is_text(self) -> bool {
        self == Self::Text
    }
}
