//! Asking a person what of a plan is to be done.

use super::show;
use crate::ask;
use anyhow::Result;
use dialoguer::theme::SimpleTheme;
use dialoguer::{MultiSelect, Select};
use redshank_changes::plan::{Plan, Step};
use std::collections::HashSet;

/// What a person wants.
pub(super) enum Choice {
    All,
    Some,
    Difference,
    Nothing,
}

pub(super) fn ask() -> Result<Choice> {
    let answers = [
        "change nothing",
        "do all of it",
        "choose, step by step",
        "show the difference",
    ];
    let theme = SimpleTheme;
    let asked = Select::with_theme(&theme)
        .with_prompt("\nWhat now")
        .items(answers)
        .default(0);
    let asked = asked.interact_opt();
    let asked = ask::whole(asked.map_err(|dialoguer::Error::IO(error)| error))?;
    Ok(match asked {
        Some(1) => Choice::All,
        Some(2) => Choice::Some,
        Some(3) => Choice::Difference,
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
