//! The finders, each in a file of its own: it takes a scan and what earlier passes found out, and
//! gives findings.

mod attribute_lines;
mod by_name;
mod by_nature;
mod companions;
mod hidden_changes;
mod links;
mod machine_path;
mod misleading_rules;
mod modes;
mod needed;
mod nested;
mod oversized;
mod pattern_limits;
mod policy;
mod portability;
mod reserved;
mod script_ends;
mod tool_settings;
mod tracked_anyway;
mod work;
mod wrong_top;

pub(crate) use machine_path::home_path_in;
pub(crate) use oversized::over_limit;
pub use oversized::{only_here, storage_line};
pub(crate) use pattern_limits::{PatternLimits, heavy_push};
pub(crate) use reserved::of_file as reserved;
pub(crate) use script_ends::Script;

use crate::{Finding, Known, Result, ScanContext};
use redshank_worktree::tree::Entry;

/// What every finder is.
pub(crate) type Finder = fn(&ScanContext, &Known) -> Result<Vec<Finding>>;

/// Those that need nothing but names and settings.
pub(crate) const ANYWHERE: &[Finder] = &[reserved::find, portability::find];

/// Those that look at what only the working tree can tell.
pub(crate) const ON_DISK: &[Finder] = &[
    needed::find,
    work::find,
    companions::find,
    links::find,
    nested::find,
    misleading_rules::find,
    hidden_changes::find,
    tool_settings::find,
    wrong_top::find,
    attribute_lines::find,
    policy::find,
];

/// Those that are told by a name what contents didn't tell.
pub(crate) const BY_NAME: &[Finder] = &[by_name::find];

/// Those that need to know what was seen inside files.
pub(crate) const WITH_CONTENT: &[Finder] = &[
    oversized::find,
    script_ends::find,
    tracked_anyway::find,
    modes::find,
];

/// The finding on a file that starts so, if it is secret by nature.
pub(crate) fn by_nature(entry: &Entry, head: &[u8]) -> Result<Option<Finding>> {
    by_nature::finding(entry, head)
}

/// The finding on a file that starts so, if a path of one machine is in it.
pub(crate) fn machine_path(entry: &Entry, head: &[u8]) -> Option<Finding> {
    machine_path::finding(entry, head)
}

/// The script that a file is by its name and start, if its lines end wrongly.
pub(crate) fn script(entry: &Entry, head: &[u8]) -> Option<Script> {
    script_ends::script_in(entry, head)
}
