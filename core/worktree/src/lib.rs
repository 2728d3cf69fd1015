//! What is in a working tree, the rules that hold there, and git's verdict on each path.
//!
//! A [`Snapshot`] reads each thing once, when it is first asked for: the tree, the files of rules,
//! the index, the settings. It answers again with changed rules, an [`Overlay`], without another
//! walk.
//!
//! ```
//! # fn main() -> Result<(), Box<dyn std::error::Error>> {
//! # let folder = tempfile::tempdir()?;
//! use redshank_rules::RepoPath;
//! use redshank_worktree::{Overlay, Snapshot, Verdicts, tree::State};
//!
//! std::fs::write(folder.path().join(".gitignore"), "*.raw\n")?;
//! std::fs::write(folder.path().join("spring.raw"), "")?;
//! let snapshot = Snapshot::open(folder.path())?;
//! let verdict = |rules| Verdicts::new(&snapshot, rules)?.query(RepoPath::new("spring.raw"));
//! assert_eq!(verdict(Overlay::new())?.state, State::Ignored);
//! let emptied = Overlay::from([(".gitignore".into(), Vec::new())]);
//! assert_eq!(verdict(emptied)?.state, State::Candidate);
//! # Ok(())
//! # }
//! ```

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod apart;
mod class;
mod error;
mod in_vain;
mod published;
mod review;
mod snapshot;
mod stats;
mod verdicts;
mod walk;
mod worktree;

pub mod attributes;
pub mod coverage;
pub mod effect;
pub mod expectations;
pub mod personal;
pub mod policy;
pub mod settings;
pub mod size;
pub mod sums;
pub mod toml_file;
pub mod tree;
pub mod usage;

pub use apart::apart;
pub use class::Class;
pub use error::{Error, Purpose, Result, io_error_at};
pub use in_vain::tell_exceptions_in_vain;
pub use published::{Absence, Published};
pub use review::{
    ChangedRule, DecidingRule, MovedPath, ReviewSide, RuleChange, RuleReview, SettingsReview,
};
pub use snapshot::{Overlay, RuleFile, Snapshot};
pub use stats::{FileStats, grouped};
pub use verdicts::{Answer, Verdicts};
pub use walk::{Depth, WalkOptions};
pub use worktree::Worktree;
