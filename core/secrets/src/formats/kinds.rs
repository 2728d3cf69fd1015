//! Kinds of files, by their names, which formats may be limited to.

use super::Formats;
use crate::shape;
use redshank_rules::{RepoPath, RepoPathBuf};
use serde::Deserialize;
use std::cell::Cell;

/// A kind of file, by its name, that formats may be limited to.
#[derive(Deserialize, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
#[serde(rename_all = "lowercase")]
pub(crate) enum FileCategory {
    Environment,
    Settings,
    Markup,
    Code,
    Registry,
    /// Of which lines are commands.
    Shell,
    Prose,
    /// Of which most values are fillings-in.
    Sample,
    /// A list with a head.
    Table,
    /// Statements of a database.
    Statements,
    /// A login and its password a line.
    Logins,
    /// In a programming language: what stands bare in it is a name, not a value.
    Source,
}

impl FileCategory {
    /// All that are looked into closely.
    pub(crate) const ALL: [Self; 7] = [
        Self::Environment,
        Self::Settings,
        Self::Markup,
        Self::Code,
        Self::Registry,
        Self::Shell,
        Self::Prose,
    ];
}

/// The kinds of a file, each told when it is asked for: most files need few of them told.
pub(crate) struct Kinds<'a> {
    formats: &'a Formats,
    /// Without one, it is of any kind that is looked into closely.
    path: Option<&'a RepoPath>,
    /// As bits, by their places: which were asked for, and which it is of.
    asked: Cell<u32>,
    is_of: Cell<u32>,
    /// Whether its lines are settings, once that was asked.
    is_settings: Cell<Option<bool>>,
}

impl<'a> Kinds<'a> {
    /// Those of a file.
    pub(crate) fn at(formats: &'a Formats, path: &'a RepoPath) -> Self {
        Self {
            path: Some(path),
            ..Self::any(formats)
        }
    }

    /// All that are looked into closely.
    pub(crate) fn any(formats: &'a Formats) -> Self {
        let bits = FileCategory::ALL.iter().map(|kind| 1 << *kind as u32);
        Self {
            formats,
            path: None,
            asked: Cell::new(0),
            is_of: Cell::new(bits.sum()),
            is_settings: Cell::new(None),
        }
    }

    /// Whether values stand bare behind their names in it: by its name, or by its lines, where its
    /// name says nothing.
    pub(crate) fn is_settings(&self, text: &[u8]) -> bool {
        use FileCategory::{Markup, Prose, Settings, Shell, Source, Statements, Table};
        if self.has(Settings) {
            return true;
        }
        let is_known = [Markup, Prose, Shell, Source, Statements, Table];
        if let Some(known) = self.is_settings.get() {
            return known;
        }
        let is_settings = self.path.is_some()
            && !is_known.iter().any(|kind| self.has(*kind))
            && shape::is_settings(text);
        self.is_settings.set(Some(is_settings));
        is_settings
    }

    pub(crate) fn has(&self, kind: FileCategory) -> bool {
        let bit = 1 << kind as u32;
        if let (Some(path), 0) = (self.path, self.asked.get() & bit) {
            let names = self.formats.kinds.get(&kind);
            // A copy of an environment file is one for filling in, or has a name of its own.
            let inner = (kind != FileCategory::Environment)
                .then(|| inner_name(path))
                .flatten();
            let is_of = names.is_some_and(|names| {
                names.has(path) || inner.is_some_and(|inner| names.has(&inner))
            });
            let others = self.is_of.get() & !bit;
            self.is_of.set(others | if is_of { bit } else { 0 });
            self.asked.set(self.asked.get() | bit);
        }
        self.is_of.get() & bit != 0
    }
}

/// Endings behind a name that say which copy of a file it is, or that something is filled in; its
/// kind is that of the name without them.
const COPIES: &[&str] = &[
    ".j2",
    ".jinja",
    ".jinja2",
    ".tmpl",
    ".tpl",
    ".gotmpl",
    ".mustache",
    ".hbs",
    ".erb",
    ".ejs",
    ".in",
    ".old",
    ".bak",
    ".backup",
    ".orig",
    ".save",
    ".saved",
    ".swp",
    ".copy",
    ".dist",
    ".local",
    ".prod",
    ".production",
    ".dev",
    ".staging",
    ".disabled",
    ".off",
    "~",
];

/// The name of what a file is a copy or a template of.
fn inner_name(path: &RepoPath) -> Option<RepoPathBuf> {
    let bare = path.bare();
    let end = COPIES
        .iter()
        .find(|end| bare.ends_with(end.as_bytes()) && bare.len() > end.len())?;
    Some(RepoPath::new(&bare[..bare.len() - end.len()]).to_owned())
}
