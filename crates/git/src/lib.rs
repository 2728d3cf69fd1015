//! All that only git knows: where a repository lies, how it is configured, what its index holds,
//! and how its index is changed. Nothing else in Redshank starts git.

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod attributes;
mod clone;
mod command;
mod error;
mod history;
mod index;
mod index_change;
mod layout;
mod mute;
mod objects;
mod programs;
mod staged;
mod under_way;
mod versions;

pub use command::Git;
pub use error::Error;
pub use history::Past;
pub use index::{Index, Mode, Span, Tracked};
pub use index_change::{Entry, Flag, NotPutBack, Taken};
pub use layout::{Found, Personal, Repository, find, personal_outside};
pub use staged::{Blobs, Staged};
pub use under_way::UnderWay;
pub use versions::{Commit, Version};

/// What every call here gives.
pub type Result<T, E = Error> = std::result::Result<T, E>;
