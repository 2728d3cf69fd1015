//! A rehearsal, for people.

use super::Ran;
use bstr::ByteSlice;
use redshank_changes::rehearse::{
    Learned, LearnedStatus, LeftOut, Missing, Outcome, RunDifference,
};
use redshank_origin::Origin;
use redshank_output::{Align, Cell, Table};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_text::{self as text, Paint, count, files, quoted, shown};

/// What a clone would lack.
pub fn of_missing(missing: &[Missing]) -> String {
    missing
        .iter()
        .map(|file| {
            let by = match &file.ruling {
                Some(by) => format!("ignored by {}", text::ruling(by)),
                None => "not staged".to_owned(),
            };
            let (mark, path) = (Paint::Warn.on("missing"), shown(&file.path));
            let reason = text::missing_reason(&file.reason);
            format!("{mark}  {}\n    {reason}\n    {by}\n", Paint::Head.on(path))
        })
        .collect()
}

/// What is left out of the clone.
pub fn of_left_out(left_out: &[LeftOut]) -> String {
    if left_out.is_empty() {
        let nothing = Paint::Good.on("nothing is left out");
        return format!("{nothing}: somebody seems to have written every file");
    }
    let unknown = left_out
        .iter()
        .filter(|file| file.origin == Origin::Unknown);
    let unknown = unknown.count() as u64;
    let made = left_out.len() as u64 - unknown;
    let what = match (made, unknown) {
        (made, 0) => format!("{} that a tool seems to have made", files(made)),
        (0, unknown) => format!("{} of unknown origin", files(unknown)),
        (made, unknown) => format!(
            "{} that a tool seems to have made, and {} of unknown origin",
            files(made),
            count(unknown)
        ),
    };
    format!("{}  {what}", Paint::Head.on("left out of it"))
}

/// What became of what was left out.
pub fn of_proof(proof: &[(LeftOut, Outcome)]) -> String {
    let heads = [
        (Outcome::Same, "the command made it again, the same"),
        (
            Outcome::Other,
            "the command made it again, with other contents",
        ),
        (
            Outcome::NotMade,
            "the command works without it, and doesn't make it",
        ),
        (
            Outcome::Missed,
            "the command fails without at least one of these",
        ),
        (
            Outcome::Unknown,
            "not made again; the command fails with it, too",
        ),
    ];
    let mut text = String::new();
    for (outcome, head) in heads {
        let of_it = proof.iter().filter(|(_, known)| *known == outcome);
        let paths: Vec<RepoPathBuf> = of_it.map(|(file, _)| file.path.clone()).collect();
        text += &listed(head, &paths);
    }
    let came_back = proof
        .iter()
        .filter(|(_, outcome)| *outcome <= Outcome::Other);
    let (tracked, open): (Vec<&LeftOut>, Vec<&LeftOut>) = came_back
        .map(|(file, _)| file)
        .partition(|file| file.is_tracked);
    if !open.is_empty() {
        let tidy = Paint::Type.on("redshank tidy");
        let many = files(open.len() as u64);
        text += &format!("\n{tidy} ignores the {many} that came back\n");
    }
    if let Some(first) = tracked.first() {
        let untrack = format!("redshank untrack {}", quoted(first.path.as_bstr()));
        let many = files(tracked.len() as u64);
        text += &format!(
            "\nmade again, and tracked: {many}; {} stops that, unless it is on purpose\n",
            Paint::Type.on(untrack)
        );
    }
    text
}

