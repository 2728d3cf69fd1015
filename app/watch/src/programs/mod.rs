//! Which programs write, where the system tells.

#[cfg(target_os = "linux")]
mod linux;
#[cfg(target_os = "linux")]
pub use linux::Programs;

use std::path::PathBuf;

/// What programs of this person do just now.
#[derive(Default)]
pub struct AtWork {
    /// The files in the folder that they have open to write, each with the program.
    pub files: Vec<(PathBuf, String)>,
    /// The programs that run in the folder and have written something since they were asked last.
    pub writers: Vec<String>,
}

/// What is learned of processes. This system isn't asked, so nothing is.
#[cfg(not(target_os = "linux"))]
#[derive(Default)]
pub struct Programs {}

#[cfg(not(target_os = "linux"))]
impl Programs {
    /// What programs do in a folder just now.
    pub fn at_work(&mut self, _top: &std::path::Path) -> AtWork {
        AtWork::default()
    }
}
