//! The passes of a scan, around the finders.

mod accepted;
mod content;
mod exceptions;
mod exposure;
mod gather;
mod group;
mod history;
mod made;
mod messages;
mod source;
mod strangers;
mod submodules;
mod template_paths;

pub(crate) use accepted::leave_out_accepted;
pub use accepted::today;
pub(crate) use content::ContentScan;
pub(crate) use exceptions::respect_exceptions;
pub(crate) use exposure::fill_in_exposure;
pub(crate) use gather::gather;
pub(crate) use group::group;
pub(crate) use history::{search_history, search_push};
pub(crate) use made::find_made;
pub(crate) use source::{ContentSource, staged};
pub(crate) use strangers::{find_for_strangers, find_people};
pub(crate) use submodules::find_unreachable;
pub(crate) use template_paths::TemplatePaths;
