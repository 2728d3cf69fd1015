//! Changes of whole lines, as a text that can be tried and as what the editor is given to write.

use super::documents::{Columns, Document};
use bstr::BStr;
use lsp_types::{
    CreateFile, CreateFileOptions, DocumentChangeOperation, DocumentChanges, OneOf,
    OptionalVersionedTextDocumentIdentifier, Position, Range, ResourceOp, TextDocumentEdit,
    TextEdit, Uri, WorkspaceEdit,
};

/// A change of one line of a text, from 0.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum LineChange {
    /// One or several lines in its place.
    Replace(u32, String),
    Remove(u32),
}

impl LineChange {
    fn line(&self) -> u32 {
        match self {
            Self::Replace(line, _) | Self::Remove(line) => *line,
        }
    }
}

/// A change of lines that can be offered.
pub struct Fix {
    pub title: String,
    pub changes: Vec<LineChange>,
    /// It is what nearly everyone would do, and changes nothing else.
    pub is_preferred: bool,
}

/// The text with these changes.
pub fn changed_text(document: &Document, changes: &[LineChange]) -> String {
    let lines = document.text.split_inclusive('\n').zip(0_u32..);
    let lines = lines.map(|(line, number)| {
        let change = changes.iter().find(|change| change.line() == number);
        match change {
            None => line.to_owned(),
            Some(LineChange::Remove(_)) => String::new(),
            Some(LineChange::Replace(_, text)) => {
                let end = &line[document.line(number).len()..];
                format!("{text}{end}")
            }
        }
    });
    lines.collect()
}

/// The same changes for the editor; they hold for this state of the text only.
pub fn edit_of(document: &Document, changes: &[LineChange], columns: Columns) -> TextDocumentEdit {
    let edits = changes.iter().map(|change| match change {
        LineChange::Replace(line, text) => {
            TextEdit::new(columns.whole(*line, document.line(*line)), text.clone())
        }
        LineChange::Remove(line) => {
            TextEdit::new(document.whole_line(*line, columns), String::new())
        }
    });
    edit(&document.uri, Some(document.version), edits.collect())
}

/// A file as it is: what the editor shows of it, or what is on disk.
pub struct FileText<'t> {
    pub uri: Uri,
    /// The editor's number of its state, where it is open.
    pub version: Option<i32>,
    /// Nothing for a file that isn't there.
    pub text: Option<&'t str>,
}

impl FileText<'_> {
    /// The file with a text at its end, on lines of its own.
    pub fn appended(&self, text: &str) -> String {
        let held = self.text.unwrap_or_default();
        format!("{held}{}{text}", gap(held))
    }

    /// What the editor is given for that; the file is made if it isn't there.
    pub fn append(self, text: &str, columns: Columns) -> Vec<DocumentChangeOperation> {
        let held = self.text.unwrap_or_default();
        let end = place_at(held, held.len(), columns);
        let edit = TextEdit::new(Range::new(end, end), format!("{}{text}", gap(held)));
        self.changed(vec![edit])
    }

    /// What makes it hold another text: the lines between those that stay, at its start and at its
    /// end.
    pub fn replace(self, after: &str, columns: Columns) -> Vec<DocumentChangeOperation> {
        let held = self.text.unwrap_or_default();
        let lines = |text| str::split_inclusive(text, '\n').collect::<Vec<&str>>();
        let (old, new) = (lines(held), lines(after));
        let start = old.iter().zip(&new).take_while(|(old, new)| old == new);
        let start = start.count();
        let ends = old[start..].iter().rev().zip(new[start..].iter().rev());
        let end = ends.take_while(|(old, new)| old == new).count();
        let bytes = |lines: &[&str]| lines.iter().map(|line| line.len()).sum::<usize>();
        let from = place_at(held, bytes(&old[..start]), columns);
        let to = place_at(held, held.len() - bytes(&old[old.len() - end..]), columns);
        let between = new[start..new.len() - end].concat();
        self.changed(vec![TextEdit::new(Range::new(from, to), between)])
    }

    fn changed(self, edits: Vec<TextEdit>) -> Vec<DocumentChangeOperation> {
        let mut changes = Vec::new();
        if self.text.is_none() {
            changes.push(DocumentChangeOperation::Op(ResourceOp::Create(
                CreateFile {
                    uri: self.uri.clone(),
                    options: Some(CreateFileOptions {
                        overwrite: None,
                        ignore_if_exists: Some(true),
                    }),
                    annotation_id: None,
                },
            )));
        }
        let edit = edit(&self.uri, self.version, edits);
        changes.push(DocumentChangeOperation::Edit(edit));
        changes
    }
}

/// What is missing between a text and a line behind it.
fn gap(held: &str) -> &'static str {
    if held.is_empty() || held.ends_with('\n') {
        ""
    } else {
        "\n"
    }
}

/// The place of a byte.
fn place_at(text: &str, byte: usize, columns: Columns) -> Position {
    let before = &text[..byte];
    let start = before.rfind('\n').map_or(0, |at| at + 1);
    let line = before.matches('\n').count() as u32;
    Position::new(line, columns.column_at(&before[start..], byte - start))
}

fn edit(uri: &Uri, version: Option<i32>, edits: Vec<TextEdit>) -> TextDocumentEdit {
    TextDocumentEdit {
        text_document: OptionalVersionedTextDocumentIdentifier {
            uri: uri.clone(),
            version,
        },
        edits: edits.into_iter().map(OneOf::Left).collect(),
    }
}

/// Changes of several files, made together.
pub fn workspace_edit(changes: Vec<DocumentChangeOperation>) -> WorkspaceEdit {
    WorkspaceEdit {
        document_changes: Some(DocumentChanges::Operations(changes)),
        ..WorkspaceEdit::default()
    }
}

/// A pattern as an editor can have it in a line: bytes that no text holds, and line endings, become
/// `?`, which matches them.
pub fn written(pattern: &BStr) -> String {
    let chunks = pattern.utf8_chunks();
    let text = chunks.map(|chunk| chunk.valid().to_owned() + &"?".repeat(chunk.invalid().len()));
    text.collect::<String>().replace('\n', "?")
}
