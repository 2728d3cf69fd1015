//! Templates: rules for one project type, each with its reason, its class and its own examples.
//!
//! ```
//! # fn main() -> Result<(), Box<dyn std::error::Error>> {
//! # let folder = tempfile::tempdir()?;
//! use redshank_templates::{Collection, recognise};
//! use redshank_worktree::Snapshot;
//!
//! std::fs::create_dir(folder.path().join("gateway"))?;
//! std::fs::write(folder.path().join("gateway/Cargo.toml"), "[package]\n")?;
//! let snapshot = Snapshot::open(folder.path())?;
//! let templates = Collection::built_in()?;
//! let survey = recognise(&snapshot, snapshot.tree()?, &templates);
//! assert_eq!(survey.projects[0].template.name, "rust");
//! assert_eq!(survey.projects[0].folder, "gateway/");
//! # Ok(())
//! # }
//! ```

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod attributes;
mod build;
mod collection;
mod convention;
mod declined;
mod draft;
mod environments;
mod error;
mod examples;
mod format;
mod ignored_sources;
mod matches;
mod merge_rules;
mod needed;
mod other_names;
mod outputs;
mod recognise;
mod rules_by_folder;
mod shorten;
mod sign;
mod start;
mod taken;
mod tools_names;
mod validity;

pub use attributes::{AttributeDraft, LeftOutAttribute, POINTER, WhyLeftOut};
pub use build::builds;
pub use collection::{Collection, TEAM_FOLDER, open_personal_folder, personal_folder};
pub use declined::Declined;
pub use draft::{
    BlockChange, Conflict, Draft, DraftOptions, Edited, MEMORY_FILE, TemplateRequest,
    first_uncovered_project, is_to_come, left_behind,
};

pub use error::{Error, Result};
pub use examples::{Failure, prove, prove_beside};
pub use format::{
    AttributeClass, Companion, Confidence, FolderMark, FolderPart, Group, Heading, Marker, Needed,
    Output, SettingFormat, Sign, Template, TemplateAttribute, TemplateRule, TemplateSource,
    Variant,
};
pub use ignored_sources::{
    ignored_sources, is_authored, is_keep_file, sources_ignored_by, would_ignore_sources,
};
pub use matches::{TemplateMatch, TemplateMatches};

pub use convention::{Convention, ShownBy, conventions, open_choices};
pub use needed::{NeededPaths, SwallowedFile, swallowed};
pub use outputs::setting;
pub use recognise::{KnownPlace, Project, Survey, recognise};
pub use shorten::{RemovedLine, Shorter, ShorterFile, WhyRemoved, shorten};
pub use start::started;
pub use taken::{Loss, TakenFile, taken_away};
pub use validity::{Fault, check};
