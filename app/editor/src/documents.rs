//! What the editor has open: texts as they are on its screen, saved or not.

use lsp_types::{Position, PositionEncodingKind, Range, Uri};
use percent_encoding::percent_decode_str;
use redshank_output::links;
use std::collections::BTreeMap;
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};
use std::str::FromStr;
use std::sync::Arc;

#[derive(Debug, Clone)]
pub struct Document {
    /// As the editor calls it.
    pub uri: Uri,
    /// Where it is, or will be, on disk.
    pub path: PathBuf,
    /// The editor's own number of this state of it.
    pub version: i32,
    pub text: Arc<str>,
}

/// The open texts, by the names that the editor gives them.
#[derive(Debug, Clone, Default)]
pub struct Documents(BTreeMap<String, Document>);

impl Documents {
    /// Takes a text in, in place of an older state of it.
    pub fn put(&mut self, uri: Uri, version: i32, text: String) {
        let Some(path) = path_of(&uri) else {
            // Something that isn't a file.
            return;
        };
        let document = Document {
            path,
            version,
            text: text.into(),
            uri: uri.clone(),
        };
        self.0.insert(uri.to_string(), document);
    }

    /// Forgets a text that is closed.
    pub fn drop(&mut self, uri: &Uri) {
        self.0.remove(uri.as_str());
    }

    pub fn get(&self, uri: &Uri) -> Option<&Document> {
        self.0.get(uri.as_str())
    }

    pub fn iter(&self) -> impl Iterator<Item = &Document> {
        self.0.values()
    }
}

impl Document {
    /// A line, from 0; empty behind the last.
    pub fn line(&self, number: u32) -> &str {
        self.text.lines().nth(number as usize).unwrap_or_default()
    }
}

/// The path of a file that the editor names; nothing for what is not a file of this machine.
pub fn path_of(uri: &Uri) -> Option<PathBuf> {
    let rest = uri.as_str().strip_prefix("file://")?;
    let path = &rest[rest.find('/')?..];
    let bytes: Vec<u8> = percent_decode_str(path).collect();
    Some(PathBuf::from(OsStr::from_bytes(&bytes)))
}

/// The name that the editor knows a file by.
pub fn uri_of(path: &Path) -> Option<Uri> {
    Uri::from_str(&format!("file://{}", links::address(path))).ok()
}

/// In what the editor counts columns (LSP 3.17, position encodings).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Columns {
    Utf8,
    /// Units of UTF-16, if nothing else was agreed on.
    Utf16,
}

impl Columns {
    /// The best that the editor offers.
    pub fn offered(offered: Option<&[PositionEncodingKind]>) -> Self {
        match offered {
            Some(kinds) if kinds.contains(&PositionEncodingKind::UTF8) => Self::Utf8,
            _ => Self::Utf16,
        }
    }

    pub fn kind(self) -> PositionEncodingKind {
        match self {
            Self::Utf8 => PositionEncodingKind::UTF8,
            Self::Utf16 => PositionEncodingKind::UTF16,
        }
    }

    /// The column of a byte of a line.
    pub fn column_at(self, line: &str, byte: usize) -> u32 {
        let before = line.get(..byte).unwrap_or(line);
        let columns = match self {
            Self::Utf8 => before.len(),
            Self::Utf16 => before.encode_utf16().count(),
        };
        i32::try_from(columns).unwrap_or(i32::MAX).unsigned_abs()
    }

    /// The byte of a line at a column; the end for what is behind it.
    pub fn byte(self, line: &str, column: u32) -> usize {
        let ends = line.char_indices().map(|(at, _)| at).chain([line.len()]);
        let mut ends = ends.filter(|at| self.column_at(line, *at) >= column);
        ends.next().unwrap_or(line.len())
    }

    /// Some bytes of a line, as the editor calls them.
    pub fn range(self, number: u32, line: &str, bytes: std::ops::Range<usize>) -> Range {
        let at = |byte| Position::new(number, self.column_at(line, byte));
        Range::new(at(bytes.start), at(bytes.end))
    }

    pub fn whole(self, number: u32, line: &str) -> Range {
        self.range(number, line, 0..line.len())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_path_is_the_same_after_the_editor_had_it(name in proptest::collection::vec(1..=255_u8, 1..20)) {
            let path = Path::new("/").join(OsStr::from_bytes(&name).to_string_lossy().trim_start_matches('/'));
            prop_assert_eq!(path_of(&uri_of(&path).unwrap()).unwrap(), path);
        }

        #[test]
        fn a_column_is_that_of_its_byte(line in "[a-zäö€😀 ]{0,12}") {
            for columns in [Columns::Utf8, Columns::Utf16] {
                for (at, _) in line.char_indices() {
                    prop_assert_eq!(columns.byte(&line, columns.column_at(&line, at)), at);
                }
                // Whatever the editor says, it is a place in the line.
                prop_assert!(line.is_char_boundary(columns.byte(&line, 7)));
            }
        }
    }
}
