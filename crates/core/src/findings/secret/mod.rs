//! Credentials: by the form of their value, and files that are secret by nature.

mod formats;
mod proof;
mod scan;

use super::claimed::Claimed;
use super::{Class, Contents, Exposure, Finding, Found, Level, Look, Remedy};
use crate::Result;
use crate::ignore_file::NewRule;
use crate::size::Bytes;
use crate::templates::exactly;
use crate::tree::{Entry, Kind, State, Unread};
use bstr::{BString, ByteSlice};
use formats::Formats;
use rayon::prelude::*;
use std::fmt;

/// A secret value. However it is printed, only its start and its length show.
#[derive(Clone)]
pub struct Secret(BString);

impl Secret {
    /// Keeps a value from being shown.
    pub fn new(value: &[u8]) -> Self {
        Self(value.into())
    }

    /// Sixteen bits of a hash: enough to tell that a value was replaced, too little to try guesses on.
    fn trace(&self) -> [u8; 2] {
        let hash = blake3::hash(&self.0);
        [hash.as_bytes()[0], hash.as_bytes()[1]]
    }
}

impl fmt::Display for Secret {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let length = self.0.chars().count();
        let shown = if length >= 20 { 4 } else { 0 };
        let start: String = self.0.chars().take(shown).filter(|c| c.is_ascii_graphic()).collect();
        write!(f, "{start}… ({length} characters)")
    }
}

impl fmt::Debug for Secret {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(self, f)
    }
}

pub(super) fn find(look: &Look, claimed: &Claimed, found: &mut Found) -> Result<()> {
    let formats = Formats::get()?;
    let kept_out_anyway = |entry: &Entry| {
        let generated = claimed.class(entry).is_some_and(|class| class != Class::Secret);
        generated && entry.state == State::Candidate
    };
    let files: Vec<&Entry> = look.files().filter(|entry| entry.kind == Kind::File && !kept_out_anyway(entry)).collect();
    let looked: Vec<_> = files.into_par_iter().map(|entry| look_into(&look.contents, formats, entry)).collect();
    for result in looked {
        match result {
            Ok(findings) => found.findings.extend(findings),
            Err(unread) => found.unread.push(unread),
        }
    }
    Ok(())
}

fn look_into(contents: &Contents, formats: &Formats, entry: &Entry) -> Result<Vec<Finding>, Unread> {
    let path = entry.path.as_bstr();
    let environment = formats.is_environment(path);
    let nature = formats.by_nature(path);
    let hits = match contents.read(path, |file| scan::contents(file, formats, environment)) {
        Ok(hits) => hits,
        // Tracked and gone from the disk: there is nothing to read.
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => Vec::new(),
        Err(error) => {
            return Err(Unread { path: path.to_owned(), reason: error.to_string() });
        }
    };
    let whole_file = environment || nature.is_some() || hits.iter().any(|hit| hit.is_the_file);
    let remedy = || {
        if entry.state == State::Ignored {
            Remedy::ByHand("a rule keeps it out; nothing to do".to_owned())
        } else if whole_file {
            Remedy::KeepOut(NewRule {
                pattern: exactly(path),
                reason: "holds secrets of one installation".to_owned(),
                remake: None,
            })
        } else {
            Remedy::ByHand("take the value out of the file and read it from the environment instead".to_owned())
        }
    };
    let make = |name: &str, title: &str, line, evidence: Option<String>, cause: &[u8]| {
        let rule = format!("secret/{name}");
        Finding {
            id: Finding::identity(&rule, path, cause),
            class: Class::Secret,
            rule,
            // What a rule keeps out, harms nobody.
            level: if entry.state == State::Ignored { Level::Note } else { Level::Error },
            path: path.to_owned(),
            line,
            size: Some(Bytes(entry.size.0)),
            files: 1,
            state: entry.state,
            exposure: Exposure::Disk,
            message: title.to_owned(),
            evidence,
            remedy: remedy(),
        }
    };
    if let (Some(row), true) = (nature, hits.is_empty()) {
        return Ok(vec![make(&row.name, &row.title, None, None, b"")]);
    }
    let mut findings: Vec<Finding> = Vec::new();
    for hit in hits {
        // Equal values in one file are told apart by their order.
        let same = findings.iter().filter(|other| other.rule.ends_with(&hit.format.name)).count() as u8;
        let cause = [&hit.secret.trace()[..], &[same]].concat();
        let evidence = Some(hit.secret.to_string());
        findings.push(make(&hit.format.name, &hit.format.title, Some(hit.line), evidence, &cause));
    }
    Ok(findings)
}
