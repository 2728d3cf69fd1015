//! What the program is at, told through `tracing`: that a phase begins, how far it has come, and
//! what it came to. Nobody needs to listen, and then it costs nothing.
//!
//! ```
//! use redshank_progress::Phase;
//!
//! let walk = Phase::Walk.begin();
//! walk.seen(20, 4096);
//! drop(walk); // Told as ended: 20 paths, 4096 bytes, so many microseconds.
//! ```

use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Instant;

/// The target of all events of this crate.
pub const TARGET: &str = "redshank::phase";

/// A part of the way from a tree to a report.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Phase {
    /// git is asked something; counted in calls.
    Git,
    /// git's index is read; counted in tracked paths.
    Index,
    /// The tree is walked; counted in paths.
    Walk,
    /// Project types are recognised; counted in projects.
    Recognise,
    /// What files hold is read; counted in files.
    Contents,
    /// What was seen is judged; counted in findings.
    Find,
    /// Every version in the history is read; counted in versions.
    History,
    /// Rules are composed; counted in rules.
    Draft,
    /// Steps are planned; counted in steps.
    Plan,
    /// Changes are made; counted in changes.
    Change,
}

impl Phase {
    /// All of them, in their order.
    pub const ALL: [Self; 10] = [
        Self::Git,
        Self::Index,
        Self::Walk,
        Self::Recognise,
        Self::Contents,
        Self::Find,
        Self::History,
        Self::Draft,
        Self::Plan,
        Self::Change,
    ];

    /// Begins it; it ends when the result is dropped.
    pub fn begin(self) -> Running {
        let number = self as u64;
        tracing::info!(target: TARGET, name = ?self, phase = number, is_begin = true);
        Running {
            phase: self,
            since: Instant::now(),
            count: AtomicU64::new(0),
            bytes: AtomicU64::new(0),
        }
    }

    /// The phase that an event's field `phase` tells.
    pub fn from_number(number: u64) -> Option<Self> {
        Self::ALL.into_iter().find(|phase| *phase as u64 == number)
    }
}

/// A phase that has begun.
#[derive(Debug)]
pub struct Running {
    phase: Phase,
    since: Instant,
    count: AtomicU64,
    bytes: AtomicU64,
}

impl Running {
    /// Records this many more, with this many bytes.
    pub fn seen(&self, count: u64, bytes: u64) {
        self.count.fetch_add(count, Ordering::Relaxed);
        self.bytes.fetch_add(bytes, Ordering::Relaxed);
        tracing::debug!(target: TARGET, phase = self.phase as u64, more = count, bytes);
    }
}

impl Drop for Running {
    fn drop(&mut self) {
        tracing::info!(
            target: TARGET,
            name = ?self.phase,
            phase = self.phase as u64,
            count = self.count.load(Ordering::Relaxed),
            bytes = self.bytes.load(Ordering::Relaxed),
            microseconds = self.since.elapsed().as_micros() as u64,
        );
    }
}
