//! Repositories inside this one, of which git would record a commit and nothing else.

use super::{Class, Finding, Found, Level, Look};
use crate::Result;
use crate::tree::{Kind, State};

pub(super) fn find(look: &Look, found: &mut Found) -> Result<()> {
    let Some(repository) = &look.place.repository else {
        return Ok(());
    };
    let nested = || {
        look.tree
            .to_commit()
            .filter(|entry| entry.kind == Kind::Repository)
    };
    if nested().next().is_none() {
        return Ok(());
    }
    let known = repository.submodules()?;
    for entry in nested() {
        let bare = entry.path.strip_suffix(b"/").unwrap_or(&entry.path);
        if known.iter().any(|path| path == bare) {
            continue;
        }
        let message = "a repository of its own; git would record the name of its commit and none of its files";
        let words = match entry.state {
            State::Tracked => {
                "say where it comes from (`git submodule add`), or stop tracking it and add its files"
            }
            _ => {
                "add it with `git submodule add`, delete its .git folder to take in its files, or ignore it"
            }
        };
        found.findings.push(
            Finding::on(
                entry,
                Class::Needed,
                "nested-repository",
                Level::Warning,
                message,
            )
            .by_hand(words),
        );
    }
    Ok(())
}
