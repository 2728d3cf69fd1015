//! Plans and the journal, on real repositories.

#![allow(clippy::unwrap_used, reason = "a test that can't go on has failed")]

mod changes;
mod learned;
mod rest;
