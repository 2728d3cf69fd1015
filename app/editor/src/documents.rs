//! What the editor has open: texts as they are on its screen, saved or not.

use bstr::ByteSlice;
use line_index::LineIndex;
use lsp_types::{
    DidChangeTextDocumentParams, DidOpenTextDocumentParams, Position, PositionEncodingKind, Range,
    TextDocumentContentChangeEvent, Uri,
};
use percent_encoding::percent_decode_str;
use redshank_output::links;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::str::FromStr;
use std::sync::Arc;

#[derive(Debug, Clone)]
pub struct Document {
    /// As the editor calls it.
    pub uri: Uri,
    /// Where it is, or will be, on disk, symbolic links resolved; of a text that has no place yet,
    /// only a name.
    pub path: PathBuf,
    /// The top of the working tree that it is looked at in.
    pub home: Option<PathBuf>,
    /// The editor's own number of this state of it.
    pub version: i32,
    pub text: Arc<str>,
    index: Arc<LineIndex>,
}

/// The open texts, by the names that the editor gives them.
#[derive(Debug, Clone, Default)]
pub struct Documents(BTreeMap<String, Document>);

impl Documents {
    /// Takes in a text that was opened; `home` finds the working tree for its path.
    pub fn open(
        &mut self,
        opened: DidOpenTextDocumentParams,
        home: impl FnOnce(&Path) -> Option<PathBuf>,
    ) {
        let document = opened.text_document;
        let path = match path_of(&document.uri) {
            Some(path) => resolved(&path),
            None => PathBuf::from(name_of(&document.uri)),
        };
        let opened = Document {
            home: home(&path),
            path,
            version: document.version,
            index: Arc::new(LineIndex::new(&document.text)),
            text: document.text.into(),
            uri: document.uri.clone(),
        };
        self.0.insert(document.uri.to_string(), opened);
    }

    /// Takes in changes of an open text, one after the other.
    pub fn change(&mut self, changed: DidChangeTextDocumentParams, columns: Columns) {
        let uri = changed.text_document.uri.as_str();
        let Some(document) = self.0.get_mut(uri) else {
            return;
        };
        document.version = changed.text_document.version;
        for change in changed.content_changes {
            document.apply(change, columns);
        }
    }

    /// Forgets a text that is closed.
    pub fn close(&mut self, uri: &Uri) -> Option<Document> {
        self.0.remove(uri.as_str())
    }

    pub fn get(&self, uri: &Uri) -> Option<&Document> {
        self.0.get(uri.as_str())
    }

    /// The open text of a file.
    pub fn of_file(&self, file: &Path) -> Option<&Document> {
        self.iter().find(|document| document.path == file)
    }

    /// Those that are looked at in a working tree; for nothing, those that are in none.
    pub fn in_tree(&self, home: Option<&Path>) -> Self {
        let here = self.0.iter();
        let here = here.filter(|(_, document)| document.home.as_deref() == home);
        Self(here.map(|(uri, one)| (uri.clone(), one.clone())).collect())
    }

    pub fn iter(&self) -> impl Iterator<Item = &Document> {
        self.0.values()
    }

    pub fn iter_mut(&mut self) -> impl Iterator<Item = &mut Document> {
        self.0.values_mut()
    }
}

impl Document {
    fn apply(&mut self, change: TextDocumentContentChangeEvent, columns: Columns) {
        let text = match change.range {
            None => change.text,
            Some(range) => {
                let (start, end) = (
                    self.offset(range.start, columns),
                    self.offset(range.end, columns),
                );
                let mut text = self.text.to_string();
                text.replace_range(start..end.max(start), &change.text);
                text
            }
        };
        self.index = Arc::new(LineIndex::new(&text));
        self.text = text.into();
    }

    /// The byte at a place; the end of its line, or of the text, for one behind it.
    fn offset(&self, place: Position, columns: Columns) -> usize {
        match self.index.line(place.line) {
            Some(range) => {
                let line = self.line(place.line);
                usize::from(range.start()) + columns.byte(line, place.character)
            }
            None => self.text.len(),
        }
    }

    /// A line, from 0; empty behind the last.
    pub fn line(&self, number: u32) -> &str {
        let range = self.index.line(number);
        let line = range.map_or("", |range| &self.text[range]);
        let line = line.strip_suffix('\n').unwrap_or(line);
        line.strip_suffix('\r').unwrap_or(line)
    }

    /// Whether it has a line of that number.
    pub fn has_line(&self, number: u32) -> bool {
        self.index.line(number).is_some()
    }

