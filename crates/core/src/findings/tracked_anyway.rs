//! Files that git tracks although a rule would keep them out.

use super::claimed::Claimed;
use super::{Class, Finding, Found, Level, Look};
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
        let by = format!("{}, line {}: `{}`", ruling.source().shown, ruling.rule().line, ruling.rule().text);
        let exception: BString = [b"!", exactly(entry.path.as_bstr()).as_slice()].concat().into();
        let message = "git tracks it although a rule would keep it out; rules do nothing for tracked files";
        let found_here = Finding::on(entry, Class::Rule, "tracked-anyway", Level::Note, message).with_evidence(by);
        found.findings.push(found_here.by_hand(format!(
            "if it belongs, say so with the rule `{exception}`; if not, `git rm --cached` stops tracking it"
        )));
    }
    Ok(())
}
