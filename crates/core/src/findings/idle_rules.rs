//! Rules that don't do what they seem to, and files that only look like ignore files.

use super::{Class, Finding, Found, Level, Look, Remedy};
use crate::Result;
use crate::audit::{Audited, MISSPELT, Standing, audit, audit_of};
use crate::rules::{IGNORE_FILE, Reach, Ruling, excerpt};
use crate::tree::{Kind, State};
use bstr::{BString, ByteSlice};
use std::collections::HashSet;

pub(super) fn find(look: &Look, found: &mut Found) -> Result<()> {
    // Whether an exception can work shows in the folders that are shut; without exceptions they
    // need not be walked.
    let lists = || {
        look.tree
            .entries
            .iter()
            .filter_map(|entry| entry.ruling.as_ref())
            .map(Ruling::list)
    };
    let excepts = lists().any(|list| list.rules().iter().any(|rule| rule.negated));
    let audit = if excepts {
        audit(look.place)?
    } else {
        audit_of(look.place, look.tree)?
    };
    // A person's own file is for all repositories; that a rule of it does nothing here means
    // nothing.
    let shared = audit
        .rules
        .iter()
        .filter(|rule| matches!(rule.list.source.reach, Reach::Team | Reach::Folder));
    found.findings.extend(shared.filter_map(finding));
    let mut renamed = HashSet::new();
    for stray in audit.strays {
        let message = format!(
            "looks like an ignore file, but git doesn't read it: {}",
            stray.because
        );
        let made = Finding::new(
            Class::Rule,
            "stray-file",
            Level::Warning,
            stray.path.as_bstr(),
            message,
        );
        let entry = look.tree.get(stray.path.as_bstr());
        let state = entry.map_or(State::Candidate, |entry| entry.state);
        let name_at = stray.path.rfind_byte(b'/').map_or(0, |slash| slash + 1);
        let meant: BString = [&stray.path[..name_at], IGNORE_FILE.as_bytes()]
            .concat()
            .into();
        let is_taken = look.place.root.is_there(meant.as_bstr());
        let is_file = entry.is_some_and(|entry| entry.kind == Kind::File);
        let is_sure =
            stray.because == MISSPELT && !is_taken && is_file && renamed.insert(meant.clone());
        let remedy = match is_sure {
            true => Remedy::Rename(meant),
            false => Remedy::ByHand(
                "give it the name and the place of the file that was meant".to_owned(),
            ),
        };
        found.findings.push(Finding {
            state,
            remedy,
            ..made
        });
    }
    Ok(())
}

/// What is wrong with a rule; that it has nothing to catch yet is fine.
fn finding(rule: &Audited) -> Option<Finding> {
    let (name, level, words) = match &rule.standing {
        Standing::Works
        | Standing::CatchesNothing
        | Standing::Overridden { .. }
        | Standing::Duplicate { .. } => {
            return None;
        }
        // Each of those files has its own finding.
        Standing::OnlyTracked { .. } => return None,
        Standing::CannotWork { .. } => (
            "cannot-work",
            Level::Warning,
            "narrow the rule that shuts the folder: redshank why".to_owned(),
        ),
        Standing::SwallowsItsFile => {
            return Some(
                of(rule, Class::Needed, "ignore-file", Level::Warning)
                    .by_hand("narrow the rule, so that others get the file"),
            );
        }
        Standing::Misread {
            mended, sure: true, ..
        } => {
            let with = mended_lines(&rule.rule().text, mended);
            let (file, from) = (rule.list.source.shown.clone(), rule.rule().text.clone());
            let remedy = Remedy::Mend {
                file,
                line: rule.rule().line,
                from,
                with,
            };
            return Some(Finding {
                remedy,
                ..of(rule, Class::Rule, "misread", Level::Warning)
            });
        }
        Standing::Misread { mended, .. } => (
            "misread",
            Level::Warning,
            format!(
                "perhaps `{}` was meant: redshank rules",
                excerpt(mended.as_bstr())
            ),
        ),
        Standing::Impossible => (
            "impossible",
            Level::Warning,
            "mend the pattern, or take it out".to_owned(),
        ),
    };
    Some(of(rule, Class::Rule, name, level).by_hand(words))
}

/// The rule that was meant, below the comment that stood behind it.
fn mended_lines(text: &BString, mended: &BString) -> BString {
    match text.find(" #") {
        Some(at) if text.starts_with(mended.as_slice()) => {
            [&text[at + 1..], b"\n", mended.as_slice()].concat().into()
        }
        _ => mended.clone(),
    }
}

fn of(rule: &Audited, class: Class, name: &str, level: Level) -> Finding {
    let text = &rule.rule().text;
    Finding::new(
        class,
        name,
        level,
        rule.list.source.shown.as_bstr(),
        rule.message(),
    )
    .with_cause(text)
    .at_line(u64::from(rule.rule().line))
    .with_evidence(format!("`{}`", rule.excerpt()))
}
