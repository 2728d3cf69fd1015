//! What files hold: each is read once, and every finder that looks inside sees it then.

use super::claimed::Claimed;
use super::{Class, Found, Look, by_content, secret};
use crate::Result;
use crate::tree::{Entry, Kind, State, Unread};
use bstr::ByteSlice;
use rayon::prelude::*;
use std::io::{ErrorKind, Read};

/// What one file gave.
#[derive(Default)]
struct Seen {
    findings: Vec<super::Finding>,
    accepted: usize,
    unread: Option<Unread>,
}

pub(super) fn find(look: &Look, claimed: &Claimed, found: &mut Found) -> Result<()> {
    let kept_out_anyway = |entry: &Entry| {
        let generated = claimed.class(entry).is_some_and(|class| class != Class::Secret);
        generated && entry.state == State::Candidate
    };
    let files: Vec<&Entry> = look.files().filter(|entry| entry.kind == Kind::File && !kept_out_anyway(entry)).collect();
    let is_claimed = |entry: &Entry| claimed.has(entry) || entry.state == State::Ignored;
    let seen = files.into_par_iter().map(|entry| look_into(look, entry, is_claimed(entry)));
    for seen in seen.collect::<Result<Vec<Seen>>>()? {
        found.findings.extend(seen.findings);
        found.accepted += seen.accepted;
        found.unread.extend(seen.unread);
    }
    Ok(())
}

fn look_into(look: &Look, entry: &Entry, claimed: bool) -> Result<Seen> {
    let path = entry.path.as_bstr();
    let read = look.contents.read(path, |file| {
        let mut head = Vec::new();
        Read::take(&mut *file, by_content::HEAD).read_to_end(&mut head)?;
        let made = if claimed { None } else { by_content::finding(entry, &head) };
        Ok((secret::look_into(entry, &mut head.chain(file)), made))
    });
    let nothing: &mut dyn Read = &mut std::io::empty();
    let (secrets, made) = match read {
        Ok((secrets, made)) => (secrets?, made),
        // Tracked and gone from the disk: there is nothing to read, but its name may tell.
        Err(error) if error.kind() == ErrorKind::NotFound => (secret::look_into(entry, nothing)?, None),
        Err(error) => (Err(error), None),
    };
    Ok(match secrets {
        Ok((mut findings, accepted)) => {
            findings.extend(made);
            Seen { findings, accepted, unread: None }
        }
        Err(error) => {
            Seen { unread: Some(Unread { path: path.to_owned(), reason: error.to_string() }), ..Seen::default() }
        }
    })
}
