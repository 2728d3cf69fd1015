//! Signals as Unix has them (signal(7)).

use super::{interrupted, stop};
use anyhow::{Context as _, Result};
use signal_hook::consts::{SIGHUP, SIGINT, SIGQUIT, SIGTERM, SIGXFSZ};
use signal_hook::iterator::Signals;
use std::sync::atomic::AtomicBool;
use std::sync::{Arc, Mutex};

/// How the terminal was when the program started.
static TERMINAL: Mutex<Option<rustix::termios::Termios>> = Mutex::new(None);

/// Enough for a thread that waits, in bytes.
const SMALL_STACK: usize = 256 << 10;

pub fn listen() -> Result<()> {
    const REFUSED: &str = "signals can't be waited for";
    if let Ok(now) = rustix::termios::tcgetattr(std::io::stdin())
        && let Ok(mut terminal) = TERMINAL.lock()
    {
        *terminal = Some(now);
    }
    // A write beyond a limit on file sizes is refused then, instead of ending the program.
    let refused = Arc::new(AtomicBool::new(false));
    signal_hook::flag::register(SIGXFSZ, refused).context(REFUSED)?;
    let mut signals = Signals::new([SIGHUP, SIGINT, SIGQUIT, SIGTERM]).context(REFUSED)?;
    std::thread::Builder::new()
        .name("signals".to_owned())
        .stack_size(SMALL_STACK)
        .spawn(move || {
            for signal in signals.forever() {
                match signal {
                    // Who sends this one wants an end, whoever else waits for Ctrl-C.
                    SIGQUIT => stop("stopped"),
                    _ => interrupted(),
                }
            }
        })
        .context("a thread can't be started")?;
    Ok(())
}

pub fn restore_terminal() {
    if let Ok(terminal) = TERMINAL.try_lock()
        && let Some(was) = &*terminal
    {
        let when = rustix::termios::OptionalActions::Now;
        let _ = rustix::termios::tcsetattr(std::io::stdin(), when, was);
    }
}
