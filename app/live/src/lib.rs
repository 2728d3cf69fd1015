//! Rules, live: type a pattern and watch the tree change.

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod look;
mod terminal;
mod view;
mod window;

use anyhow::Result;
use crossbeam_channel::unbounded;
use redshank_output as output;
use redshank_worktree::settings::GivenLimits;
use std::path::PathBuf;

/// Shows the view until the person leaves it. `limits` are the person's own.
///
/// # Errors
/// If the terminal can't be used.
pub fn show(top: PathBuf, limits: GivenLimits) -> Result<()> {
    output::hide_progress();
    let (jobs, todo) = unbounded();
    let (found, news) = unbounded();
    let own = jobs.clone();
    std::thread::spawn(move || look::work(&top, limits, (&todo, &own), &found));
    terminal::show(&jobs, &news)
}
