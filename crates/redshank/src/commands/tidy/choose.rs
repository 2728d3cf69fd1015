//! Asking a person what of a plan is to be done.

use super::show;
use anyhow::Result;
use dialoguer::theme::SimpleTheme;
use dialoguer::{MultiSelect, Select};
use redshank_core::plan::{Plan, Step};
use std::collections::HashSet;

/// What a person wants.
pub(super) enum Choice {
    All,
    Some,
    Difference,
    Nothing,
}

pub(super) fn ask() -> Result<Choice> {
    let answers = ["no, change nothing", "all of it", "choose, step by step", "show the difference"];
    let theme = SimpleTheme;
    let asked = Select::with_theme(&theme).with_prompt("Do it?").items(answers).default(0);
    Ok(match asked.interact_opt()? {
        Some(1) => Choice::All,
        Some(2) => Choice::Some,
        Some(3) => Choice::Difference,
        _ => Choice::Nothing,
    })
}

/// The findings of the steps that are chosen; nothing if the question was left.
pub(super) fn among(plan: &Plan) -> Result<Option<HashSet<String>>> {
    let mut known = HashSet::new();
    let steps = plan.steps.iter().filter_map(|step| Some((step, step.finding.as_ref()?)));
    let first: Vec<(&Step, &String)> = steps.filter(|(_, finding)| known.insert(*finding)).collect();
    let labels: Vec<(String, bool)> = first.iter().map(|(step, _)| (show::in_words(step), true)).collect();
    let theme = SimpleTheme;
    let asked =
        MultiSelect::with_theme(&theme).with_prompt("Space leaves a step out, Enter goes on").items_checked(labels);
    let kept = asked.interact_opt()?;
    Ok(kept.map(|kept| kept.into_iter().map(|at| first[at].1.clone()).collect()))
}
