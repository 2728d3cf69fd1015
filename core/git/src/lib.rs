//! All that only git knows: where a repository lies, how it is configured, what its index holds,
//! and how its index is changed. Nothing else in Redshank starts git.
//!
//! ```
//! # fn main() -> Result<(), Box<dyn std::error::Error>> {
//! # let folder = tempfile::tempdir()?;
//! use redshank_git::{Discovered, Git, find};
//!
//! assert!(matches!(find(folder.path())?, Discovered::Folder(_)));
//! Git::at(folder.path()).args(["init", "--quiet"]).output()?;
//! let Discovered::Repository(repository) = find(folder.path())? else {
//!     panic!("git made a repository");
//! };
//! assert_eq!(repository.index()?.iter().count(), 0);
//! # Ok(())
//! # }
//! ```

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod attributes;
mod authors;
mod command;
mod error;
mod fetch;
mod hidden_changes;
mod history;
mod in_progress;
mod index;
mod index_change;
mod layout;
mod messages;
mod next_commit;
mod objects;
mod outgoing;
mod programs;
mod sides;
mod staged;
mod submodules;
mod trees;
mod versions;

pub use attributes::Drivers;
pub use authors::{Author, AuthorShare, Named, Oddity, is_no_address};
pub use command::Git;
pub use error::Error;
pub use fetch::{Fetched, fetch_files};
pub use history::Past;
pub use in_progress::{InProgress, Operation};
pub use index::{Index, Mode, Span, Tracked};
pub use index_change::{Entry, Flag, NotPutBack, Taken};
pub use layout::{Discovered, Personal, Repository, find, personal_outside};
pub use messages::{Message, MessageOn, Reach};
pub use outgoing::{Destination, LargeObject, Outgoing, RemoteAnswer, SentObject, StoredSize};
pub use sides::{TrackedFiles, TreeState};
pub use staged::{Blobs, Staged};
pub use submodules::Submodule;
pub use trees::{Change, Changed, Difference, TreeMode};
pub use versions::{Commit, HistoryCut, Kept, Version};

/// What every call here gives.
pub type Result<T, E = Error> = std::result::Result<T, E>;
