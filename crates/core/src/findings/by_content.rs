//! Files that a tool makes, known by their first bytes, whatever their name.

use super::{Class, Exposure, Finding, Level, Remedy};
use crate::ignore_file::NewRule;
use crate::rules::{RuleList, Source};
use crate::templates::exactly;
use crate::tree::Entry;
use bstr::{BString, ByteSlice};
use redshank_pattern::Case;
use serde::Deserialize;
use std::sync::LazyLock;

/// How many bytes of a file's start are looked at.
pub(super) const HEAD: u64 = 64;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Row {
    name: String,
    title: String,
    #[serde(default)]
    at: usize,
    bytes: String,
    #[serde(default)]
    kept: Vec<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    signature: Vec<Row>,
}

struct Signature {
    row: Row,
    kept: RuleList,
}

/// The table that comes with the program; the tests see to it that it can be read.
static SIGNATURES: LazyLock<Vec<Signature>> = LazyLock::new(|| {
    let table = toml::from_str::<Table>(include_str!("by_content.toml")).map(|table| table.signature);
    let ready = |row: Row| {
        let source = Source::of_folder(BString::default());
        Signature { kept: RuleList::parse(source, row.kept.join("\n").as_bytes(), Case::Blind), row }
    };
    table.unwrap_or_default().into_iter().map(ready).collect()
});

impl Signature {
    fn fits(&self, entry: &Entry, head: &[u8]) -> bool {
        let digits = head.get(self.row.at..).unwrap_or_default().iter().flat_map(|byte| [byte >> 4, byte & 15]);
        let wanted = self.row.bytes.bytes().map(|digit| char::from(digit).to_digit(16));
        let length = self.row.bytes.len();
        let same = digits.take(length).map(|digit| Some(u32::from(digit))).eq(wanted);
        same && self.kept.all_matches(entry.path.as_bstr(), false).is_empty()
    }
}

/// The finding on a file that starts so, if a tool makes such files.
pub(super) fn finding(entry: &Entry, head: &[u8]) -> Option<Finding> {
    let row = &SIGNATURES.iter().find(|signature| signature.fits(entry, head))?.row;
    let rule = format!("generated/{}", row.name);
    Some(Finding {
        id: Finding::identity(&rule, entry.path.as_bstr(), b""),
        class: Class::Generated,
        rule,
        level: Level::Warning,
        path: entry.path.clone(),
        line: None,
        size: Some(entry.size),
        files: 1,
        state: entry.state,
        exposure: Exposure::Disk,
        message: row.title.clone(),
        evidence: Some("by its first bytes".to_owned()),
        remedy: Remedy::KeepOut(NewRule {
            pattern: exactly(entry.path.as_bstr()),
            reason: row.title.clone(),
            remake: None,
        }),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_signature_can_be_met() {
        assert!(SIGNATURES.len() >= 8);
        for signature in SIGNATURES.iter() {
            let row = &signature.row;
            assert!(row.at + row.bytes.len().div_ceil(2) <= HEAD as usize, "{}", row.name);
            assert!(row.bytes.len() >= 8 && row.bytes.bytes().all(|digit| digit.is_ascii_hexdigit()), "{}", row.name);
        }
    }
}
