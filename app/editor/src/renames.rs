//! What rules to change when a file or a folder gets another name: those that name it by its path,
//! and those by its name alone where nothing else here is called so.

use super::actions::Actions;
use super::documents::{path_of, resolved};
use super::text_edits::{workspace_edit, written};
use bstr::{BString, ByteSlice};
use lsp_types::{RenameFilesParams, Uri, WorkspaceEdit};
use redshank_files::FileKind;
use redshank_rules::{IGNORE_FILE, RepoPath, RepoPathBuf, RuleScope, Source, exactly};
use redshank_worktree::tree::Tree;
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::str::FromStr;

/// A file or folder with the name that it is going to get.
#[derive(Debug, Clone)]
pub struct Renamed {
    from: PathBuf,
    to: PathBuf,
}

impl Renamed {
    /// What the editor is going to do.
    pub fn read(params: &RenameFilesParams) -> Vec<Self> {
        let path = |uri: &str| Some(resolved(&path_of(&Uri::from_str(uri).ok()?)?));
        let files = params.files.iter().filter_map(|file| {
            Some(Self {
                from: path(&file.old_uri)?,
                to: path(&file.new_uri)?,
            })
        });
        files.collect()
    }

    /// Where it is now.
    pub fn from(&self) -> &Path {
        &self.from
    }
}

/// One of them, from the top of the working tree.
struct Move {
    /// A folder ends in a slash.
    from: RepoPathBuf,
    to: RepoPathBuf,
    /// Nothing else is called so.
    is_only: bool,
}

impl Actions<'_> {
    /// The changes of all files of rules that name what gets another name; none if none does.
    pub fn renamed(&self, files: &[Renamed]) -> Option<WorkspaceEdit> {
        let tree = self.here.snapshot.whole_tree().ok()?;
        let moves: Vec<Move> = files
            .iter()
            .filter_map(|file| self.move_of(file, tree))
            .collect();
        let elsewhere = self.picture.elsewhere.iter();
        // A person's own rules hold in other repositories, too.
        let elsewhere = elsewhere.filter(|(scope, _)| *scope == RuleScope::Clone);
        let elsewhere = elsewhere.map(|(_, path)| (RepoPathBuf::default(), path.clone()));
        let files = tree.entries.iter().map(|entry| &*entry.path);
        let files = files.filter(|path| path.name() == IGNORE_FILE);
        let folders = files.map(|path| (path.folder().to_owned(), self.file_in(path.folder())));
        // One that isn't saved yet is in no tree.
        let open = self.open.iter().filter_map(|document| {
            let source = self.here.snapshot.source_of(&document.path)?;
            let is_of_folder = matches!(source.scope, RuleScope::Team | RuleScope::Folder);
            is_of_folder.then(|| (source.base, document.path.clone()))
        });
        let mut changes = Vec::new();
        let all: BTreeSet<(RepoPathBuf, PathBuf)> = folders.chain(elsewhere).chain(open).collect();
        for (base, path) in all {
            let edits = self.with_text(&path, |file| {
                let text = file.text?;
                let after = renamed(text, &base, &moves)?;
                Some(file.replace(&after, self.view.columns))
            });
            changes.extend(edits.into_iter().flatten());
        }
        (!changes.is_empty()).then(|| workspace_edit(changes))
    }

    fn file_in(&self, folder: &RepoPath) -> PathBuf {
        let source = Source::of_folder(folder.to_owned());
        self.here.snapshot.file_of(&source)
    }

    fn move_of(&self, file: &Renamed, tree: &Tree) -> Option<Move> {
        let top = &self.here.snapshot.top;
        let path = |path: &Path| {
            let below = redshank_files::path_bytes(path.strip_prefix(top).ok()?).into_owned();
            Some(RepoPathBuf::from(BString::from(below)))
        };
        let (mut from, mut to) = (path(&file.from)?, path(&file.to)?);
        if self.here.snapshot.root.kind(&from) == Some(FileKind::Folder) {
            (from, to) = (from.as_folder(), to.as_folder());
        }
        let mut named = tree.entries.iter().flat_map(|entry| entry.path.parts());
        let is_only = named.all(|other| other.name() != from.name() || *other == *from);
        Some(Move { from, to, is_only })
    }
}

/// A file of rules with the new names; nothing if it stays as it is. Headings of our blocks that say
/// a folder change along, so that a refresh knows them.
fn renamed(text: &str, base: &RepoPath, moves: &[Move]) -> Option<String> {
    let lines = text.split_inclusive('\n').map(|line| {
        let bare = line.trim_end();
        let new = moves
            .iter()
            .find_map(|one| one.heading(bare).or_else(|| one.rule(bare, base)));
        new.map_or(line.to_owned(), |new| new + &line[bare.len()..])
    });
    let after: String = lines.collect();
    (after != text).then_some(after)
}

impl Move {
    /// The heading or the end of a block of the folder.
    fn heading(&self, line: &str) -> Option<String> {
        let (before, folder) = line.rsplit_once(" in /")?;
        let is_of_block =
            before.starts_with("# redshank: begin ") || before.starts_with("# redshank: end ");
        let folder = RepoPathBuf::from(BString::from(folder));
        let below = folder.below(&self.from).filter(|_| is_of_block)?;
        Some(format!("{before} in /{}", self.to.join(below)))
    }

    /// The rule with the new name; nothing for one that doesn't name it.
    fn rule(&self, line: &str, base: &RepoPath) -> Option<String> {
        if line.starts_with('#') {
            return None;
        }
        let (bang, body) = match line.strip_prefix('!') {
            Some(body) => ("!", body),
            None => ("", line),
        };
        let (from, to) = (self.from.below(base)?, self.to.below(base)?);
        let (bare, slash) = match body.strip_suffix('/') {
            Some(bare) => (bare, "/"),
            None => (body, ""),
        };
        let parts: Vec<&str> = bare.trim_start_matches('/').split('/').collect();
        let names: Vec<&[u8]> = from.bare().split_str("/").collect();
        if bare.contains('/') {
            let is_named = parts.len() >= names.len()
                && parts
                    .iter()
                    .zip(&names)
                    .all(|(part, name)| says(part, name));
            if !is_named {
                return None;
            }
            let new = written(exactly(to.bare()).as_bstr());
            let rest = parts[names.len()..].iter().map(|part| format!("/{part}"));
            let new = new + &rest.collect::<String>();
            // As it was written, where that means the same.
            let is_bare = !bare.starts_with('/') && new[1..].contains('/');
            let new = if is_bare { &new[1..] } else { &new };
            return Some(format!("{bang}{new}{slash}"));
        }
        let is_named = self.is_only && says(parts[0], names.last()?);
        let name = written(exactly(to.name()).as_bstr());
        is_named.then(|| format!("{bang}{}{slash}", &name[1..]))
    }
}

/// Whether a part of a pattern stands for just this name.
fn says(part: &str, name: &[u8]) -> bool {
    let quoted = exactly(name.as_bstr());
    part.as_bytes() == &quoted[1..]
        || part.as_bytes() == name && !part.contains(['*', '?', '[', '\\'])
}
