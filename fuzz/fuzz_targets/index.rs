//! Any bytes as git's index.
#![no_main]

use libfuzzer_sys::fuzz_target;
use std::sync::LazyLock;

static WORKTREE: LazyLock<redshank_worktree::Worktree> = LazyLock::new(|| {
    let folder = std::env::temp_dir().join(format!("fuzz-index-{}", std::process::id()));
    std::fs::create_dir_all(&folder).unwrap();
    redshank_git::Git::at(&folder)
        .args(["init", "-q"])
        .output()
        .unwrap();
    redshank_worktree::Worktree::find(&folder).unwrap()
});

fuzz_target!(|bytes: &[u8]| {
    let repository = WORKTREE.repository.as_ref().unwrap();
    std::fs::write(repository.git_folder.join("index"), bytes).unwrap();
    if let Ok(index) = repository.index() {
        for tracked in index.iter() {
            index.get(tracked.path);
            index.holds_below(tracked.path);
            tracked.entry_to_put_back();
        }
    }
});
