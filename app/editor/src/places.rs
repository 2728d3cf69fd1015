//! From a rule to what it catches, and back.

use super::Server;
use super::documents::{path_of, resolved};
use bstr::ByteSlice;
use lsp_types::{
    ExecuteCommandParams, GotoDefinitionParams, Location, Position, Range, ReferenceParams, Uri,
};
use redshank_rules::RepoPath;
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
        let Some(path) = path.map(|path| resolved(&path)) else {
            return Value::Null;
        };
        let rulings = self.workspaces.pictures().filter_map(|picture| {
            let below = redshank_files::path_bytes(path.strip_prefix(&picture.top).ok()?);
            picture.rulings.get(RepoPath::new(&*below))
        });
        // Of a repository in another, the inner one decides.
        let Some((file, line)) = rulings.last() else {
            return Value::Null;
        };
        let place = Position::new(*line, 0);
        let uri = self.view.uri_of(file, &self.open);
        json!(uri.map(|uri| Location::new(uri, Range::new(place, place))))
    }

    fn caught(&self, uri: &Uri, line: u32) -> Vec<Location> {
        let Some((document, _, rule)) = self.rule_at(uri, line) else {
            return Vec::new();
        };
        let picture = self.picture_of(document);
        let files = rule.first.iter().filter(|path| !path.is_folder());
        let files = files.filter_map(|path| {
            let file = picture.top.join(path.to_path_lossy());
            let uri = self.view.uri_of(&file, &self.open)?;
            Some(Location::new(uri, Range::default()))
        });
        files.collect()
    }
}
