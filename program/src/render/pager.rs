//! Long output on a terminal is read in the person's pager.

use crate::preferences::{Origin, Preferences};
use crate::stop;
use std::io::{IsTerminal, Result, Write};
use std::process::{Command, Stdio};
use std::sync::OnceLock;

/// By this variable, a pager for this program alone.
const OWN: &str = "REDSHANK_PAGER";

/// By this one, a pager for every program.
const ANY: &str = "PAGER";

/// The pager that is taken where nobody chose one (POSIX has `more`, which keeps no colours).
const USUAL: &str = "less";

/// Set for `less`, unless the person has set it: keep colours, end at once if all fits, leave the
/// text on the screen.
const LESS: (&str, &str) = ("LESS", "FRX");

/// The pager of this run.
static CHOSEN: OnceLock<String> = OnceLock::new();

/// The pager that counts, an empty text for none, and who chose it.
pub fn chosen(own: &Preferences) -> (String, Origin) {
    let set = |name| std::env::var(name).ok();
    if let Some(pager) = set(OWN) {
        return (pager, Origin::Environment(OWN));
    }
    if let Some(pager) = &own.pager {
        return (pager.clone(), Origin::Personal);
    }
    match set(ANY) {
        Some(pager) => (pager, Origin::Environment(ANY)),
        None => (USUAL.to_owned(), Origin::BuiltIn),
    }
}

/// Takes that pager from now on.
pub fn choose(own: &Preferences) {
    // Chosen once, at the start.
    let _ = CHOSEN.set(chosen(own).0);
}

/// Whether a text of so many lines is read in a pager.
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
    let _hold = stop::hold();
    if let Some(mut stdin) = running.stdin.take() {
        // Whoever has read enough leaves.
        let _ = stdin.write_all(text.as_bytes());
    }
    running.wait()?;
    Ok(true)
}
