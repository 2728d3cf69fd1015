//! Files that git tracks although a rule would keep them out.

use super::claimed::Claimed;
use super::{Class, Exposure, Finding, Found, Level, Look, Remedy};
use crate::Result;
use crate::templates::exactly;
use crate::tree::State;
use bstr::{BString, ByteSlice};

pub(super) fn find(look: &Look, claimed: &Claimed, found: &mut Found) -> Result<()> {
    for entry in look.tree.in_state(State::Tracked).filter(|entry| !claimed.has(entry)) {
        let answer = look.oracle.ask(entry.path.as_bstr())?;
        let Some(ruling) = answer.ruling.filter(|ruling| ruling.ignores()) else {
            continue;
        };
        let rule = "rule/tracked-anyway".to_owned();
        let by = format!("{}, line {}: `{}`", ruling.source().shown, ruling.rule().line, ruling.rule().text);
        let exception: BString = [b"!", exactly(entry.path.as_bstr()).as_slice()].concat().into();
        found.findings.push(Finding {
            id: Finding::identity(&rule, entry.path.as_bstr(), b""),
            class: Class::Rule,
            rule,
            level: Level::Note,
            path: entry.path.clone(),
            line: None,
            size: Some(entry.size),
            files: 1,
            state: State::Tracked,
            exposure: Exposure::Staged,
            message: "git tracks it although a rule would keep it out; rules do nothing for tracked files".to_owned(),
            evidence: Some(by),
            remedy: Remedy::ByHand(format!(
                "if it belongs, say so with the rule `{exception}`; if not, `git rm --cached` stops tracking it"
            )),
        });
    }
    Ok(())
}
