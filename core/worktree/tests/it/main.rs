//! The rules and verdicts, beside the real git and its manual.

#![allow(clippy::unwrap_used, reason = "a test that can't go on has failed")]

mod agrees_with_git;
mod attributes;
mod manual;
mod sizes;