    /// The range of a whole line with its end, so that nothing of it is left. The last line goes
    /// with the end of the line before it.
    pub fn whole_line(&self, number: u32, columns: Columns) -> Range {
        if self.has_line(number + 1) {
            return Range::new(Position::new(number, 0), Position::new(number + 1, 0));
        }
        let mut range = columns.whole(number, self.line(number));
        if let Some(before) = number.checked_sub(1) {
            range.start = columns.whole(before, self.line(before)).end;
        }
        range
    }
}

/// The path of a file that the editor names; nothing for what is not a file of this machine.
pub fn path_of(uri: &Uri) -> Option<PathBuf> {
    let rest = uri.as_str().strip_prefix("file://")?;
    let path = &rest[rest.find('/')?..];
    let bytes: Vec<u8> = percent_decode_str(path).collect();
    // A drive stands where the first folder does (RFC 8089, appendix E.2).
    let bytes = match bytes.as_slice() {
        [b'/', drive, b':', ..] if cfg!(windows) && drive.is_ascii_alphabetic() => &bytes[1..],
        whole => whole,
    };
    Some(bytes.to_path_lossy().into_owned())
}

/// The name of a text that isn't a file: what is behind the last slash or colon.
fn name_of(uri: &Uri) -> String {
    let uri = uri.as_str();
    let name = uri.rsplit(['/', ':']).next().unwrap_or(uri);
    percent_decode_str(name).decode_utf8_lossy().into_owned()
}

/// A path with the symbolic links in it resolved, but for the file's own name.
pub fn resolved(path: &Path) -> PathBuf {
    let (Some(folder), Some(name)) = (path.parent(), path.file_name()) else {
        return path.to_owned();
    };
    match redshank_files::canonical(folder) {
        Ok(folder) => folder.join(name),
        // Nothing is there yet.
        Err(_) => path.to_owned(),
    }
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
        let mut columns = 0;
        for (at, letter) in line.char_indices() {
            if columns >= column {
                return at;
            }
            columns += match self {
                Self::Utf8 => letter.len_utf8() as u32,
                Self::Utf16 => letter.len_utf16() as u32,
            };
        }
        line.len()
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
    use serde_json::json;

    fn opened(uri: &Uri, text: &str) -> DidOpenTextDocumentParams {
        let document = json!({"uri": uri, "languageId": "", "version": 1, "text": text});
        serde_json::from_value(json!({"textDocument": document})).unwrap()
    }

    proptest! {
        #[test]
        fn a_path_is_the_same_after_the_editor_had_it(name in proptest::collection::vec(1..=255_u8, 1..20)) {
            let path = Path::new("/").join(String::from_utf8_lossy(&name).trim_start_matches('/'));
            prop_assert_eq!(path_of(&uri_of(&path).unwrap()).unwrap(), path);
        }

        /// Changes one after the other end where the whole text does.
        #[test]
        fn parts_that_change_make_the_whole_text(
            lines in proptest::collection::vec("[aä😀 ]{0,4}", 0..5),
            places in proptest::collection::vec((0..6_u32, 0..6_u32, 0..3_u32, 0..6_u32), 1..4),
        ) {
            let mut documents = Documents::default();
            let uri = Uri::from_str("file:///gauge").unwrap();
            let mut text = lines.join("\n");
            documents.open(opened(&uri, &text), |_| None);
            for (line, column, more, end) in places {
                let columns = Columns::Utf16;
                let start = Position::new(line, column);
                let range = Range::new(start, Position::new(line + more, end));
                let whole = |place: Position| {
                    let mut at = 0;
                    for (nth, line) in text.split('\n').enumerate() {
                        if nth as u32 == place.line {
                            let utf16: Vec<u16> = line.encode_utf16().collect();
                            let mut end = (place.character as usize).min(utf16.len());
                            // In the middle of a letter is behind it.
                            while String::from_utf16(&utf16[..end]).is_err() { end += 1; }
                            return at + String::from_utf16(&utf16[..end]).unwrap().len();
                        }
                        at += line.len() + 1;
                    }
                    text.len()
                };
                let (start, end) = (whole(range.start), whole(range.end));
                let mut expected = text.clone();
                expected.replace_range(start..end.max(start), "x\n");
                let change = json!({
                    "textDocument": {"uri": "file:///gauge", "version": 2},
                    "contentChanges": [{"range": range, "text": "x\n"}],
                });
                documents.change(serde_json::from_value(change).unwrap(), columns);
                prop_assert_eq!(&*documents.get(&uri).unwrap().text, &*expected);
                text = expected;
            }
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
