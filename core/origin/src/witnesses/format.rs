//! The first bytes: compiled code, archives, databases, pictures, and what each usually is.

use super::Subject;
use super::place::is_aside;
use crate::Surroundings;
use crate::evidence::{Detail, Evidence, Witness};
use redshank_rules::{PatternSet, RepoPath};
use redshank_tables::{Signature, TableError, packed, read, rows};
use serde::Deserialize;
use std::sync::LazyLock;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Row {
    name: String,
    title: String,
    #[serde(default)]
    at: usize,
    bytes: Signature,
    only: Option<PatternSet>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    signature: Vec<Row>,
}

static TABLE: LazyLock<Result<Table, TableError>> =
    LazyLock::new(|| read("formats", packed!("format")));

/// How many bytes are looked at for one that no text holds.
const BINARY: usize = 8_000;

pub(super) fn testify(_: &Surroundings, subject: &Subject, evidence: &mut Vec<Evidence>) {
    if let Some(row) = row_of(subject.path, subject.head) {
        let detail = Detail::Said(&row.title);
        // A database among assets and test data is one that somebody filled for them.
        let name = if row.name == "database" && is_aside(subject.path) {
            "database-aside"
        } else {
            &row.name
        };
        evidence.push(Evidence::new(Witness::Format, name, detail));
    } else if subject.is_binary {
        let detail = Detail::Said("binary data");
        evidence.push(Evidence::new(Witness::Format, "binary", detail));
    }
}

fn row_of(path: &RepoPath, head: &[u8]) -> Option<&'static Row> {
    let signatures = rows(&TABLE).map_or(&[][..], |table| &table.signature);
    signatures.iter().find(|row| {
        row.bytes.begins(head.get(row.at..).unwrap_or_default())
            && row.only.as_ref().is_none_or(|only| only.has(path))
    })
}

/// Pictures, sounds, films, fonts and models, which people make and tools as well.
static MEDIA: LazyLock<PatternSet> = LazyLock::new(|| {
    [
        "*.png", "*.jpg", "*.jpeg", "*.gif", "*.webp", "*.ico", "*.bmp", "*.tif", "*.tiff",
        "*.svg", "*.psd", "*.xcf", "*.wav", "*.mp3", "*.ogg", "*.flac", "*.mid", "*.midi", "*.mp4",
        "*.webm", "*.mov", "*.ttf", "*.otf", "*.woff", "*.woff2", "*.eot", "*.obj", "*.stl",
        "*.glb", "*.gltf", "*.blend", "*.pdf", "*.icns",
    ]
    .map(str::to_owned)
    .to_vec()
    .into()
});

/// Whether it is a picture, a sound, a film, a font or a model, by its name.
pub(crate) fn is_media(path: &RepoPath) -> bool {
    MEDIA.has(path)
}

/// Whether a file that starts so is a program or a library for a processor or a browser.
pub(crate) fn is_compiled_code(head: &[u8]) -> bool {
    let starts: [&[u8]; 5] = [
        b"\x7fELF",
        b"MZ",
        b"\xcf\xfa\xed\xfe",
        b"\xca\xfe\xba\xbe",
        b"\0asm",
    ];
    starts.iter().any(|start| head.starts_with(start))
}

/// Whether a file that starts so is no text: git looks for a NUL in the same many bytes. Text in
/// UTF-16 has NULs, and a mark at its start.
pub(crate) fn is_binary(head: &[u8]) -> bool {
    let is_utf_16 = head.starts_with(&[0xFF, 0xFE]) || head.starts_with(&[0xFE, 0xFF]);
    !is_utf_16 && memchr::memchr(0, &head[..head.len().min(BINARY)]).is_some()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_signature_can_be_met() {
        let signatures = &rows(&TABLE).unwrap().signature;
        assert!(signatures.len() >= 80);
        for row in signatures {
            assert!(row.bytes.digits() >= 4, "{}", row.name);
        }
    }
}
