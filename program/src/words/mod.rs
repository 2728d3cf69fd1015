//! The sentences, each once: what the computation gives as data is said here, with the commands and
//! options of this program.

mod errors;
mod findings;
mod learned;
mod rules;
mod stages;
mod steps;

pub use errors::{example, explained};
pub use findings::{
    class, evidence, history_cut, level, level_counts, message, next_step, not_scanned, place,
    remedy,
};
pub use learned::learned;
pub use rules::{
    fault, in_vain, meaning, mend, near_reason, pattern, ruling, scope, status, stray_reason,
    taken_away,
};
pub use stages::stage;
pub use steps::{kind_title, reason};

use redshank_changes::rehearse::MissingReason;

/// Why something is needed in a clone.
pub fn missing_reason(reason: &MissingReason) -> String {
    match reason {
        MissingReason::Said(said) => said.clone(),
        MissingReason::OnlyHere => "ignored for its size; no clone has it".to_owned(),
        MissingReason::Referred { by, title } => format!("{by} refers to it: {title}"),
    }
}
