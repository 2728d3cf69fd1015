use redshank_stage::Stage;

/// What a stage did, and in what it is counted.
pub fn stage(stage: Stage) -> (&'static str, &'static str) {
    match stage {
        Stage::Git => ("asked git", "calls"),
        Stage::Index => ("read the index", "tracked paths"),
        Stage::Walk => ("walked", "paths"),
        Stage::Recognise => ("recognised", "projects"),
        Stage::Contents => ("read", "files"),
        Stage::Find => ("found", "findings"),
        Stage::History => ("read the history", "versions"),
        Stage::Draft => ("drafted", "rules"),
        Stage::Plan => ("planned", "steps"),
        Stage::Change => ("changed", "files"),
    }
}
