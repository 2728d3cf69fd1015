//! The computation: tree → verdicts → findings → plan → changes. No terminal, no arguments, no printing.

mod error;
pub mod rules;
pub mod size;
pub mod tree;

pub use error::{Error, Result};
