//! The answer in words: the deciding rule, what it overrides, what nearly matched, and what to do.

use crate::{Paint, near_reason, pattern, quoted, shown};
use anyhow::Result;
use bstr::{BStr, ByteSlice};
use redshank_rules::RepoPath;
use redshank_rules::{Chain, Ruling, near_misses};
use redshank_worktree::tree::State;
use redshank_worktree::{Answer, Verdicts};
use std::ops::Range;

/// The answer in words.
pub fn answer(verdicts: &Verdicts, given: &BStr, at: &RepoPath, answer: &Answer) -> Result<String> {
    let path = Paint::Head.on(shown(given));
    let ignores = answer.ruling.as_ref().is_some_and(Ruling::ignores);
    let is_open = answer.state != State::Ignored && answer.ruling.is_none() && !at.is_top();
    let let_in = if is_open { let_in(verdicts, at)? } else { None };
    let mut text = match (answer.state, &answer.ruling) {
        _ if at.is_top() => format!("{path} is the top folder itself: git never ignores it\n"),
        (_, None) if verdicts.is_gits_own(at) => {
            return Ok(format!("{path} is git's own: no commit ever takes it\n"));
        }
        (State::Tracked, Some(_)) if ignores => {
            format!("{path} is tracked already, so rules do nothing for it\n")
        }
        (State::Tracked, _) => format!("{path} is tracked\n"),
        (State::Ignored, _) => format!("{path} is {}\n", Paint::Warn.on("ignored")),
        (State::Candidate, Some(_)) => {
            format!(
                "{path} is {}: an exception re-includes it\n",
                Paint::Good.on("not ignored")
            )
        }
        (State::Candidate, None) if let_in.is_some() => format!(
            "{path} is {}: an exception re-includes its folder\n",
            Paint::Good.on("not ignored")
        ),
        (State::Candidate, None) => format!(
            "{path} is {}: no rule matches it\n",
            Paint::Good.on("not ignored")
        ),
    };
    if let Some(ruling) = &answer.ruling {
        text += &marked(ruling);
        if let Some(folder) = answer.excluded_parent(at) {
            let folder = shown(folder);
            text += &format!(
                "    the rule ignores the folder {folder}; no exception can re-include a file \
                 inside it\n"
            );
            text += &in_vain(&verdicts.rules_at(at)?, at, ruling);
        } else {
            text += &overridden(&verdicts.rules_at(at)?, at);
        }
        if answer.state == State::Tracked && ignores {
            let command = Paint::Type.on(format!("redshank untrack {}", quoted(given)));
            text += &format!("    {command} stops tracking it and keeps it on disk\n");
        }
    }
    match let_in {
        Some(by) => text += &by,
        None if is_open => text += &near(&verdicts.rules_at(at)?, at),
        None => {}
    }
    Ok(text)
}

/// The exception by which a folder above is there at all, and what would ignore it.
fn let_in(verdicts: &Verdicts, path: &RepoPath) -> Result<Option<String>> {
    for folder in path.folders_above() {
        let rules = verdicts.rules_at(folder)?.all_rulings(folder.bare(), true);
        if let [exception, other, ..] = &rules[..]
            && !exception.ignores()
            && other.ignores()
        {
            return Ok(Some(format!(
                "    {} re-includes {}, which {} would ignore\n",
                told(exception),
                shown(folder),
                told(other)
            )));
        }
    }
    Ok(None)
}

/// The exceptions that can't work because a folder above is excluded, and what to do instead.
fn in_vain(rules: &Chain, path: &RepoPath, excluding: &Ruling) -> String {
    let exceptions = rules
        .all_rulings(path.bare(), path.is_folder())
        .into_iter()
        .filter(|ruling| !ruling.ignores());
    let rule = pattern(excluding.rule().text.as_bstr());
    let open = format!("{}/*", rule.trim_end_matches('/'));
    exceptions
        .map(|exception| {
            let fix = format!(
                "`{}` instead of `{rule}` leaves the folder open",
                Paint::Type.on(&open)
            );
            format!("    {} cannot work; {fix}\n", told(&exception))
        })
        .collect()
}

/// The rules that match, too, and are overridden.
fn overridden(rules: &Chain, path: &RepoPath) -> String {
    let all = rules.all_rulings(path.bare(), path.is_folder());
    all.iter()
        .skip(1)
        .take(NEAR)
        .map(|ruling| format!("    overrides {}\n", told(ruling)))
        .collect()
}

/// Where a rule is, and the rule.
fn told(ruling: &Ruling) -> String {
    let place = format!(
        "{}:{}",
        shown(ruling.source().shown.as_bstr()),
        ruling.rule().line
    );
    format!(
        "{}  {}",
        Paint::Quiet.on(place),
        pattern(ruling.rule().text.as_bstr())
    )
}

/// How many rules that nearly matched, or are overridden, are reported.
const NEAR: usize = 3;

/// The rules that nearly matched, and what would.
fn near(rules: &Chain, path: &RepoPath) -> String {
    let misses = near_misses(rules, path);
    let told = misses.iter().take(NEAR).map(|miss| {
        let place = format!("{}:{}", shown(miss.source.as_bstr()), miss.line);
        let (rule, corrected) = (
            pattern(miss.pattern.as_bstr()),
            pattern(miss.corrected.as_bstr()),
        );
        let fix = if rule == corrected {
            String::new()
        } else {
            format!("; {} would match", Paint::Type.on(corrected))
        };
        format!(
            "    {}  {rule}  nearly: {}{fix}\n",
            Paint::Quiet.on(place),
            near_reason(miss.because)
        )
    });
    told.collect()
}

/// The deciding line with a marker under the rule.
fn marked(ruling: &Ruling) -> String {
    let rule = pattern(ruling.rule().text.as_bstr());
    let place = format!(
        "{}:{}",
        shown(ruling.source().shown.as_bstr()),
        ruling.rule().line
    );
    marked_line(&place, &rule, whole(&rule))
}

/// A line of a file with a marker under a part of it, counted in characters.
pub fn marked_line(place: &str, line: &str, part: Range<usize>) -> String {
    let indent = " ".repeat(place.chars().count() + 2 + part.start);
    let mark = "^".repeat(part.len().max(1));
    format!(
        "    {}  {line}\n    {indent}{}\n",
        Paint::Quiet.on(place),
        Paint::Warn.on(mark)
    )
}

/// All of a line, in characters.
pub fn whole(line: &str) -> Range<usize> {
    0..line.chars().count()
}

/// The part of a line that a corrected one hasn't, in characters.
pub fn difference(line: &str, corrected: &str) -> Range<usize> {
    let same = |a: &mut dyn Iterator<Item = char>, b: &mut dyn Iterator<Item = char>| {
        a.zip(b).take_while(|(a, b)| a == b).count()
    };
    let shorter = line.chars().count().min(corrected.chars().count());
    let start = same(&mut line.chars(), &mut corrected.chars());
    let end = same(&mut line.chars().rev(), &mut corrected.chars().rev()).min(shorter - start);
    start..line.chars().count() - end
}
