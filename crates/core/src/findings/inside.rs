//! What files hold: each is read once, and every finder that looks inside sees it then.

use super::claimed::Claimed;
use super::oversized::POINTER;
use super::script_ends::{self, Script};
use super::secret::Secret;
use super::{Class, Finding, Found, Look, by_content, by_text, secret};
use crate::Result;
use crate::tree::{self, Kind, State, Unread};
use bstr::{BString, ByteSlice};
use rayon::prelude::*;
use std::cmp::Reverse;
use std::collections::hash_map::Entry;
use std::collections::{HashMap, HashSet};
use std::io::{ErrorKind, Read};

/// What one file gave.
#[derive(Default)]
struct Seen {
    made: Option<Finding>,
    secrets: Vec<secret::Hit>,
    accepted: usize,
    unread: Option<Unread>,
    pointer: Option<BString>,
    /// It is a script, and how its lines end.
    script: Option<Script>,
}

/// What else was seen inside files.
pub(super) struct Inside {
    /// Files that are pointers into large-file storage.
    pub(super) pointers: HashSet<BString>,
    /// Scripts whose lines end as their interpreter can't read them.
    pub(super) scripts: Vec<Script>,
}

/// How many bytes of a file's start are looked at for what made it.
const HEAD: u64 = 16 << 10;

pub(super) fn find(look: &Look, claimed: &Claimed) -> Result<(Found, Inside)> {
    let mut found = Found::default();
    let kept_out_anyway = |entry: &tree::Entry| {
        let generated = claimed
            .class(entry)
            .is_some_and(|class| class != Class::Secret);
        generated && entry.state == State::Candidate
    };
    let files: Vec<&tree::Entry> = look
        .files()
        .filter(|entry| entry.kind == Kind::File && !kept_out_anyway(entry))
        .collect();
    let is_claimed = |entry: &tree::Entry| claimed.has(entry) || entry.state == State::Ignored;
    let (mut pointers, mut scripts, mut known) = (HashSet::new(), Vec::new(), HashMap::new());
    let seen = files
        .into_par_iter()
        .map(|entry| look_into(look, entry, is_claimed(entry)));
    for seen in seen.collect::<Result<Vec<Seen>>>()? {
        found.findings.extend(seen.made);
        seen.secrets
            .into_iter()
            .for_each(|hit| add(hit, &mut known, &mut found));
        found.accepted += seen.accepted;
        found.unread.extend(seen.unread);
        pointers.extend(seen.pointer);
        scripts.extend(seen.script);
    }
    found
        .findings
        .iter_mut()
        .filter(|finding| !finding.also.is_empty())
        .for_each(name_the_others);
    Ok((found, Inside { pointers, scripts }))
}

/// Adds a credential; one of a value that is found elsewhere is another place of that finding.
fn add(hit: secret::Hit, known: &mut HashMap<(String, Secret), usize>, found: &mut Found) {
    let secret::Hit { mut finding, value } = hit;
    let Some(value) = value else {
        return found.findings.push(finding);
    };
    match known.entry((finding.rule.clone(), value)) {
        Entry::Vacant(free) => {
            free.insert(found.findings.len());
            found.findings.push(finding);
        }
        Entry::Occupied(taken) => {
            let first = &mut found.findings[*taken.get()];
            // The worst place comes first: one that git tracks, and not one that a rule keeps out.
            if (finding.level, Reverse(finding.state)) < (first.level, Reverse(first.state)) {
                std::mem::swap(first, &mut finding);
                first.also = std::mem::take(&mut finding.also);
            }
            first.also.push(finding);
        }
    }
}

/// How many other places a message names.
const NAMED: usize = 3;

fn name_the_others(finding: &mut Finding) {
    let place = |other: &Finding| {
        other.line.map_or(other.path.to_string(), |line| {
            format!("{}:{line}", other.path)
        })
    };
    let named: Vec<String> = finding.also.iter().take(NAMED).map(place).collect();
    let more = finding.also.len() - named.len();
    let more = if more > 0 {
        format!(" and {more} more")
    } else {
        String::new()
    };
    finding.message += &format!("; also in {}{more}", named.join(", "));
}

fn look_into(look: &Look, entry: &tree::Entry, claimed: bool) -> Result<Seen> {
    let path = entry.path.as_bstr();
    let read = look.contents.read(path, |file| {
        let mut head = Vec::with_capacity(HEAD as usize);
        Read::take(&mut *file, HEAD).read_to_end(&mut head)?;
        let made = if claimed {
            None
        } else {
            by_content::finding(entry, &head).or_else(|| by_text::finding(entry, &head))
        };
        let pointer = head.starts_with(POINTER).then(|| entry.path.clone());
        let script = script_ends::of(entry, &head);
        Ok((
            secret::look_into(entry, &mut head.chain(file)),
            made,
            pointer,
            script,
        ))
    });
    let nothing: &mut dyn Read = &mut std::io::empty();
    let (secrets, made, pointer, script) = match read {
        Ok((secrets, made, pointer, script)) => (secrets?, made, pointer, script),
        // Tracked and gone from the disk: there is nothing to read, but its name may tell.
        Err(error) if error.kind() == ErrorKind::NotFound => {
            (secret::look_into(entry, nothing)?, None, None, None)
        }
        Err(error) => (Err(error), None, None, None),
    };
    Ok(match secrets {
        Ok((secrets, accepted)) => Seen {
            made,
            secrets,
            accepted,
            unread: None,
            pointer,
            script,
        },
        Err(error) => Seen {
            unread: Some(Unread {
                path: path.to_owned(),
                reason: error.to_string(),
            }),
            ..Seen::default()
        },
    })
}
