//! Templates: rules for one project type, each with its reason, its class and its own examples.

mod builtin;
mod claims;
mod draft;
mod fit;
mod format;
mod proof;
mod recognise;

pub use builtin::{builtin, find};
pub use claims::{Claim, Claims};
pub use draft::{Block, Draft, Wish};
pub use fit::{exactly, fit};
pub use format::{FolderMark, Group, Marker, Needed, Template, TemplateRule};
pub use proof::{Failure, prove};
pub use recognise::{MarkedFolder, Project, Survey, recognise};
