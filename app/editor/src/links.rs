//! From a block of rules to its template: to the file of one that the repository has, else to the
//! file by which the project was recognised.

use super::Server;
use lsp_types::{DocumentLink, DocumentLinkParams};
use serde_json::{Value, json};

impl Server<'_> {
    /// A link on the label of each block.
    pub(super) fn links(&self, params: DocumentLinkParams) -> Value {
        let uri = &params.text_document.uri;
        let Some(document) = self.open.get(uri) else {
            return json!([]);
        };
        let picture = self.picture_of(document);
        let blocks = self.blocks_of(uri).into_iter();
        let links = blocks.filter_map(|(label, start, _)| {
            let name = label.split(' ').next()?;
            let origin = picture.templates.get(name)?;
            let line = document.line(start);
            let at = line.find(&*label)?;
            Some(DocumentLink {
                range: self.view.columns.range(start, line, at..at + name.len()),
                target: Some(self.view.uri_of(&origin.file, &self.open)?),
                tooltip: Some(origin.about.clone()),
                data: None,
            })
        });
        json!(links.collect::<Vec<_>>())
    }
}
