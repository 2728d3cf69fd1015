//! Long output on a terminal is read in the person's pager.

use crate::signals;
use std::io::{IsTerminal, Result, Write};
use std::process::{Command, Stdio};
use std::sync::OnceLock;

/// Set for `less`, unless the person has set it: keep colours, end at once if all fits, leave the
/// text on the screen.
const LESS: (&str, &str) = ("LESS", "FRX");

/// The pager of this run.
static CHOSEN: OnceLock<String> = OnceLock::new();

/// Takes a pager from now on: a program with its arguments, as in a shell; nothing for none.
pub fn choose(pager: String) {
    // Chosen once, at the start.
    let _ = CHOSEN.set(pager);
}

/// Whether a text of this many lines is read in a pager.
pub fn is_long(lines: usize) -> bool {
    let is_chosen = CHOSEN.get().is_some_and(|pager| !pager.trim().is_empty());
    let height = terminal_size::terminal_size().map(|(_, height)| usize::from(height.0));
    // Nobody may be there to end a pager where keys don't come from the terminal, too. The shell's
    // own prompt takes a line.
    is_chosen
        && std::io::stdin().is_terminal()
        && stdout().is_terminal()
        && height.is_some_and(|height| lines + 1 > height)
}

#[allow(
    clippy::disallowed_methods,
    reason = "it only asks whether it is a terminal"
)]
fn stdout() -> std::io::Stdout {
    std::io::stdout()
}

/// Shows a text in the pager; false if there is none that runs.
///
/// # Errors
/// If the pager can't be waited for.
#[allow(
    clippy::disallowed_methods,
    reason = "the person's own pager, never one that a repository names"
)]
pub fn show(text: &str) -> Result<bool> {
    let words = CHOSEN
        .get()
        .and_then(|pager| shell_words::split(pager).ok());
    let Some((program, words)) = words.as_deref().and_then(<[String]>::split_first) else {
        return Ok(false);
    };
    let mut command = Command::new(program);
    command.args(words).stdin(Stdio::piped());
    if std::env::var_os(LESS.0).is_none() {
        command.env(LESS.0, LESS.1);
    }
    let Ok(mut running) = command.spawn() else {
        return Ok(false);
    };
    // Ctrl-C is the pager's own while it runs.
    let _hold = signals::hold();
    if let Some(mut stdin) = running.stdin.take() {
        // Anyone who has read enough leaves.
        let _ = stdin.write_all(text.as_bytes());
    }
    running.wait()?;
    Ok(true)
}
