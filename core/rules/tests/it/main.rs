//! Rules, by git's manual and by what must hold for all of them.

#![allow(clippy::unwrap_used, reason = "a test that can't go on has failed")]

mod lists;
mod manual;
mod properties;
