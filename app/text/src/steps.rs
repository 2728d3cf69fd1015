//! What is said of the steps of a plan.

use super::findings;
use redshank_changes::plan::{StepKind, StepReason};

/// The title of a kind of step, and its place among the others: the order in which they are shown.
pub fn kind_title(kind: &StepKind) -> (u8, &'static str) {
    match kind {
        StepKind::Fix { .. } => (1, "fix a rule"),
        StepKind::Ignore { .. } => (2, "ignore, by a rule"),
        StepKind::Attribute { .. } => (3, "set an attribute"),
        StepKind::Mode {
            is_executable: true,
        } => (8, "make executable"),
        StepKind::Mode {
            is_executable: false,
        } => (9, "make not executable"),
        StepKind::StopTracking => (4, "stop tracking, keep on disk"),
        StepKind::Remove { .. } => (5, "move out of the way"),
        StepKind::Sample(_) => (6, "write a sample"),
        StepKind::LetIn(_) => (7, "re-include, by an exception"),
    }
}

/// Why a step is taken.
pub fn reason(reason: &StepReason) -> String {
    match reason {
        StepReason::Said(said) => said.clone(),
        StepReason::Finding(cause) => findings::cause(cause),
        StepReason::TrackedFiles => "rules do nothing for tracked files".to_owned(),
        StepReason::Keys { of, left_out } => {
            let left_out = match left_out {
                0 => String::new(),
                1 => "; one line is left out, as it could reveal a value".to_owned(),
                many => format!("; {many} lines are left out, as they could reveal values"),
            };
            format!("the keys of {of} without their values, for others to fill in{left_out}")
        }
        StepReason::LineEnds { files: 0 } => {
            "LF line endings in the repository for everybody; no file changes today".to_owned()
        }
        StepReason::LineEnds { files } => format!(
            "LF line endings in the repository for everybody; git stores {} with CR LF as LF",
            crate::files(*files)
        ),
        StepReason::Remake { command } => format!("made again by: {command}"),
    }
}
