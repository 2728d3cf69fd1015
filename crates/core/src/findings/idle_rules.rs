//! Rules that don't do what they seem to, and files that only look like ignore files.

use super::{Class, Finding, Found, Level, Look};
use crate::Result;
use crate::audit::{Audited, Standing, audit, audit_of};
use crate::rules::{Reach, Ruling};
use crate::tree::State;
use bstr::ByteSlice;

pub(super) fn find(look: &Look, found: &mut Found) -> Result<()> {
    // Whether an exception can work shows in the folders that are shut; without exceptions they need not be walked.
    let lists = || look.tree.entries.iter().filter_map(|entry| entry.ruling.as_ref()).map(Ruling::list);
    let excepts = lists().any(|list| list.rules().iter().any(|rule| rule.negated));
    let audit = if excepts { audit(look.place)? } else { audit_of(look.place, look.tree)? };
    // A person's own file is for all repositories; that a rule of it does nothing here means nothing.
    let shared = audit.rules.iter().filter(|rule| matches!(rule.list.source.reach, Reach::Team | Reach::Folder));
    found.findings.extend(shared.filter_map(finding));
    for stray in audit.strays {
        let message = format!("looks like an ignore file, but git doesn't read it: {}", stray.because);
        let made = Finding::new(Class::Rule, "stray-file", Level::Warning, stray.path.as_bstr(), message);
        let state = look.tree.get(stray.path.as_bstr()).map_or(State::Candidate, |entry| entry.state);
        found
            .findings
            .push(Finding { state, ..made.by_hand("give it the name and the place of the file that was meant") });
    }
    Ok(())
}

/// What is wrong with a rule; that it has nothing to catch yet is fine.
fn finding(rule: &Audited) -> Option<Finding> {
    let (name, level, words) = match &rule.standing {
        Standing::Works | Standing::CatchesNothing | Standing::Overridden { .. } | Standing::Duplicate { .. } => {
            return None;
        }
        // Each of those files has its own finding.
        Standing::OnlyTracked { .. } => return None,
        Standing::CannotWork { .. } => {
            ("cannot-work", Level::Warning, "narrow the rule that shuts the folder: redshank why".to_owned())
        }
        Standing::SwallowsItsFile => {
            return Some(
                of(rule, Class::Needed, "ignore-file", Level::Warning)
                    .by_hand("narrow the rule, so that others get the file"),
            );
        }
        Standing::Misread { mended, .. } => {
            ("misread", Level::Warning, format!("perhaps `{mended}` was meant: redshank rules"))
        }
        Standing::Impossible => ("impossible", Level::Warning, "mend the pattern, or take it out".to_owned()),
    };
    Some(of(rule, Class::Rule, name, level).by_hand(words))
}

fn of(rule: &Audited, class: Class, name: &str, level: Level) -> Finding {
    let text = &rule.rule().text;
    Finding::new(class, name, level, rule.list.source.shown.as_bstr(), rule.message())
        .with_cause(text)
        .at_line(u64::from(rule.rule().line))
        .with_evidence(format!("`{text}`"))
}
