//! What happens when somebody stops the program: Ctrl-C, or a signal to end (signal(7)).

#[cfg(unix)]
#[path = "unix.rs"]
mod system;
#[cfg(windows)]
#[path = "windows.rs"]
mod system;

pub use system::{forget_typed, kill, machine, suspend};

use anyhow::Result;
use crossbeam_channel::{Receiver, Sender, unbounded};
use std::io::IsTerminal;
use std::process::exit;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// What is cleared up before the end.
static CLEAR_UP: Mutex<Vec<fn()>> = Mutex::new(Vec::new());

/// Somebody has stopped it already.
static IS_STOPPED: AtomicBool = AtomicBool::new(false);

/// Another program at the terminal takes Ctrl-C for itself.
static IS_HELD: AtomicBool = AtomicBool::new(false);

/// Somebody waits for Ctrl-C, who goes on then; and when it came.
static AWAITED: Mutex<Option<(Sender<()>, Option<Instant>)>> = Mutex::new(None);

/// A key that comes twice so soon was pressed once: anyone who started us may pass it on as well.
const ONCE: Duration = Duration::from_secs(1);

/// As a shell counts it: 128 and the signal's number.
const INTERRUPTED: i32 = 128 + 2;

/// Listens from now on.
///
/// # Errors
/// If signals can't be waited for.
pub fn listen() -> Result<()> {
    system::listen()
}

/// Somebody pressed Ctrl-C, or the program is to end: ends it, unless that is for somebody else.
fn interrupted() {
    if !is_awaited() && !IS_HELD.load(Ordering::SeqCst) {
        stop("stopped");
    }
}

/// Tells anyone who waits for it; whether somebody does.
fn is_awaited() -> bool {
    let Ok(mut awaited) = AWAITED.lock() else {
        return false;
    };
    match &mut *awaited {
        None => false,
        Some((_, Some(came))) => came.elapsed() < ONCE,
        Some((tell, came)) => {
            *came = Some(Instant::now());
            tell.send(()).is_ok()
        }
    }
}

/// While this lives, Ctrl-C is for another program.
pub struct Hold;

impl Drop for Hold {
    fn drop(&mut self) {
        IS_HELD.store(false, Ordering::SeqCst);
    }
}

/// Leaves Ctrl-C to another program at the terminal.
pub fn hold() -> Hold {
    IS_HELD.store(true, Ordering::SeqCst);
    Hold
}

/// The next Ctrl-C is a message, and the program goes on; the one after it ends it.
pub fn awaited() -> Receiver<()> {
    let (tell, told) = unbounded();
    if let Ok(mut awaited) = AWAITED.lock() {
        *awaited = Some((tell, None));
    }
    told
}

/// Does this, too, before the program ends.
pub fn clears_up(what: fn()) {
    if let Ok(mut all) = CLEAR_UP.lock() {
        all.push(what);
    }
}

/// Ends the program, and says this where somebody sees it. Whatever change was under way is taken
/// back by the next command, from the journal.
pub fn stop(said: &str) -> ! {
    if IS_STOPPED.swap(true, Ordering::SeqCst) {
        // Another thread is at it.
        loop {
            std::thread::park();
        }
    }
    if let Ok(all) = CLEAR_UP.lock() {
        for what in all.iter().rev() {
            what();
        }
    }
    // A question may have been waiting for a key.
    system::restore_terminal();
    if std::io::stderr().is_terminal() {
        let term = console::Term::stderr();
        let _ = term.show_cursor();
        let _ = term.write_line(&format!("\n{said}"));
    }
    exit(INTERRUPTED);
}
