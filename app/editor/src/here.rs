//! What every question is answered from: the working tree with what is recognised in it, and how
//! the editor calls things.

use super::documents::{Columns, Documents, uri_of};
use bstr::BString;
use lsp_types::Uri;
use redshank_rules::RepoPathBuf;
use redshank_templates::{Collection, Survey};
use redshank_worktree::Snapshot;
use std::cell::RefCell;
use std::collections::HashMap;
use std::path::{Path, PathBuf};

/// How the editor calls things, and what it can show.
#[derive(Debug, Clone)]
pub struct EditorView {
    pub columns: Columns,
    /// The editor's folders, each as it calls it and with its symbolic links resolved.
    pub folders: Vec<(PathBuf, PathBuf)>,
    /// Actions that can't be done now may be shown with the reason.
    pub shows_disabled: bool,
}

impl EditorView {
    /// The name that the editor knows a file by.
    pub fn uri_of(&self, file: &Path, open: &Documents) -> Option<Uri> {
        if let Some(document) = open.of_file(file) {
            return Some(document.uri.clone());
        }
        let named = self.folders.iter().find_map(|(named, resolved)| {
            let below = file.strip_prefix(resolved).ok()?;
            Some(named.join(below))
        });
        uri_of(named.as_deref().unwrap_or(file))
    }
}

type FolderAndPattern = (RepoPathBuf, BString);

/// A picture of the working tree with what is recognised in it.
pub struct Here<'a> {
    pub snapshot: &'a Snapshot,
    pub survey: Option<&'a Survey<'a>>,
    pub collection: Option<&'a Collection>,
    /// What was found out of folders that a pattern ignores: the work in them, if they hold any. It
    /// reads files.
    pub work: RefCell<HashMap<FolderAndPattern, Option<Vec<RepoPathBuf>>>>,
}
