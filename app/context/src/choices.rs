//! What can be chosen by an option and by a person's settings alike.

use clap::ValueEnum;
use serde::Deserialize;

/// When something is done to what is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum When {
    /// Where the terminal can.
    Auto,
    /// Always.
    Always,
    /// Never.
    Never,
}

/// When an answer is coloured.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Color {
    /// On a terminal, unless `NO_COLOR` is set
    Auto,
    /// Always
    Always,
    /// Never
    Never,
}

/// Who a rule is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum ReachArg {
    /// Everyone: the ignore file at the top
    Team,
    /// Everyone: the one of a folder
    Folder,
    /// Only this clone
    Clone,
    /// Only you, in every repository
    Personal,
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
