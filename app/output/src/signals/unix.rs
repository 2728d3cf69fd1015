//! Signals as Unix has them (signal(7)).

use super::{interrupted, stop};
use anyhow::{Context as _, Result};
use rustix::process::{Pid, Signal, getpid, kill_process};
use rustix::termios::QueueSelector;
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

/// Ends another program at once.
pub fn kill(process: u32) {
    let process = i32::try_from(process).ok().and_then(Pid::from_raw);
    if let Some(process) = process {
        let _ = kill_process(process, Signal::KILL);
    }
}

/// Stops this program until the shell goes on with it.
pub fn suspend() {
    let _ = kill_process(getpid(), Signal::TSTP);
}

/// What was typed before a question was shown answers nothing.
pub fn forget_typed() {
    let _ = rustix::termios::tcflush(std::io::stdin(), QueueSelector::IFlush);
}

/// The name of this machine, for addresses of files.
pub fn machine() -> String {
    let names = rustix::system::uname();
    names.nodename().to_string_lossy().into_owned()
}

pub fn restore_terminal() {
    if let Ok(terminal) = TERMINAL.try_lock()
        && let Some(was) = &*terminal
    {
        let when = rustix::termios::OptionalActions::Now;
        let _ = rustix::termios::tcsetattr(std::io::stdin(), when, was);
    }
}
