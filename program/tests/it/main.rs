//! The built program in a temporary folder with a real git, as a person uses it.

#![allow(clippy::unwrap_used, reason = "a test that can't go on has failed")]

mod all_clear;
mod attacks_foreign;
mod attacks_lost_work;
mod attacks_outside;
mod attribute_lines;
mod attributes;
mod bad_input;
mod check;
mod common;
mod contract;
mod courtesies;
mod docs;
mod drafts_again;
mod editor;
mod editor_requests;
mod finders;
mod findings;
mod first_commit;
mod going_public;
mod guard;
mod guided;
mod history;
mod killed;
mod live;
mod odd_places;
mod one_look;
mod outgoing;
mod page;
mod places;
mod plain_words;
mod policy;
mod rehearse;
mod review;
mod rule_edits;
mod rule_warnings;
mod rules;
mod schemas;
mod secrets;
mod snapshots;
mod team_week;
mod templates;
mod tidy_places;
mod tidy_steps;
mod tidy_undo;
