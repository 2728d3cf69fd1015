//! From a rule to what it catches.

use super::Server;
use super::documents::uri_of;
use lsp_types::{GotoDefinitionParams, Location, Range, ReferenceParams, Uri};
use serde_json::{Value, json};

impl Server<'_> {
    /// The first file that a rule decides about.
    pub(super) fn definition(&self, params: GotoDefinitionParams) -> Value {
        let at = params.text_document_position_params;
        let caught = self.caught(&at.text_document.uri, at.position.line);
        json!(caught.into_iter().take(1).collect::<Vec<_>>())
    }

    /// All of them, as far as a person would look at them.
    pub(super) fn references(&self, params: ReferenceParams) -> Value {
        let at = params.text_document_position;
        json!(self.caught(&at.text_document.uri, at.position.line))
    }

    fn caught(&self, uri: &Uri, line: u32) -> Vec<Location> {
        let Some((.., rule)) = self.rule_at(uri, line) else {
            return Vec::new();
        };
        let files = rule.first.iter().filter(|path| !path.is_folder());
        let files = files.filter_map(|path| {
            let file = self.picture.top.join(path.to_string());
            Some(Location::new(uri_of(&file)?, Range::default()))
        });
        files.collect()
    }
}
