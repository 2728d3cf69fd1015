//! Files that git tracks although a rule would keep them out.

use super::claimed::Claimed;
use super::{Class, Finding, Found, Level, Look};
use crate::Result;
use crate::ignore_file::NewRule;
use crate::rules::{Reach, Ruling};
use crate::templates::exactly;
use crate::tree::{Entry, State};
use bstr::{BString, ByteSlice};

pub(super) fn find(look: &Look, claimed: &Claimed, found: &mut Found) -> Result<()> {
    for entry in look
        .tree
        .in_state(State::Tracked)
        .filter(|entry| !claimed.has(entry))
    {
        let answer = look.oracle.ask(entry.path.as_bstr())?;
        let Some(ruling) = answer.ruling.filter(|ruling| ruling.ignores()) else {
            continue;
        };
        let by = format!(
            "{}, line {}: `{}`",
            ruling.source().shown,
            ruling.rule().line,
            ruling.excerpt()
        );
        let (folder, exception) = exception(entry, &ruling);
        let message =
            "git tracks it although a rule would keep it out; rules do nothing for tracked files";
        let found_here = Finding::on(entry, Class::Rule, "tracked-anyway", Level::Note, message)
            .with_evidence(by);
        found.findings.push(match answer.shut {
            None => found_here.let_in_by(folder, exception),
            Some(_) => found_here.by_hand(
                "the folder is shut, so no exception can say that it belongs; narrow the rule, or stop tracking it with \
                 `git rm --cached`",
            ),
        });
    }
    Ok(())
}

/// The rule that says that it is there on purpose, and the folder whose ignore file takes it:
/// behind the rule that would keep it out, for a deeper file is stronger.
fn exception(entry: &Entry, ruling: &Ruling) -> (BString, NewRule) {
    let folder = match ruling.source().reach {
        Reach::Folder => ruling.source().base.clone(),
        Reach::Team | Reach::Clone | Reach::Personal => BString::default(),
    };
    let pattern = [
        b"!",
        exactly(entry.path[folder.len()..].as_bstr()).as_slice(),
    ]
    .concat()
    .into();
    let reason = "tracked on purpose, though a rule here would keep it out".to_owned();
    (
        folder,
        NewRule {
            pattern,
            reason,
            remake: None,
        },
    )
}
