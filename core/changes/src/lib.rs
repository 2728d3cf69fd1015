//! Changes and the way back: from findings to a plan, from a plan to what is written, and from that
//! back to how it was.
//!
//! ```
//! # fn main() -> Result<(), Box<dyn std::error::Error>> {
//! # let folder = tempfile::tempdir()?;
//! # redshank_git::Git::at(folder.path()).args(["init", "--quiet"]).output()?;
//! use redshank_changes::journal::Journal;
//! use redshank_changes::{Edit, RuleTarget, write};
//! use redshank_rules::RuleScope;
//! use redshank_rules::RepoPath;
//! use redshank_worktree::Snapshot;
//!
//! let snapshot = Snapshot::open(folder.path())?;
//! let target = RuleTarget::find(&snapshot, RuleScope::Team, RepoPath::top())?;
//! let after = target.with(&["*.raw".into()]);
//! write(&snapshot, "add", &[Edit::of_rules(target, after)])?;
//! assert!(folder.path().join(".gitignore").exists());
//! assert_eq!(Journal::open(&snapshot)?.list()?[0].command, "add");
//! # Ok(())
//! # }
//! ```

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod disk;
mod edit;
mod error;
mod private_folder;
mod removable;
mod rule_target;

pub mod hidden_changes;
pub mod hook;
pub mod journal;
pub mod plan;
pub mod policy;
pub mod rehearse;
pub mod sample;
pub mod untrack;

pub use edit::{Edit, attributes_overlay_of, effect_of, overlay_of, write};
pub use error::{EditedSince, Error, Result};
pub use removable::Obstacle;
pub use rule_target::RuleTarget;
