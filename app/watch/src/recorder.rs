//! What is written in a working tree, when, and by which program.

use super::programs::Programs;
use super::watcher;
use crossbeam_channel::{Receiver, unbounded};
use notify::{EventKind, RecommendedWatcher};
use parking_lot::Mutex;
use redshank_changes::rehearse::WriteEvents;
use redshank_rules::{RepoPath, RepoPathBuf};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::{Duration, Instant};

/// Notes what is written, as long as it lives.
pub struct Recorder {
    /// Where the system can't watch so much, nothing is seen.
    _watcher: Option<RecommendedWatcher>,
    seen: Arc<Mutex<WriteEvents>>,
    start: Start,
    changed: Receiver<()>,
}

/// When watching began.
type Start = Arc<Mutex<Instant>>;

/// So long after something was written, it is asked who has files open.
const BUSY: Duration = Duration::from_millis(100);

/// The system reports a write at most so much later.
const LATE: Duration = Duration::from_millis(60);

impl Recorder {
    /// Starts watching a folder; of the files `beside` it, changes are told of, too.
    pub fn start(top: &Path, beside: &[PathBuf]) -> Self {
        let start = Start::new(Mutex::new(Instant::now()));
        let seen = Arc::new(Mutex::new(WriteEvents::default()));
        let (wake, woken) = unbounded();
        let (tell, changed) = unbounded();
        let (folder, noted) = (top.to_owned(), Arc::clone(&seen));
        let began = Arc::clone(&start);
        let watcher = watcher(top, beside, move |event| {
            if matches!(event.kind, EventKind::Create(_) | EventKind::Modify(_)) {
                let paths = event.paths.iter().filter_map(|path| below(&folder, path));
                let paths: Vec<RepoPathBuf> = paths.collect();
                for path in &paths {
                    noted.lock().written(path, began.lock().elapsed());
                }
                let _ = wake.send(paths);
            }
            // Anyone who is gone needs no news.
            let _ = tell.send(());
        });
        let (top, noted) = (top.to_owned(), Arc::clone(&seen));
        let began = Arc::clone(&start);
        std::thread::spawn(move || ask_who(&top, &began, &noted, &woken));
        Self {
            _watcher: watcher,
            seen,
            start,
            changed,
        }
    }

    /// Watching begins now.
    pub fn begins(&self) {
        *self.start.lock() = Instant::now();
    }

    /// What was seen so far.
    pub fn seen(&self) -> WriteEvents {
        std::thread::sleep(LATE);
        self.seen.lock().clone()
    }

    /// A message whenever something has changed.
    pub fn changed(&self) -> &Receiver<()> {
        &self.changed
    }
}

/// A path in the working tree that isn't git's own.
fn below(top: &Path, path: &Path) -> Option<RepoPathBuf> {
    let below = path.strip_prefix(top).ok()?;
    let is_gits = below.components().any(|part| part.as_os_str() == ".git");
    let path = redshank_files::path_bytes(below);
    let path = RepoPath::new(&*path);
    (!is_gits && !path.is_top()).then(|| path.to_owned())
}

/// Asks, while something is written, which programs have files open to write, and which write
/// anything, until nobody listens.
fn ask_who(
    top: &Path,
    start: &Mutex<Instant>,
    seen: &Mutex<WriteEvents>,
    woken: &Receiver<Vec<RepoPathBuf>>,
) {
    let mut programs = Programs::default();
    // What they wrote before doesn't count.
    programs.at_work(top);
    while let Ok(mut written) = woken.recv() {
        let mut last = Instant::now();
        while last.elapsed() < BUSY {
            let asked = Instant::now();
            let at_work = programs.at_work(top);
            written.extend(woken.try_iter().flatten());
            let mut seen = seen.lock();
            for (path, program) in at_work.files {
                if let Some(path) = below(top, &path) {
                    seen.held(&path, start.lock().elapsed(), &program);
                }
            }
            if !at_work.writers.is_empty() && !written.is_empty() {
                last = Instant::now();
                for path in written.drain(..) {
                    seen.beside(&path, &at_work.writers);
                }
            }
            drop(seen);
            // At most half of the time goes into asking.
            std::thread::sleep(asked.elapsed().max(Duration::from_millis(1)));
        }
    }
}
