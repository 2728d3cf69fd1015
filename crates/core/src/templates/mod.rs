//! Templates: rules for one project type, each with its reason, its class and its own examples.

mod claims;
mod collection;
mod draft;
mod fit;
mod format;
mod outputs;
mod proof;
mod recognise;
mod refresh;
mod start;
mod validity;

pub use claims::{Claim, Claims};
pub use collection::{Collection, TEAM_FOLDER, open_personal_folder, personal_folder};
pub use draft::{Conflict, Draft, Edited, Manner, Wish};
pub use fit::{exactly, fit};
pub use format::{
    Confidence, FolderMark, Group, Marker, Needed, Origin, Output, SettingFormat, Template,
    TemplateRule, Variant,
};
pub(crate) use outputs::setting;
pub use proof::{Failure, prove};
pub use recognise::{KnownPlace, Project, Survey, recognise};
pub use start::started;
pub use validity::{Fault, check};
