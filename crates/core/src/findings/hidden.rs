//! Tracked files whose changes git is told not to see.

use super::{Class, Finding, Found, Level, Look};
use crate::Result;
use crate::shell::quoted;

pub(super) fn find(look: &Look, found: &mut Found) -> Result<()> {
    let Some(repository) = &look.place.repository else {
        return Ok(());
    };
    let index = repository.index()?;
    for tracked in index.iter().filter(|tracked| tracked.is_muted(repository)) {
        let Some(entry) = look.tree.get(tracked.path) else {
            continue;
        };
        let message = "git doesn't see changes to it here; others do not get them, and theirs can collide with them";
        let made = Finding::on(
            entry,
            Class::Personal,
            "hidden-changes",
            Level::Note,
            message,
        );
        found.findings.push(made.by_hand(format!(
            "`redshank unmute {}` brings them back",
            quoted(tracked.path)
        )));
    }
    Ok(())
}
