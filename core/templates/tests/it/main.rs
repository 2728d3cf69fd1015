//! Templates on random trees, and their own examples.

#![allow(clippy::unwrap_used, reason = "a test that can't go on has failed")]

mod attributes;
mod convention;
mod examples;
mod form;
mod ground;
mod guard;
mod projects;
mod shorten;
