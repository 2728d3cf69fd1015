//! Changes and the way back: from findings to a plan, from a plan to what is written, and from that
//! back to how it was.

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod disk;
mod edit;
mod error;
mod removable;
mod rule_target;

pub mod hidden_changes;
pub mod hook;
pub mod journal;
pub mod plan;
pub mod rehearse;
pub mod sample;

pub use edit::{Edit, overlay_of, write};
pub use error::{EditedSince, Error, Result};
pub use removable::Obstacle;
pub use rule_target::RuleTarget;