/// What a run left behind.
pub fn of_run(ran: &Ran) -> String {
    let seconds = format!("{:.1} s", ran.time.as_secs_f64());
    let mut text = match ran.end.as_ref().map(|end| end.0) {
        None => format!("\nwatched for {seconds}\n"),
        Some(Some(0)) => format!("\n{} in {seconds}\n", Paint::Good.on("it works")),
        Some(Some(code)) => {
            let failed = Paint::Bad.on(format!("it failed with {code}"));
            format!("\n{failed} after {seconds}\n")
        }
        Some(None) => format!("\n{} after {seconds}\n", Paint::Bad.on("it was killed")),
    };
    let difference = &ran.difference;
    if !difference.ignored.is_empty() {
        text += &text_of_ignored(difference);
    }
    let untracked = "not tracked, there before, and changed meanwhile";
    text += &listed("tracked, and changed meanwhile", &difference.changed);
    text += &listed(untracked, &difference.rewritten);
    text += &listed("came and went", &difference.passing);
    if !difference.not_again.is_empty() {
        let head = Paint::Head.on("earlier runs left it behind, this one did not");
        let rules = difference.not_again.iter().take(MOST);
        let rules: String = rules
            .map(|rule| format!("  {}\n", text::pattern(rule.as_bstr())))
            .collect();
        text += &format!("\n{head}\n{rules}{}", more(difference.not_again.len()));
    }
    if difference.unruled.is_empty() {
        let nothing = Paint::Good.on("no unignored leftovers");
        return text + &format!("\n{nothing}\n");
    }
    let (proposed, left): (Vec<&Learned>, Vec<&Learned>) = difference
        .unruled
        .iter()
        .partition(|new| new.status == LearnedStatus::Proposed);
    if !left.is_empty() {
        let head = Paint::Warn.on("new, NOT ignored, and left to you");
        text += &format!("\n{head}\n{}", table_of(&left));
    }
    if !proposed.is_empty() {
        let head = Paint::Warn.on("new, and NOT ignored");
        let rules: Vec<String> = proposed
            .iter()
            .map(|new| quoted(new.rule.as_bstr()))
            .collect();
        let add = Paint::Type.on(format!("redshank add {} --write", rules.join(" ")));
        let keeps = Paint::Quiet.on("ignores it");
        text += &format!("\n{head}\n{}{add}  {keeps}\n", table_of(&proposed));
    }
    text
}

/// At most this many paths of a kind are reported.
const MOST: usize = 10;

fn listed(head: &str, paths: &[RepoPathBuf]) -> String {
    if paths.is_empty() {
        return String::new();
    }
    let rows = paths.iter().take(MOST);
    let rows: String = rows
        .map(|path| format!("  {}\n", shown(path.as_bstr())))
        .collect();
    format!("\n{}\n{rows}{}", Paint::Head.on(head), more(paths.len()))
}

/// That there are more than were told.
fn more(all: usize) -> String {
    match all.saturating_sub(MOST) {
        0 => String::new(),
        rest => format!("  and {} more\n", count(rest as u64)),
    }
}

fn text_of_ignored(difference: &RunDifference) -> String {
    let columns = [Align::Right, Align::Right, Align::Whole, Align::Left];
    let mut table = Table::new(&columns);
    for (ruling, stats) in &difference.ignored {
        let by = format!("{}:{}", ruling.source().shown, ruling.rule().line);
        table.row([
            files(stats.files).into(),
            stats.size.to_string().into(),
            Cell::painted(Paint::Type, text::pattern(ruling.rule().text.as_bstr())),
            Cell::painted(Paint::Quiet, by),
        ]);
    }
    format!("\n{}\n{}", Paint::Head.on("new, and ignored"), table.text())
}

fn table_of(new: &[&Learned]) -> String {
    let mut table = Table::new(&[Align::Whole, Align::Right, Align::Right, Align::Left]);
    for new in new {
        table.row([
            shown(name(new)).into(),
            files(new.stats.files).into(),
            new.stats.size.to_string().into(),
            Cell::painted(Paint::Quiet, text::learned(new)),
        ]);
    }
    table.text()
}

/// What stands for it: its path, or the rule for several.
fn name(new: &Learned) -> &RepoPath {
    match new.paths.as_slice() {
        [path] => path,
        _ => RepoPath::new(&new.rule),
    }
}
