//! Files that the templates of the projects around them say don't belong: generated, personal,
//! environment files.

use super::{Class, Finding, Found, Level, Look};
use crate::Result;
use crate::effect::Amount;
use crate::templates::{Claim, exactly, fit};
use crate::tree::{Entry, Kind, State};
use bstr::{BStr, BString, ByteSlice};
use std::collections::{BTreeMap, HashMap};

/// The paths that a finding here stands for.
pub(super) struct Claimed<'a>(HashMap<&'a BStr, Class>);

impl Claimed<'_> {
    pub(super) fn has(&self, entry: &Entry) -> bool {
        self.class(entry).is_some()
    }

    /// As what a path is claimed.
    pub(super) fn class(&self, entry: &Entry) -> Option<Class> {
        self.0.get(entry.path.as_bstr()).copied()
    }
}

pub(super) fn find<'a>(look: &Look<'a>, found: &mut Found) -> Result<Claimed<'a>> {
    let mut known = HashMap::new();
    let mut groups: BTreeMap<(BString, State), Amount> = BTreeMap::new();
    let mut claimed = HashMap::new();
    let mut links = Vec::new();
    for entry in look.tree.to_commit() {
        let at = topmost(look, entry.path.as_bstr(), &mut known);
        if let (None, Kind::Link) = (&at, entry.kind) {
            links.push(entry);
        }
        if let Some(at) = at {
            if let Some(claim) = look.survey.claims.on(at.as_bstr()) {
                claimed.insert(entry.path.as_bstr(), claim.class());
            }
            *groups.entry((at, entry.state)).or_default() += Amount {
                files: 1,
                size: entry.size,
            };
        }
    }
    for ((path, state), amount) in groups {
        if let Some(claim) = look.survey.claims.on(path.as_bstr()) {
            found
                .findings
                .push(finding(look, path, state, amount, claim)?);
        }
    }
    for entry in links {
        // A rule for a folder misses a link to one in its place.
        let as_folder: BString = [entry.path.as_slice(), b"/"].concat().into();
        if let Some(claim) = look.survey.claims.on(as_folder.as_bstr()) {
            let amount = Amount {
                files: 1,
                size: entry.size,
            };
            let mut found_here = finding(look, entry.path.clone(), entry.state, amount, claim)?;
            found_here.message += "; it is a link, which a rule for folders misses";
            let remake = claim.remake().map(str::to_owned);
            found.findings.push(found_here.kept_out_by(
                exactly(entry.path.as_bstr()),
                claim.reason(),
                remake,
            ));
            claimed.insert(entry.path.as_bstr(), claim.class());
        }
    }
    Ok(Claimed(claimed))
}

/// The uppermost part of a path that is claimed: a folder on the way, or the path itself.
fn topmost(
    look: &Look,
    path: &BStr,
    known: &mut HashMap<BString, Option<BString>>,
) -> Option<BString> {
    if let Some(answer) = known.get(path) {
        return answer.clone();
    }
    let bare = path.strip_suffix(b"/").unwrap_or(path);
    let above = bare.rfind_byte(b'/').map(|slash| path[..=slash].as_bstr());
    let answer = above
        .and_then(|above| topmost(look, above, known))
        .or_else(|| look.survey.claims.on(path).map(|_| path.to_owned()));
    if path.ends_with(b"/") {
        known.insert(path.to_owned(), answer.clone());
    }
    answer
}

fn finding(
    look: &Look,
    path: BString,
    state: State,
    amount: Amount,
    claim: Claim,
) -> Result<Finding> {
    let class = claim.class();
    let pattern = match claim {
        Claim::Rule(project, rule) => fit(&rule.pattern, project.rules_folder().as_bstr()),
        Claim::Known(_) => exactly(path.as_bstr()),
    };
    // A rule that is there already needs no second one; the file is tracked in spite of it.
    let shut = look
        .oracle
        .ask(path.as_bstr())?
        .ruling
        .filter(|ruling| ruling.ignores());
    let level = if class == Class::Secret {
        Level::Error
    } else {
        Level::Warning
    };
    let mut found = Finding::new(
        class,
        claim.template(),
        level,
        path.as_bstr(),
        claim.reason(),
    );
    if let Claim::Known(known) = claim {
        found = found.with_evidence(format!("by {}", known.evidence));
    }
    let pattern = shut.map_or(pattern, |ruling| ruling.rule().text.clone());
    let found = found.kept_out_by(pattern, claim.reason(), claim.remake().map(str::to_owned));
    Ok(Finding {
        size: Some(amount.size),
        files: amount.files,
        state,
        ..found
    })
}
