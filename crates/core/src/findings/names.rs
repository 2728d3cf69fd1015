//! Names that not every system can hold: a clone there lacks the file, or git refuses to lay it
//! out.

use super::{Class, Finding, Found, Level, Look};
use bstr::{BStr, BString, ByteSlice};
use std::collections::HashMap;

/// Names that Windows keeps for devices, with any ending ("Naming Files, Paths, and Namespaces",
/// Microsoft).
const DEVICES: [&str; 22] = [
    "con", "prn", "aux", "nul", "com1", "com2", "com3", "com4", "com5", "com6", "com7", "com8",
    "com9", "lpt1", "lpt2", "lpt3", "lpt4", "lpt5", "lpt6", "lpt7", "lpt8", "lpt9",
];

/// Characters that no name on Windows holds (the same); the slash can't be in one, a back-slash
/// parts folders there.
const FORBIDDEN: &[u8] = b"<>:\"|?*\\";

pub(super) fn find(look: &Look, found: &mut Found) {
    clashes(look, found);
    for entry in look.tree.to_commit() {
        if let Some(because) = why_not_everywhere(entry.path.as_bstr()) {
            let message =
                format!("Windows can't hold this name: {because}; no clone there is whole");
            let made = Finding::on(
                entry,
                Class::Needed,
                "unportable-name",
                Level::Warning,
                message,
            );
            found
                .findings
                .push(made.by_hand("give it another name (`git mv`, if it is tracked)"));
        }
    }
}

fn why_not_everywhere(path: &BStr) -> Option<String> {
    path.split_str("/")
        .filter(|part| !part.is_empty())
        .find_map(|part| {
            let stem = part
                .split_str(".")
                .next()
                .unwrap_or_default()
                .trim_end()
                .to_ascii_lowercase();
            if DEVICES.iter().any(|device| device.as_bytes() == stem) {
                return Some(format!("`{}` is a device there", part.as_bstr()));
            }
            if let Some(byte) = part
                .iter()
                .find(|byte| FORBIDDEN.contains(byte) || **byte < 32)
            {
                return Some(format!("it holds `{}`", byte.escape_ascii()));
            }
            let last = part.last().filter(|byte| [b'.', b' '].contains(byte))?;
            Some(format!("a part of it ends in `{}`", char::from(*last)))
        })
}

/// Paths, or folders on their way, that are one where upper and lower case are the same.
fn clashes(look: &Look, found: &mut Found) {
    // For each folded name, the first spelling of it.
    let mut spellings: HashMap<Vec<u8>, &BStr> = HashMap::new();
    let mut before = b"".as_bstr();
    for entry in look.tree.to_commit() {
        let path = entry.path.as_bstr();
        // The folders that it shares with the path before were looked at then.
        let shared = path
            .iter()
            .zip(before.iter())
            .take_while(|(a, b)| a == b)
            .count();
        before = path;
        let ends = path
            .find_iter("/")
            .chain([path.len()])
            .filter(|end| *end >= shared && *end > 0);
        for part in ends.map(|end| path[..end].as_bstr()) {
            let first = *spellings.entry(part.to_lowercase()).or_insert(part);
            if first == part {
                continue;
            }
            // Below two folders that clash, only what has the same name there clashes, too; the
            // folder's finding says so.
            let folder = |path: &BStr| {
                path.rfind_byte(b'/')
                    .map_or(b"".to_vec(), |slash| path[..slash].to_vec())
            };
            if folder(first) != folder(part) {
                continue;
            }
            let message = format!(
                "the same name as {first} where upper and lower case are the same; one of them is lost there"
            );
            let slash: &[u8] = if part.len() < path.len() { b"/" } else { b"" };
            let clashing: BString = [part.as_bytes(), slash].concat().into();
            let made = Finding::new(
                Class::Needed,
                "case-clash",
                Level::Warning,
                clashing.as_bstr(),
                message,
            );
            found.findings.push(Finding {
                state: entry.state,
                ..made.by_hand("rename one of them")
            });
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_that_windows_cannot_hold_are_told_from_those_it_can() {
        for bad in [
            "data/aux.c",
            "NUL",
            "a/com1.txt",
            "tide:log",
            "what?.md",
            "a/trailing./b",
            "end ",
            "a\\b",
            "tab\there",
        ] {
            assert!(why_not_everywhere(bad.into()).is_some(), "{bad}");
        }
        for good in [
            "auxiliary.c",
            "data/console.rs",
            ".hidden",
            "a.b.c",
            "com10",
            "größe.txt",
            "a b",
        ] {
            assert!(why_not_everywhere(good.into()).is_none(), "{good}");
        }
    }
}
