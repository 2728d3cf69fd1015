//! Where the time goes: a line a phase for who asks for it, and on a terminal how far a phase has
//! come that takes long.

use crate::eputln;
use anyhow::{Context as _, Result};
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use redshank_progress::{Phase, TARGET};
use redshank_text::{self as text, count};
use redshank_worktree::size::Bytes;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::time::{Duration, Instant};
use tracing::field::{Field, Visit};
use tracing::{Event, Metadata, Subscriber};
use tracing_subscriber::layer::{Context, SubscriberExt};
use tracing_subscriber::{EnvFilter, Layer, Registry};

/// From then on, how far a phase has come is shown.
const LONG: Duration = Duration::from_millis(500);

/// The variable that asks for a log: targets and levels, as `tracing_subscriber::EnvFilter` reads
/// them.
const LOG: &str = "REDSHANK_LOG";

/// Listens to the phases of this run: with `lines`, each is reported as it ends. With
/// `REDSHANK_LOG`, everything that it asks for is reported.
///
/// # Errors
/// If that variable can't be read.
pub fn listen(lines: bool, quiet: bool) -> Result<()> {
    if let Ok(wanted) = std::env::var(LOG) {
        let filter = EnvFilter::try_new(&wanted).with_context(|| {
            format!("{LOG}: `{wanted}` names no level\n  write it like `debug`, or `redshank=info`")
        })?;
        let log = tracing_subscriber::fmt::layer()
            .with_writer(std::io::stderr)
            .with_ansi(console::user_attended_stderr())
            .with_filter(filter);
        // There is no other listener.
        let _ = tracing::subscriber::set_global_default(Registry::default().with(log));
        return Ok(());
    }
    let bar = ProgressBar::hidden();
    if let Ok(style) = ProgressStyle::with_template("{spinner} {msg}") {
        bar.set_style(style);
    }
    let listener = Listener {
        lines,
        shows_progress: console::user_attended_stderr() && !quiet,
        bar,
        running: AtomicUsize::new(0),
        come: Mutex::new(Vec::new()),
    };
    if listener.lines || listener.shows_progress {
        // There is no other listener.
        let _ = tracing::subscriber::set_global_default(Registry::default().with(listener));
    }
    Ok(())
}

/// The screen belongs to something else.
static IS_HIDDEN: AtomicBool = AtomicBool::new(false);

/// From now on nothing shows of how far a phase has come: the screen is somebody else's.
pub fn hide_progress() {
    IS_HIDDEN.store(true, Ordering::Relaxed);
}

struct Listener {
    lines: bool,
    shows_progress: bool,
    bar: ProgressBar,
    /// How many phases have begun and not ended.
    running: AtomicUsize,
    /// How far the phases have come that run.
    come: Mutex<Vec<Come>>,
}

/// How far a phase has come.
struct Come {
    phase: Phase,
    since: Instant,
    drawn: Instant,
    count: u64,
    bytes: u64,
}

/// So long one picture of it is.
const PICTURE: Duration = Duration::from_millis(50);

impl Come {
    fn new(phase: Phase) -> Self {
        let now = Instant::now();
        Self {
            phase,
            since: now,
            drawn: now,
            count: 0,
            bytes: 0,
        }
    }

    /// In words: how many, how many bytes, and how many a second.
    fn text(&self) -> String {
        let (did, counted) = text::phase(self.phase);
        let text = format!("{did} {} {counted}", count(self.count));
        let seconds = self.since.elapsed().as_secs_f64().max(0.001);
        let is_read = matches!(self.phase, Phase::Contents | Phase::History);
        match self.bytes {
            bytes if bytes == 0 || !is_read => {
                format!("{text}, {}/s", count((self.count as f64 / seconds) as u64))
            }
            bytes => {
                let rate = Bytes((bytes as f64 / seconds) as u64);
                format!("{text}, {}, {rate}/s", Bytes(bytes))
            }
        }
    }
}

/// What an event tells.
#[derive(Default)]
struct Told {
    phase: Option<Phase>,
    is_begin: bool,
    more: Option<u64>,
    count: u64,
    bytes: u64,
    microseconds: Option<u64>,
}

impl Visit for Told {
    fn record_u64(&mut self, field: &Field, value: u64) {
        match field.name() {
            "phase" => self.phase = Phase::from_number(value),
            "more" => self.more = Some(value),
            "count" => self.count = value,
            "bytes" => self.bytes = value,
            "microseconds" => self.microseconds = Some(value),
            _ => {}
        }
    }

    fn record_bool(&mut self, field: &Field, value: bool) {
        self.is_begin |= field.name() == "is_begin" && value;
    }

    fn record_debug(&mut self, _field: &Field, _value: &dyn std::fmt::Debug) {}
}

impl<S: Subscriber> Layer<S> for Listener {
    fn enabled(&self, metadata: &Metadata<'_>, _: Context<'_, S>) -> bool {
        let is_wanted = *metadata.level() <= tracing::Level::INFO || self.shows_progress;
        metadata.target() == TARGET && is_wanted
    }

    fn on_event(&self, event: &Event<'_>, _: Context<'_, S>) {
        let mut told = Told::default();
        event.record(&mut told);
        let Some(phase) = told.phase else {
            return;
        };
        if told.is_begin {
            self.running.fetch_add(1, Ordering::Relaxed);
        } else if let Some(more) = told.more {
            self.come_further(phase, more, told.bytes);
        } else if let Some(microseconds) = told.microseconds {
            self.end(phase, &told, microseconds);
        }
    }
}

impl Listener {
    fn come_further(&self, phase: Phase, more: u64, bytes: u64) {
        if phase == Phase::Git || IS_HIDDEN.load(Ordering::Relaxed) {
            return;
        }
        let Ok(mut come) = self.come.lock() else {
            return;
        };
        let known = come.iter().position(|come| come.phase == phase);
        let at = known.unwrap_or_else(|| {
            come.push(Come::new(phase));
            come.len() - 1
        });
        let come = &mut come[at];
        come.count += more;
        come.bytes += bytes;
        if come.since.elapsed() >= LONG && come.drawn.elapsed() >= PICTURE {
            come.drawn = Instant::now();
            if self.bar.is_hidden() || self.bar.is_finished() {
                self.bar.reset();
                self.bar.set_draw_target(ProgressDrawTarget::stderr());
            }
            self.bar.set_message(come.text());
            self.bar.tick();
        }
    }

    fn end(&self, phase: Phase, told: &Told, microseconds: u64) {
        if self.running.fetch_sub(1, Ordering::Relaxed) == 1 {
            self.bar.finish_and_clear();
        }
        if let Ok(mut come) = self.come.lock() {
            come.retain(|come| come.phase != phase);
        }
        if !self.lines {
            return;
        }
        let (did, counted) = text::phase(phase);
        let counted = match told.count {
            1 => counted.trim_end_matches('s'),
            _ => counted,
        };
        let of = format!("{} {counted}", count(told.count));
        let bytes = match told.bytes {
            0 => String::new(),
            bytes => Bytes(bytes).to_string(),
        };
        let time = microseconds as f64 / 1000.0;
        self.bar
            .suspend(|| eputln!("{did:16} {of:>24} {bytes:>12} {time:>9.1} ms"));
    }
}
