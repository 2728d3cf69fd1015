//! The computation: tree → verdicts → findings → plan → changes. No terminal, no arguments, no
//! printing.

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod disk;
mod error;

pub mod audit;
pub mod edit;
pub mod effect;
pub mod expect;
pub mod findings;
pub mod hook;
pub mod ignore_file;
pub mod journal;
pub mod mute;
pub mod near;
pub mod plan;
pub mod rehearse;
mod removable;
pub mod rules;
pub mod sample;
pub mod settings;
pub mod shell;
pub mod size;
pub mod templates;
mod toml_file;
pub mod tree;

pub use error::{Error, Result};
