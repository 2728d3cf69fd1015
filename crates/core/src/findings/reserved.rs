//! What the team says must not go out: bought, licensed or internal files, listed in
//! `redshank.toml`.

use super::{Class, Finding, Found, Level, Look};
use crate::effect::Amount;
use crate::rules::Names;
use crate::settings::Visibility;
use crate::tree::State;
use bstr::{BString, ByteSlice};
use std::collections::BTreeMap;

pub(super) fn find(look: &Look, found: &mut Found) {
    let public = look.settings.visibility == Visibility::Public;
    for row in &look.settings.reserved {
        let names: Names = vec![row.pattern.clone()].into();
        let mut groups: BTreeMap<(BString, State), Amount> = BTreeMap::new();
        for entry in look.tree.to_commit() {
            if let Some(part) = names.topmost(entry.path.as_bstr()) {
                *groups.entry((part.to_owned(), entry.state)).or_default() += Amount {
                    files: 1,
                    size: entry.size,
                };
            }
        }
        for ((path, state), amount) in groups {
            let level = if public { Level::Error } else { Level::Note };
            let goes = if public {
                "and the repository is public"
            } else {
                "keep the repository private"
            };
            let made = Finding::new(
                Class::Reserved,
                "listed",
                level,
                path.as_bstr(),
                format!("{}; {goes}", row.because),
            );
            let made = made.with_evidence(format!("[[reserved]] {}", row.pattern));
            let made = if public {
                made.kept_out_by(row.pattern.as_str().into(), &*row.because, None)
            } else {
                made.by_hand("nothing, as long as the repository is private")
            };
            found.findings.push(Finding {
                size: Some(amount.size),
                files: amount.files,
                state,
                ..made
            });
        }
    }
}
