//! Ctrl-C and Ctrl-Break as a console on Windows has them.

use super::interrupted;
use anyhow::{Context as _, Result};

pub fn listen() -> Result<()> {
    ctrlc::set_handler(interrupted).context("Ctrl-C can't be waited for")
}

/// The console's modes are those of the program that asks; they end with it.
pub fn restore_terminal() {}
