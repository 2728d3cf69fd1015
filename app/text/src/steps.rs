//! What is said of the steps of a plan.

use super::findings;
use redshank_changes::plan::{StepKind, StepReason};

/// The title of a kind of step, and its place among the others: the order in which they are shown.
pub fn kind_title(kind: &StepKind) -> (u8, &'static str) {
    match kind {
        StepKind::Mend { .. } => (1, "mend a rule"),
        StepKind::Ignore { .. } => (2, "keep out, by a rule"),
        StepKind::Attribute { .. } => (3, "set an attribute"),
        StepKind::StopTracking => (4, "stop tracking, keep on disk"),
        StepKind::Remove { .. } => (5, "move out of the way"),
        StepKind::Sample(_) => (6, "write a sample"),
        StepKind::LetIn(_) => (7, "let in, by an exception"),
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
                1 => "; one line is left out, for it could tell a value".to_owned(),
                many => format!("; {many} lines are left out, for they could tell values"),
            };
            format!("the keys of {of} without their values, for others to fill in{left_out}")
        }
        StepReason::LineEnds { files: 0 } => {
            "lines end in LF in the repository, whoever edits; no file is different today"
                .to_owned()
        }
        StepReason::LineEnds { files } => format!(
            "lines end in LF in the repository, whoever edits; git writes {} with CR LF as LF \
             there",
            crate::files(*files)
        ),
        StepReason::Remake { command } => format!("made again by: {command}"),
    }
}
