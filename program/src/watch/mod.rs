//! Watching a working tree for changes.

mod programs;
mod recorder;

pub use recorder::Recorder;

use crossbeam_channel::unbounded;
use notify::{RecommendedWatcher, RecursiveMode, Watcher};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// So long the disk must be quiet before it is looked at anew.
const QUIET: Duration = Duration::from_millis(200);

/// Calls this whenever something in a working tree has changed and it is quiet again, until it gives
/// false. Where the system can't watch so much, nothing is given.
pub fn tree(top: &Path, told: impl Fn() -> bool + Send + 'static) -> Option<RecommendedWatcher> {
    let (changed, changes) = unbounded();
    let mut watcher = notify::recommended_watcher(move |event: notify::Result<notify::Event>| {
        let is_change = event.is_ok_and(|event| !event.kind.is_access() && concerns(&event.paths));
        if is_change {
            // Whoever is gone needs no news.
            let _ = changed.send(());
        }
    })
    .ok()?;
    watcher.watch(top, RecursiveMode::Recursive).ok()?;
    std::thread::spawn(move || {
        while changes.recv().is_ok() {
            while changes.recv_timeout(QUIET).is_ok() {}
            if !told() {
                return;
            }
        }
    });
    Some(watcher)
}

/// Whether a change of these paths can change what is known: of git's own folder, the index and this
/// clone's rules do.
fn concerns(paths: &[PathBuf]) -> bool {
    let is_gits = |path: &Path| path.components().any(|part| part.as_os_str() == ".git");
    let counts = |path: &Path| path.ends_with(".git/index") || path.ends_with("info/exclude");
    paths.iter().any(|path| !is_gits(path) || counts(path))
}
