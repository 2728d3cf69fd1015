//! What people read, each sentence once: the core's data as text, with the commands and options of
//! this program. No input, no output.

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod answer;
mod attributes;
mod cleanup;
mod errors;
mod escape;
mod findings;
mod learned;
mod numbers;
mod origin;
mod phases;
mod remedies;
mod rules;
mod shell;
mod steps;
mod style;

pub use answer::{answer, difference, marked_line, whole};
pub use attributes::{attribute_given, attribute_status, attribute_value, why_left_out};
pub use cleanup::{Decision, cleanup, cleanup_lines};
pub use errors::{describe, example};
pub use escape::{cut, escaped, is_invisible, shortened, shown};
pub use findings::{
    class, evidence, history_cut, level, level_counts, message, next_step, not_scanned, place,
};
pub use learned::learned;
pub use numbers::{count, files};
pub use origin::{because, origin, origin_evidence, origin_lines};
pub use phases::phase;
pub use remedies::remedy;
pub use rules::{
    fault, fix, in_vain, meaning, near_reason, pattern, ruling, scope, status, stray_reason,
    taken_away, why_removed,
};
pub use shell::quoted;
pub use steps::{kind_title, reason};
pub use style::{Paint, class_paint, level_paint};

use redshank_changes::rehearse::MissingReason;
use redshank_git::Oddity;

/// Why something is needed in a clone.
pub fn missing_reason(reason: &MissingReason) -> String {
    match reason {
        MissingReason::Said(said) => said.clone(),
        MissingReason::OnlyHere => "ignored for its size; no clone has it".to_owned(),
        MissingReason::Referred { by, title } => format!("{by} refers to it: {title}"),
    }
}

/// What is odd about an address in a commit.
pub fn oddity(oddity: Oddity) -> &'static str {
    match oddity {
        Oddity::NoAddress => "no address that reaches anybody",
        Oddity::MadeUp => "an address out of a manual",
        Oddity::Other => "another address than in most commits by that name",
    }
}
