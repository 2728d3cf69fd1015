//! What is in a file of rules at a glance: its blocks.

use super::Server;
use super::analysis::Kind;
use bstr::ByteSlice;
use lsp_types::{
    DocumentSymbol, DocumentSymbolParams, FoldingRange, FoldingRangeParams, Position, Range,
    SymbolKind, Uri,
};
use redshank_rules::ignore_file::blocks;
use serde_json::{Value, json};

impl Server<'_> {
    /// Each block folds to its first line.
    pub(super) fn folding(&self, params: FoldingRangeParams) -> Value {
        let blocks = self.blocks_of(&params.text_document.uri).into_iter();
        let ranges = blocks.map(|(_, start, end)| FoldingRange {
            start_line: start,
            end_line: end,
            ..FoldingRange::default()
        });
        json!(ranges.collect::<Vec<_>>())
    }

    /// Each block, by its label.
    pub(super) fn symbols(&self, params: DocumentSymbolParams) -> Value {
        let uri = &params.text_document.uri;
        let blocks = self.blocks_of(uri).into_iter();
        let symbols = blocks.map(|(label, start, end)| {
            let last = self.open.get(uri).map_or("", |document| document.line(end));
            let whole = self.view.columns.whole(end, last);
            #[allow(deprecated, reason = "the protocol's type has it")]
            DocumentSymbol {
                name: label,
                detail: None,
                kind: SymbolKind::NAMESPACE,
                tags: None,
                deprecated: None,
                range: Range::new(Position::new(start, 0), whole.end),
                selection_range: Range::new(Position::new(start, 0), Position::new(start, 0)),
                children: None,
            }
        });
        json!(symbols.collect::<Vec<_>>())
    }

    /// The blocks of a file of rules: label, first and last line.
    pub(super) fn blocks_of(&self, uri: &Uri) -> Vec<(String, u32, u32)> {
        let Some((document, analysis)) = self.known(uri) else {
            return Vec::new();
        };
        if !matches!(analysis.kind, Kind::Rules(_)) {
            return Vec::new();
        }
        let blocks = blocks(document.text.as_bytes()).into_iter();
        let blocks = blocks.map(|block| {
            let label = redshank_text::shown(block.label.as_bstr());
            let last = block.place.end.saturating_sub(1);
            (label, block.place.start as u32, last as u32)
        });
        blocks.collect()
    }
}
