//! What every command works with: the working tree as one [`Context`], the arguments that all of
//! them take, a person's settings, the questions asked on a terminal, and a [`Proposal`], the one
//! way to write rules and settings.

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

pub mod ask;
pub mod choices;
mod context;
mod global_args;
pub mod path_values;
pub mod preferences;
mod proposal;
pub mod shell;
pub mod values;

pub use context::Context;
pub use global_args::GlobalArgs;
pub use proposal::Proposal;

use std::process::ExitCode;

/// What the program is called.
pub const PROGRAM: &str = "redshank";

/// Exit code 1 if a command found what it looks for, else 0.
pub fn found(any: bool) -> ExitCode {
    ExitCode::from(u8::from(any))
}
