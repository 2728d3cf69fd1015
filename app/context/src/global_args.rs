//! The arguments that every command takes.

use crate::choices::Color;
use crate::path_values;
use crate::preferences::Preferences;
use clap::Args;
use std::path::PathBuf;

/// What holds for every command.
#[derive(Args, Default, Clone)]
pub struct GlobalArgs {
    /// The folder to work in; without it, the one you are in
    #[arg(long, global = true, value_name = "DIR", add = path_values::folders())]
    pub root: Option<PathBuf>,
    /// When to colour it: on a terminal, always or never
    #[arg(long, global = true, value_enum, value_name = "WHEN")]
    pub color: Option<Color>,
    /// Less output
    #[arg(short, long, global = true)]
    pub quiet: bool,
    /// More output
    #[arg(short, long, global = true)]
    pub verbose: bool,
    /// Answer no question: do what the other options ask for
    #[arg(long, global = true)]
    pub yes: bool,
    /// The command that this one is a part of.
    #[arg(skip)]
    pub within: Option<&'static str>,
    /// What the person set for themselves.
    #[arg(skip)]
    pub preferences: Preferences,
}
