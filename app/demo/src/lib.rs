//! The demo: a volunteer network of tide gauges, ready for its first commit in all the wrong ways.
//!
//! Its sources are real files under `tidewatch/`, beside `src/`. What a build, an editor or a
//! person would leave behind is made when it is laid out, the same every time.

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]
#![allow(
    clippy::disallowed_methods,
    reason = "the demo is made in a new folder of its own"
)]

mod bulk;
mod litter;
mod sources;
mod walk;

pub use walk::walk;

use anyhow::{Context, Result};
use redshank_git::Git;
use std::fs::File;
use std::io::Write;
use std::path::{Path, PathBuf};

/// The log that somebody forced in against the rules.
const FORCED_LOG: &str = "gateway/uplink-trace.log";

/// A folder being filled.
struct Layout {
    top: PathBuf,
    files: u64,
}

impl Layout {
    /// Writes a file of the demo.
    fn put(&mut self, path: &str, contents: impl AsRef<[u8]>) -> Result<()> {
        self.put_sized(path, contents.as_ref(), contents.as_ref().len() as u64)
    }

    /// Writes the start of a file and makes it as long as told; the rest takes no room on disk.
    fn put_sized(&mut self, path: &str, start: &[u8], length: u64) -> Result<()> {
        let path = self.top.join(path);
        let write = || {
            std::fs::create_dir_all(path.parent().unwrap_or(&self.top))?;
            let mut file = File::create(&path)?;
            file.write_all(start)?;
            file.set_len(length)
        };
        write().with_context(|| path.display().to_string())?;
        self.files += 1;
        Ok(())
    }
}

/// Lays the demo out in an empty folder, as a repository without a commit; gives the number of its
/// files.
pub fn lay_out(top: &Path) -> Result<u64> {
    let mut layout = Layout {
        top: top.to_owned(),
        files: 0,
    };
    sources::lay_out(&mut layout)?;
    bulk::lay_out(&mut layout)?;
    litter::lay_out(&mut layout)?;
    isolated(top)
        .args(["init", "--quiet", "--initial-branch=main"])
        .output()?;
    isolated(top)
        .args(["add", "--force", FORCED_LOG])
        .output()?;
    Ok(layout.files)
}

/// A call of git that nobody's own configuration changes, with a made-up author.
fn isolated(top: &Path) -> Git {
    isolation()
        .into_iter()
        .fold(Git::at(top).as_a_person_would(), |git, (name, value)| {
            git.env(name, value)
        })
}

/// The variables that make it so.
fn isolation() -> [(&'static str, &'static str); 6] {
    [
        ("GIT_CONFIG_GLOBAL", "/dev/null"),
        ("GIT_CONFIG_NOSYSTEM", "1"),
        ("GIT_AUTHOR_NAME", "Nia Tidewatch"),
        ("GIT_AUTHOR_EMAIL", "nia@tidewatch.example"),
        ("GIT_COMMITTER_NAME", "Nia Tidewatch"),
        ("GIT_COMMITTER_EMAIL", "nia@tidewatch.example"),
    ]
}
