//! Where the time goes: a line a stage for who asks for it, and on a terminal how far a stage has
//! come that takes long.

use super::count;
use crate::{eputln, words};
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use redshank_stage::{Stage, TARGET};
use redshank_worktree::size::Bytes;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};
use tracing::field::{Field, Visit};
use tracing::{Event, Metadata, Subscriber};
use tracing_subscriber::layer::{Context, SubscriberExt};
use tracing_subscriber::{Layer, Registry};

/// From then on, how far a stage has come is shown.
const LONG: Duration = Duration::from_secs(1);

/// Listens to the stages of this run: with `lines`, each is told as it ends.
pub fn listen(lines: bool, quiet: bool) {
    let bar = ProgressBar::hidden();
    if let Ok(style) = ProgressStyle::with_template("{spinner} {msg}: {human_pos}") {
        bar.set_style(style);
    }
    let listener = Listener {
        lines,
        shows_progress: console::user_attended_stderr() && !quiet,
        since: Instant::now(),
        bar,
        running: AtomicUsize::new(0),
    };
    if listener.lines || listener.shows_progress {
        // There is no other listener.
        let _ = tracing::subscriber::set_global_default(Registry::default().with(listener));
    }
}

struct Listener {
    lines: bool,
    shows_progress: bool,
    since: Instant,
    bar: ProgressBar,
    /// How many stages have begun and not ended.
    running: AtomicUsize,
}

/// What an event tells.
#[derive(Default)]
struct Told {
    stage: Option<Stage>,
    is_begin: bool,
    more: Option<u64>,
    count: u64,
    bytes: u64,
    microseconds: Option<u64>,
}

impl Visit for Told {
    fn record_u64(&mut self, field: &Field, value: u64) {
        match field.name() {
            "stage" => self.stage = Stage::of(value),
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
        let Some(stage) = told.stage else {
            return;
        };
        if told.is_begin {
            self.running.fetch_add(1, Ordering::Relaxed);
        } else if let Some(more) = told.more {
            self.come_further(stage, more);
        } else if let Some(microseconds) = told.microseconds {
            self.end(stage, &told, microseconds);
        }
    }
}

impl Listener {
    fn come_further(&self, stage: Stage, more: u64) {
        if stage == Stage::Git || self.since.elapsed() < LONG {
            return;
        }
        let (did, counted) = words::stage(stage);
        let message = format!("{did}, {counted}");
        if self.bar.message() != message {
            self.bar.set_draw_target(ProgressDrawTarget::stderr());
            self.bar.set_position(0);
            self.bar.set_message(message);
        }
        self.bar.inc(more);
    }

    fn end(&self, stage: Stage, told: &Told, microseconds: u64) {
        if self.running.fetch_sub(1, Ordering::Relaxed) == 1 {
            self.bar.finish_and_clear();
        }
        if !self.lines {
            return;
        }
        let (did, counted) = words::stage(stage);
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
