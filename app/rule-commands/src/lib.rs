//! The commands that write rules, test them and explain them: one file each, with its arguments
//! and its `run`.

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod add;
mod attribute_lines;
mod drop;
mod rule_args;
mod rules;
mod shorten;
mod r#try;
mod why;

pub use add::Add;
pub use drop::Drop;
pub use rules::Rules;
pub use r#try::Try;
pub use why::Why;
