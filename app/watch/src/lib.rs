//! Watching a working tree for changes.

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod programs;
mod recorder;

pub use recorder::Recorder;

use crossbeam_channel::{Receiver, unbounded};
use notify::{Event, RecommendedWatcher, RecursiveMode, Watcher};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// So long the disk must be quiet before it is looked at again.
const QUIET: Duration = Duration::from_millis(200);

/// Calls this whenever something in a working tree has changed and it is quiet again, until it
/// gives false. Where the system can't watch so much, nothing is given.
pub fn tree(top: &Path, told: impl Fn() -> bool + Send + 'static) -> Option<RecommendedWatcher> {
    let (changed, changes) = unbounded();
    let watcher = watcher(top, move |_| {
        // Anyone who is gone needs no news.
        let _ = changed.send(());
    })?;
    when_quiet(changes, told);
    Some(watcher)
}

/// Calls this, in a thread of its own, whenever there were changes and it is quiet again, until it
/// gives false.
pub fn when_quiet(changes: Receiver<()>, told: impl Fn() -> bool + Send + 'static) {
    std::thread::spawn(move || {
        while changes.recv().is_ok() {
            while changes.recv_timeout(QUIET).is_ok() {}
            if !told() {
                return;
            }
        }
    });
}

/// Calls this with every change that can change what is known.
fn watcher(
    top: &Path,
    mut changed: impl FnMut(Event) + Send + 'static,
) -> Option<RecommendedWatcher> {
    let mut watcher =
        notify::recommended_watcher(move |event: notify::Result<Event>| match event {
            Ok(event) if !event.kind.is_access() && concerns(&event.paths) => changed(event),
            _ => {}
        })
        .ok()?;
    watcher.watch(top, RecursiveMode::Recursive).ok()?;
    Some(watcher)
}

/// Whether a change of these paths can change what is known: of git's own folder, the index and
/// this clone's rules do.
fn concerns(paths: &[PathBuf]) -> bool {
    let is_gits = |path: &Path| path.components().any(|part| part.as_os_str() == ".git");
    let counts = |path: &Path| path.ends_with(".git/index") || path.ends_with("info/exclude");
    paths.iter().any(|path| !is_gits(path) || counts(path))
}
