//! Work that others wait for.

use std::panic::resume_unwind;
use std::thread::Builder;

/// At most so many threads do it.
const THREADS: usize = 8;

/// Does work that fills a cell which others wait for, and that shares itself out among threads.
///
/// A thread of the common pool that waits for its part takes up other work meanwhile. If that waits
/// for the same cell, nothing ever goes on. So from such a thread the work is given to threads of
/// its own, and the one that asked only waits.
pub fn apart<T: Send>(work: impl FnOnce() -> T + Send) -> T {
    if rayon::current_thread_index().is_none() {
        return work();
    }
    let threads = rayon::current_num_threads().min(THREADS);
    let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build();
    let mut work = Some(work);
    let done = pool.ok().and_then(|pool| {
        std::thread::scope(|scope| {
            let all = || work.take().map(|work| pool.install(work));
            let thread = Builder::new().spawn_scoped(scope, all).ok()?;
            thread.join().unwrap_or_else(|crash| resume_unwind(crash))
        })
    });
    match (done, work) {
        (None, Some(work)) => work(), // Where no thread can be had, few are there to wait.
        (Some(done), _) => done,
        (None, None) => unreachable!("the work is taken by a thread whose result is joined"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rayon::prelude::*;
    use std::sync::OnceLock;

    /// Many threads ask for a cell that is filled by many threads. Without the detour this stops
    /// forever after some tries.
    #[test]
    fn a_cell_that_all_wait_for_is_filled() {
        let pool = rayon::ThreadPoolBuilder::new()
            .num_threads(8)
            .build()
            .unwrap();
        for _ in 0..300 {
            let cell = OnceLock::new();
            let fill = || (0..64_u64).into_par_iter().map(|one| one + 1).sum::<u64>();
            let ask = |_| *cell.get_or_init(|| apart(fill));
            let all: u64 = pool.install(|| (0..8).into_par_iter().map(ask).sum());
            assert_eq!(all, 8 * 2080);
        }
    }
}
