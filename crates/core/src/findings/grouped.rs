//! Many files of one kind in one folder are one finding.

use super::claimed::Claimed;
use super::{Class, Finding, Found, Look, Remedy};
use crate::ignore_file::NewRule;
use crate::templates::exactly;
use crate::tree::State;
use bstr::{BStr, BString, ByteSlice};
use std::collections::{BTreeMap, HashSet};

/// So many of one kind are told as one.
const MANY: usize = 5;

/// What makes findings one: their rule, git's verdict, the uppermost folder and how the names end.
type Kind = (String, State, BString, BString);

pub(super) fn group(look: &Look, claimed: &Claimed, found: &mut Found) {
    let mut groups: BTreeMap<Kind, Vec<Finding>> = BTreeMap::new();
    let mut others = Vec::new();
    for finding in std::mem::take(&mut found.findings) {
        match kind(&finding) {
            Some(kind) => groups.entry(kind).or_default().push(finding),
            None => others.push(finding),
        }
    }
    for ((_, _, _, ending), group) in groups {
        match one(look, claimed, ending.as_bstr(), &group) {
            Some(one) => others.push(one),
            None => others.extend(group),
        }
    }
    found.findings = others;
}

/// The kind of a finding on a single file that a tool made; nothing if it must stand alone.
fn kind(finding: &Finding) -> Option<Kind> {
    let path = finding.path.as_bstr();
    let name_at = path.rfind_byte(b'/')? + 1;
    let first = path.find_byte(b'/')?;
    // Endings of two parts, such as `.js.map`, count as one; a name without an ending has none to
    // tell others by.
    let ending = path[name_at..].rfind_byte(b'.').filter(|dot| *dot > 0)?;
    let ending = match path[name_at + ending..].as_bytes() {
        b".map" => path[name_at..name_at + ending]
            .rfind_byte(b'.')
            .unwrap_or(ending),
        _ => ending,
    };
    let single =
        finding.class == Class::Generated && finding.line.is_none() && !path.ends_with(b"/");
    let ours = match &finding.remedy {
        Remedy::KeepOut(rule) => rule.pattern == exactly(path),
        Remedy::ByHand(_) => true,
        _ => false,
    };
    let kind = (
        finding.rule.clone(),
        finding.state,
        path[..first].into(),
        path[name_at + ending..].into(),
    );
    (single && ours).then_some(kind)
}

/// One finding for many, on the deepest folder that holds them all.
fn one(look: &Look, claimed: &Claimed, ending: &BStr, group: &[Finding]) -> Option<Finding> {
    let first = group.first().filter(|_| group.len() >= MANY)?;
    let folder = group.iter().fold(first.path.as_bstr(), |folder, finding| {
        let shared = folder
            .iter()
            .zip(finding.path.iter())
            .take_while(|(a, b)| a == b)
            .count();
        folder[..shared]
            .rfind_byte(b'/')
            .map_or(b"".as_bstr(), |slash| folder[..=slash].as_bstr())
    });
    let remedy = match &first.remedy {
        Remedy::KeepOut(rule) => {
            // A rule for the ending may catch nothing else.
            let caught = look
                .tree
                .below(folder)
                .filter(|entry| entry.state != State::Ignored && !claimed.has(entry));
            let grouped: HashSet<&BStr> =
                group.iter().map(|finding| finding.path.as_bstr()).collect();
            let mut others = caught.filter(|entry| {
                entry.path.ends_with(ending) && !grouped.contains(entry.path.as_bstr())
            });
            if others.next().is_some() {
                return None;
            }
            let pattern = [exactly(folder).as_slice(), b"**/*", ending]
                .concat()
                .into();
            Remedy::KeepOut(NewRule {
                pattern,
                ..rule.clone()
            })
        }
        by_hand => by_hand.clone(),
    };
    let name = first.rule.split_once('/').map_or("", |(_, name)| name);
    let made =
        Finding::new(first.class, name, first.level, folder, &*first.message).with_cause(ending);
    let by = first.evidence.as_deref().unwrap_or_default();
    Some(Finding {
        size: Some(group.iter().filter_map(|finding| finding.size).sum()),
        files: group.len() as u64,
        state: first.state,
        remedy,
        ..made.with_evidence(format!("`*{ending}`, {by}"))
    })
}
