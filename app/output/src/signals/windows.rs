//! Ctrl-C and Ctrl-Break as a console on Windows has them.

use super::interrupted;
use anyhow::{Context as _, Result};

pub fn listen() -> Result<()> {
    ctrlc::set_handler(interrupted).context("Ctrl-C can't be waited for")
}

/// Ends another program at once, and those that it started.
#[allow(clippy::disallowed_methods, reason = "the system's own program for it")]
pub fn kill(process: u32) {
    let mut end = std::process::Command::new("taskkill");
    let _ = end
        .args(["/F", "/T", "/PID", &process.to_string()])
        .output();
}

/// Consoles don't stop programs.
pub fn suspend() {}

/// What was typed before a question was shown answers nothing.
pub fn forget_typed() {
    use crossterm::event;
    while event::poll(std::time::Duration::ZERO).unwrap_or(false) && event::read().is_ok() {}
}

/// Addresses of files name no machine here.
pub fn machine() -> String {
    String::new()
}

/// The console's modes are those of the program that asks; they end with it.
pub fn restore_terminal() {}
