//! The attributes of a path.

use super::PathOut;
use bstr::{BStr, ByteSlice};
use redshank_worktree::attributes::PathAttributes;
use serde::Serialize;
use std::collections::BTreeMap;

/// One row of `why --attributes`.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct AttributesOut {
    /// The path that it is about, as it was given.
    #[serde(flatten)]
    pub path: PathOut,
    /// The attributes that the path has, with git's words for their values: `set`, `unset`, or what
    /// the line gives.
    pub attributes: BTreeMap<String, String>,
    /// The line that decides about each.
    pub decided_by: BTreeMap<String, DecidedOut>,
}

/// A line of an attribute file.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct DecidedOut {
    /// The file: relative to the top inside it, else its whole path.
    pub source: String,
    /// Line number, from 1.
    pub line: u32,
}

impl AttributesOut {
    /// Builds the row of a path.
    pub fn new(path: &BStr, attributes: &PathAttributes) -> Self {
        let text = |bytes: &BStr| bytes.to_str_lossy().into_owned();
        let value = |(name, (value, _)): (&bstr::BString, &(bstr::BString, _))| {
            (text(name.as_bstr()), text(value.as_bstr()))
        };
        let decided = attributes.iter().filter_map(|(name, (_, line))| {
            let line = line.as_ref()?;
            let by = DecidedOut {
                source: text(line.source.as_bstr()),
                line: line.line,
            };
            Some((text(name.as_bstr()), by))
        });
        Self {
            path: PathOut::new(path),
            attributes: attributes.iter().map(value).collect(),
            decided_by: decided.collect(),
        }
    }
}
