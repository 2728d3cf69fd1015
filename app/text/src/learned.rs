//! What is known of something that a tool made.

use crate::shown;
use bstr::ByteSlice;
use redshank_changes::rehearse::{Learned, LearnedStatus, WriteEvent};
use std::collections::BTreeSet;

/// Why a rule for it is proposed, or not; when and by whom it was written; in how many runs.
pub fn learned(new: &Learned) -> String {
    let status = match new.status {
        LearnedStatus::Proposed => None,
        LearnedStatus::Needed => Some("every clone needs it".to_owned()),
        LearnedStatus::Work => Some("looks like source files".to_owned()),
        LearnedStatus::WithWork => {
            Some("appeared together with source files; run it again to be sure".to_owned())
        }
        LearnedStatus::ByHand => Some("perhaps by hand".to_owned()),
        LearnedStatus::NotEveryTime => Some("not every run leaves it behind".to_owned()),
    };
    let template = new
        .template
        .as_ref()
        .map(|name| format!("known to the {name} template"));
    let runs = match (new.runs, new.of_runs) {
        (_, 1) => None,
        (runs, all) if runs == all => Some(format!("in each of {all} runs")),
        (runs, all) => Some(format!("in {runs} of {all} runs")),
    };
    let all = [status, template, new.seen.as_ref().map(seen), runs];
    all.into_iter().flatten().collect::<Vec<_>>().join("; ")
}

/// When and by whom.
fn seen(seen: &WriteEvent) -> String {
    let (first, last) = (seen.first.as_secs_f64(), seen.last.as_secs_f64());
    let when = match (last < 0.1, last - first < 0.1) {
        (true, _) => "at once".to_owned(),
        (_, true) => format!("after {first:.1} s"),
        _ => format!("after {first:.1} to {last:.1} s"),
    };
    let times = match seen.times {
        0 | 1 => String::new(),
        times => format!(", {times} times"),
    };
    let names = |names: &BTreeSet<String>| {
        let names = names.iter().map(|name| shown(name.as_bytes().as_bstr()));
        names.collect::<Vec<_>>().join(", ")
    };
    let by = match (seen.by.is_empty(), seen.beside.is_empty()) {
        (true, true) => String::new(),
        (true, false) => format!(" while {} wrote", names(&seen.beside)),
        (false, _) => format!(" by {}", names(&seen.by)),
    };
    format!("{when}{times}{by}")
}
