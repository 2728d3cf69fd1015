//! Watching a working tree for changes.

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod programs;
mod recorder;

pub use recorder::Recorder;

use crossbeam_channel::{Receiver, unbounded};
use notify::{Event, RecommendedWatcher, RecursiveMode, Watcher};
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

/// So long the disk should be quiet before it is looked at again.
const QUIET: Duration = Duration::from_millis(100);

/// So long after the first change it is looked at even if something keeps writing.
const LONGEST_WAIT: Duration = Duration::from_millis(250);

/// What watches a working tree, as long as it lives.
pub type TreeWatcher = RecommendedWatcher;

/// Calls this whenever something in a working tree, or one of the files `beside` it, has changed,
/// once it is quiet again or a quarter of a second later, until it gives false. Where the system
/// can't watch so much, nothing is given.
pub fn tree(
    top: &Path,
    beside: &[PathBuf],
    told: impl Fn() -> bool + Send + 'static,
) -> Option<TreeWatcher> {
    let (changed, changes) = unbounded();
    let watcher = watcher(top, beside, move |_| {
        // Anyone who is gone needs no news.
        let _ = changed.send(());
    })?;
    when_quiet(changes, told);
    Some(watcher)
}

/// Calls this, in a thread of its own, whenever there were changes and it is quiet again or a
/// quarter of a second later, until it gives false.
pub fn when_quiet(changes: Receiver<()>, told: impl Fn() -> bool + Send + 'static) {
    std::thread::spawn(move || {
        while changes.recv().is_ok() {
            let end = Instant::now() + LONGEST_WAIT;
            while Instant::now() < end && changes.recv_timeout(QUIET).is_ok() {}
            if !told() {
                return;
            }
        }
    });
}

/// Calls this with every change that can change what is known.
fn watcher(
    top: &Path,
    beside: &[PathBuf],
    mut changed: impl FnMut(Event) + Send + 'static,
) -> Option<RecommendedWatcher> {
    let (tree, files) = (top.to_owned(), beside.to_owned());
    let mut watcher =
        notify::recommended_watcher(move |event: notify::Result<Event>| match event {
            Ok(event) if !event.kind.is_access() && concerns(&event.paths, &tree, &files) => {
                changed(event);
            }
            _ => {}
        })
        .ok()?;
    watcher.watch(top, RecursiveMode::Recursive).ok()?;
    // A program that saves a file puts another in its place, so that its folder is watched. One
    // that isn't there has no changes.
    let folders: BTreeSet<&Path> = beside.iter().filter_map(|file| file.parent()).collect();
    for folder in folders
        .into_iter()
        .filter(|folder| !folder.starts_with(top))
    {
        let _ = watcher.watch(folder, RecursiveMode::NonRecursive);
    }
    Some(watcher)
}

/// Whether a change of these paths can change what is known: in the tree, all but what is in git's
/// own folder; else only the files that count.
fn concerns(paths: &[PathBuf], tree: &Path, files: &[PathBuf]) -> bool {
    let is_in_tree = |path: &Path| {
        let below = path.strip_prefix(tree);
        below.is_ok_and(|below| below.iter().all(|part| part != ".git"))
    };
    paths
        .iter()
        .any(|path| is_in_tree(path) || files.contains(path))
}
