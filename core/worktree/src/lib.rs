//! What lies in a working tree, the rules that hold there, and git's verdict on each path.

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod class;
mod error;
mod path;
mod snapshot;
mod stats;
mod verdicts;
mod walk;
mod worktree;

pub mod coverage;
pub mod effect;
pub mod expectations;
pub mod ignore_file;
pub mod rules;
pub mod settings;
pub mod size;
pub mod toml_file;
pub mod tree;
pub mod usage;

pub use class::Class;
pub use error::{Error, Purpose, Result, refused};
pub use path::{RepoPath, RepoPathBuf, common_folder};
pub use snapshot::{Overlay, RuleFile, Snapshot};
pub use stats::{FileStats, grouped};
pub use verdicts::{Answer, Verdicts};
pub use walk::{Depth, WalkOptions};
pub use worktree::Worktree;
