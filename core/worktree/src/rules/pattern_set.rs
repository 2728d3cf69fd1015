use super::{RuleList, Source};
use bstr::{BStr, BString, ByteSlice};
use redshank_pattern::Case;
use serde::Deserialize;

/// Names that a table speaks of: patterns as in an ignore file at the top, of which the last one
/// that matches counts. Upper and lower case are the same.
#[derive(Deserialize)]
#[serde(from = "Vec<String>")]
pub struct PatternSet(RuleList);

impl PatternSet {
    /// Whether the path itself is one of them.
    pub fn has(&self, path: &BStr) -> bool {
        let is_folder = path.ends_with(b"/");
        let bare = path.strip_suffix(b"/").unwrap_or(path).as_bstr();
        let name_at = bare.rfind_byte(b'/').map_or(0, |slash| slash + 1);
        self.0
            .last_match(bare, name_at, &|| is_folder)
            .is_some_and(|at| !self.0.rules()[at as usize].negated)
    }

    /// The uppermost part of the path that is one of them: a folder on the way, with a slash at its
    /// end, or the path itself.
    pub fn topmost<'p>(&self, path: &'p BStr) -> Option<&'p BStr> {
        let ends = path
            .find_iter("/")
            .map(|slash| slash + 1)
            .chain([path.len()]);
        ends.map(|end| path[..end].as_bstr())
            .find(|part| self.has(part))
    }
}

impl From<Vec<String>> for PatternSet {
    fn from(patterns: Vec<String>) -> Self {
        let source = Source::of_folder(BString::default());
        Self(RuleList::parse(
            source,
            patterns.join("\n").as_bytes(),
            Case::Blind,
        ))
    }
}

impl Default for PatternSet {
    fn default() -> Self {
        Vec::new().into()
    }
}
