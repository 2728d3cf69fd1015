//! Asking a person what of a plan is to be done.

use super::show;
use anyhow::Result;
use dialoguer::MultiSelect;
use dialoguer::theme::SimpleTheme;
use redshank_changes::plan::{Plan, Step};
use redshank_context::ask;
use std::collections::HashSet;

/// What a person wants.
pub(super) enum Choice {
    All,
    Some,
    Difference,
    Nothing,
}

/// What an answer is to a plan.
const ANSWERS: &[ask::Answer] = &[
    ('n', "nothing"),
    ('y', "all of it"),
    ('c', "choose, step by step"),
    ('d', "see the difference"),
];

pub(super) fn ask() -> Result<Choice> {
    Ok(match ask::one_of("\nDo it?", ANSWERS)? {
        Some('y') => Choice::All,
        Some('c') => Choice::Some,
        Some('d') => Choice::Difference,
        _ => Choice::Nothing,
    })
}

/// The findings whose steps a person leaves out; nothing for Esc.
pub(super) fn left_out(plan: &Plan) -> Result<Option<HashSet<String>>> {
    let mut known = HashSet::new();
    // A finding's steps go together; the first one stands for them.
    let first: Vec<&Step> = plan
        .steps
        .iter()
        .filter(|step| {
            step.findings
                .first()
                .is_some_and(|first| known.insert(first))
        })
        .collect();
    let labels: Vec<(String, bool)> = first
        .iter()
        .map(|step| (show::in_words(step), true))
        .collect();
    let theme = SimpleTheme;
    let asked = MultiSelect::with_theme(&theme)
        .with_prompt("Space leaves a step out, Enter goes on")
        .items_checked(labels);
    let asked = asked.interact_opt();
    let asked = ask::whole(asked.map_err(|dialoguer::Error::IO(error)| error))?;
    let Some(kept) = asked else {
        return Ok(None);
    };
    let left = first
        .iter()
        .enumerate()
        .filter(|(at, _)| !kept.contains(at));
    let left = left.flat_map(|(_, step)| step.findings.iter().cloned());
    Ok(Some(left.collect()))
}
