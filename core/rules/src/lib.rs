//! Ignore rules: one rule read from its line and matched, the files that hold rules, and which rule
//! decides about a path.
//!
//! The meaning is git's, from gitignore(5) and from what git does where the manual is silent. This
//! crate does no input or output: it sees bytes.
//!
//! # Examples
//!
//! ```
//! use redshank_rules::{Case, Chain, Rule, RuleList, Source, exactly, fit};
//! use std::sync::Arc;
//!
//! let rule = Rule::parse(b"*.raw", 1, Case::Sensitive);
//! assert!(rule.matches("soundings/2026-03-20.raw".into(), false));
//! assert_eq!(exactly("notes [old].txt".into()), "/notes \\[old].txt");
//! assert_eq!(fit("/target/", "gateway/".into()), "/gateway/target/");
//!
//! let source = Source::of_folder("".into());
//! let list = RuleList::parse(source, b"*.raw\n!spring.raw\n", Case::Sensitive);
//! let chain = Chain::new([Arc::new(list)]);
//! let ruling = chain.ruling("soundings/spring.raw".into(), &|| false).unwrap();
//! assert_eq!((ruling.rule().line, ruling.ignores()), (2, false));
//! ```

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

pub mod attribute_file;
mod chain;
mod class;
mod fit;
mod glob;
mod growing;
pub mod ignore_file;
mod line;
mod list;
mod lookup;
mod near_miss;
mod path;
mod pattern_set;
mod probe;
mod rule;
mod source;

pub use attribute_file::ATTRIBUTE_FILE;
pub use chain::Chain;
pub use fit::{Breadth, exactly, fit};
pub use glob::{Glob, Key};
pub use growing::GrowingList;
pub use line::{Line, lines, raw_lines};
pub use list::{RuleId, RuleList, Ruling};
pub use near_miss::{NearMiss, NearReason, looser, misreadings, near_misses};
pub use path::{RepoPath, RepoPathBuf, common_folder};
pub use pattern_set::PatternSet;
pub use rule::{Case, Rule, quote};
pub use source::{RuleScope, Source};

use bstr::{BStr, BString, ByteSlice};

/// The name of git's ignore files.
pub const IGNORE_FILE: &str = ".gitignore";

/// The folder of an ignore file, by its path. Nothing for another file.
pub fn folder_of_ignore_file(path: &RepoPath) -> Option<&RepoPath> {
    (path.name() == IGNORE_FILE && !path.is_folder()).then(|| path.folder())
}

/// The start of a pattern that nobody would read to its end; any other as it is.
pub fn excerpt(pattern: &BStr) -> BString {
    const LONGEST: usize = 300;
    if pattern.len() <= LONGEST {
        return pattern.to_owned();
    }
    let start = pattern[..LONGEST].trim_end_with(|c| c == char::REPLACEMENT_CHARACTER);
    [start, format!("… ({} bytes)", pattern.len()).as_bytes()]
        .concat()
        .into()
}
