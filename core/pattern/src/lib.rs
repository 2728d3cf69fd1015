//! One ignore rule: reading it from its line, matching it against a name or a path.
//!
//! The meaning is git's, from gitignore(5) and from what git does where the manual is silent. This
//! crate does no input or output and knows nothing of files: it sees bytes.
//!
//! ```
//! use redshank_pattern::{Case, Rule, exactly, fit};
//!
//! let rule = Rule::parse(b"*.raw", 1, Case::Sensitive);
//! assert!(rule.matches("soundings/2026-03-20.raw".into(), false));
//! assert_eq!(exactly("notes [old].txt".into()), "/notes \\[old].txt");
//! assert_eq!(fit("/target/", "gateway/".into()), "/gateway/target/");
//! ```

mod class;
mod fit;
mod glob;
mod line;
mod probe;
mod rule;

pub use fit::{Breadth, exactly, fit};
pub use glob::{Glob, Key};
pub use line::{Line, lines, raw_lines};
pub use rule::{Case, Rule, quote};
