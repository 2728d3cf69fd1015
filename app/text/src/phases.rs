use redshank_progress::Phase;

/// What a phase did, and in what it is counted.
pub fn phase(phase: Phase) -> (&'static str, &'static str) {
    match phase {
        Phase::Git => ("asked git", "calls"),
        Phase::Index => ("read the index", "tracked paths"),
        Phase::Walk => ("walked", "paths"),
        Phase::Recognise => ("recognised", "projects"),
        Phase::Contents => ("read", "files"),
        Phase::Find => ("found", "findings"),
        Phase::History => ("read the history", "versions"),
        Phase::Draft => ("drafted", "rules"),
        Phase::Plan => ("planned", "steps"),
        Phase::Change => ("changed", "files"),
    }
}
