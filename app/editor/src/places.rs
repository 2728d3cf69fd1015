//! From a rule to what it catches, and back.

use super::Server;
use super::documents::{path_of, uri_of};
use bstr::ByteSlice;
use lsp_types::{
    ExecuteCommandParams, GotoDefinitionParams, Location, Position, Range, ReferenceParams, Uri,
};
use redshank_rules::RepoPathBuf;
use serde_json::{Value, json};
use std::str::FromStr;

/// The command that gives the place of the rule that decides about a file, named by its address.
pub(super) const WHY: &str = "redshank.why";

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

    /// The other way round, for [`WHY`]: from a file to the rule that decides about it.
    pub(super) fn why(&self, params: ExecuteCommandParams) -> Value {
        let uri = params.arguments.first().and_then(Value::as_str);
        let uri = uri.and_then(|uri| Uri::from_str(uri).ok());
        let path = uri.as_ref().and_then(path_of);
        let below = path.as_deref();
        let below = below.and_then(|path| path.strip_prefix(&self.picture.top).ok());
        let Some(below) = below else {
            return Value::Null;
        };
        let path = RepoPathBuf::from(below.to_string_lossy().as_bytes().as_bstr());
        let Some((file, line)) = self.picture.rulings.get(&path) else {
            return Value::Null;
        };
        let place = Position::new(*line, 0);
        let uri = uri_of(file);
        json!(uri.map(|uri| Location::new(uri, Range::new(place, place))))
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
