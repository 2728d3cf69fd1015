//! The project's own words: what its settings call output, what its scripts remove and write, what
//! its build files make, and what its sources save.

mod commands;
mod makefile;
mod settings;
mod sources;
mod variables;

use super::format::{is_binary, is_media};
use super::language::{Group, language};
use super::place::{is_aside, is_only_tools, output_folder};
use super::{Subject, says_so};
use crate::evidence::{Detail, Evidence, Witness};
use crate::{Surroundings, weights};
use bstr::{BStr, ByteSlice};
use foldhash::fast::FixedState;
use rayon::prelude::*;
use redshank_rules::{Case, RepoPath, RepoPathBuf, Rule};
use redshank_worktree::tree::{Entry, EntryKind, State, Tree};
use std::collections::{HashMap, HashSet};

/// What one text says that the project makes.
pub(super) struct Said {
    /// A path relative to the text's folder or to one above it, perhaps with wildcards; or the name
    /// of a program.
    pub(super) what: Vec<u8>,
    /// Where in the text, in bytes.
    pub(super) at: usize,
    /// The kind of evidence.
    pub(super) row: &'static str,
}

/// A place where something is named.
#[derive(Clone, Copy)]
pub(super) struct Named {
    /// The text that names it, by its place in the tree.
    file: u32,
    /// Line number, from 1.
    line: u32,
    row: &'static str,
}

/// All that the texts of a project name.
#[derive(Default)]
pub(crate) struct Declared {
    /// Files and folders that are there, and what says that they are made.
    outputs: HashMap<RepoPathBuf, Named, FixedState>,
    /// Patterns, each with the folder that it holds in.
    patterns: Vec<(RepoPathBuf, Rule, Named)>,
    /// Names of programs that are built.
    programs: HashMap<Vec<u8>, Named, FixedState>,
    /// For each name of a file, the texts that have it.
    mentions: HashMap<Vec<u8>, Vec<u32>, FixedState>,
}

/// Names of files.
type Names<'n> = HashSet<&'n [u8], FixedState>;

/// The names of all files that a text may mention.
fn names_of(tree: &Tree) -> Names<'_> {
    let names = tree.entries.iter().map(|entry| entry.path.name());
    let names = names.filter(|name| name.contains(&b'.'));
    names.map(|name| name.as_bytes()).collect()
}

/// No larger text is read, in bytes.
const LARGEST: u64 = 256 << 10;
/// So many texts are read at most, those nearest to the top first.
const MOST: usize = 3_000;
/// So many texts are remembered for one name.
const MENTIONS: usize = 8;

impl Declared {
    /// Reads the texts of a tree that may name what the project makes.
    pub(crate) fn read(around: &Surroundings) -> Self {
        let tree = around.tree();
        let files = tree.entries.iter().enumerate();
        let mut texts: Vec<(usize, &Entry)> =
            files.filter(|(_, entry)| may_declare(entry)).collect();
        if texts.len() > MOST {
            texts.sort_by_key(|(at, entry)| (depth(&entry.path), *at));
            texts.truncate(MOST);
        }
        let here = names_of(tree);
        let read = texts.into_par_iter().map(|(at, entry)| {
            let text = around.text(&entry.path, LARGEST, entry.size.0 as usize);
            let mut said = Vec::new();
            let mut names = Names::default();
            // What a tool wrote names what it made, and much else.
            let is_authored = !is_binary(&text) && !says_so::is_marked(&entry.path, &text);
            if is_authored {
                read_text(&entry.path, &text, &mut said);
                names = mentioned(&text, &here);
            }
            let said = said.into_iter().map(|said| {
                let line = text[..said.at].find_iter("\n").count() as u32 + 1;
                (line, said)
            });
            (at as u32, said.collect::<Vec<_>>(), names)
        });
        let mut declared = Self::default();
        for (file, said, names) in read.collect::<Vec<_>>() {
            for name in names {
                let known = declared.mentions.entry(name.to_vec()).or_default();
                if known.len() < MENTIONS {
                    known.push(file);
                }
            }
            let folder = tree.entries[file as usize].path.folder();
            for (line, said) in said {
                let named = Named {
                    file,
                    line,
                    row: said.row,
                };
                declared.take(tree, folder, &said.what, named);
            }
        }
        declared
    }

    fn take(&mut self, tree: &Tree, folder: &RepoPath, what: &[u8], named: Named) {
        let what = what.trim_with(|sign| matches!(sign, '"' | '\'' | '`' | ',' | ';' | ')' | '('));
        let what = what.strip_prefix(b"./").unwrap_or(what);
        if named.row == "program" {
            self.programs.entry(what.to_vec()).or_insert(named);
            return;
        }
        let what = &with_wildcards(what);
        if what.is_empty()
            || what.starts_with(b"/")
            || what
                .iter()
                .any(|sign| b"$%{}<>|~:\\@#!= \t\n".contains(sign))
        {
            return;
        }
        if what.contains(&b'*') || what.contains(&b'?') || what.contains(&b'[') {
            // `*` alone, or in a folder that isn't named, says nothing of its own.
            let name = what.rsplit_str("/").next().unwrap_or_default();
            if name
                .iter()
                .filter(|byte| byte.is_ascii_alphanumeric())
                .count()
                == 0
            {
                return;
            }
            let pattern = [b"/", what.as_slice()].concat();
            let rule = Rule::parse(&pattern, 1, Case::Sensitive);
            let row = match named.row {
                "removed" | "target" => named.row,
                _ => "pattern",
            };
            self.patterns
                .push((folder.to_owned(), rule, Named { row, ..named }));
            return;
        }
        let own = [folder].into_iter();
        let above = folder.folders_above().rev();
        let mut found: Option<RepoPathBuf> = None;
        for base in own.chain(above).chain([RepoPath::top()]) {
            let Some(path) = base.resolve(what.as_bstr()) else {
                continue;
            };
            if path.is_top() || folder.is_within(&path.as_folder()) {
                continue;
            }
            let as_folder = path.as_folder();
            let is_file = tree
                .get(&path)
                .is_some_and(|entry| entry.kind == EntryKind::File);
            let place = match is_file {
                true => path,
                // Copies into a folder say nothing of what else is there.
                false if named.row == "copied" => continue,
                false if tree.below(&as_folder).next().is_some() => as_folder,
                false => continue,
            };
            match &found {
                // What a setting's path is relative to, isn't known: of two, it is neither surely.
                Some(first) if *first != place => {
                    let known = self.outputs.get_mut(first);
                    if let Some(known) = known.filter(|known| known.row == "setting-output") {
                        known.row = "setting";
                    }
                    return;
                }
                Some(_) => {}
                None => {
                    let known = self.outputs.entry(place.clone()).or_insert(named);
                    let weight = |row| weights::of(Witness::Declared, row, "");
                    if weight(known.row) < weight(named.row) {
                        *known = named;
                    }
                    if named.row != "setting-output" {
                        return;
                    }
                    found = Some(place);
                }
            }
        }
    }

    /// What names a path, or a folder above it.
    fn named(&self, path: &RepoPath) -> Option<Named> {
        let exact = path.parts().find_map(|part| self.outputs.get(part));
        exact.copied().or_else(|| {
            let mut patterns = self.patterns.iter();
            let found = patterns.find(|(folder, rule, _)| {
                path.below(folder).is_some_and(|below| {
                    below
                        .parts()
                        .any(|part| rule.matches(part.bare(), part.is_folder()))
                })
            });
            found.map(|(.., named)| *named)
        })
    }

    /// The folder above a path that is named, where the path itself isn't.
    fn folder_of<'p>(&self, path: &'p RepoPath) -> Option<&'p RepoPath> {
        path.folders_above()
            .find(|folder| self.outputs.contains_key(*folder))
    }

    /// Whether that is said of the file itself, not of a folder that it is in.
    fn is_of_file(&self, path: &RepoPath, named: &Named) -> bool {
        self.outputs
            .get(path)
            .is_some_and(|own| own.file == named.file && own.line == named.line)
    }

    /// Whether a command or a program says that it writes exactly this file.
    pub(super) fn writes(&self, path: &RepoPath) -> bool {
        let rows = ["option", "redirected", "target", "written"];
        self.outputs
            .get(path)
            .is_some_and(|named| rows.contains(&named.row))
    }

    /// The texts that have a file's name in them.
    pub(super) fn mentions(&self, name: &BStr) -> &[u32] {
        self.mentions
            .get(name.as_bytes())
            .map_or(&[][..], Vec::as_slice)
    }

    /// Whether more texts may have the name than are remembered.
    pub(super) fn is_full(&self, mentions: &[u32]) -> bool {
        mentions.len() >= MENTIONS
    }

    /// Whether a path, or a folder above it, is something that the project makes.
    pub(super) fn makes(&self, path: &RepoPath) -> bool {
        self.named(path).is_some()
    }
}

/// A path in which a variable stands for anything: `rendered/{name}.html` is `rendered/*.html`.
fn with_wildcards(what: &[u8]) -> Vec<u8> {
    let mut text = Vec::new();
    let mut rest = what;
    while let Some(at) = rest.find_byteset(b"{$") {
        text.extend(&rest[..at]);
        let after = rest[at..].trim_start_with(|sign| sign == '$');
        let end = match after.first() {
            Some(b'{') => after.find_byte(b'}').map(|end| end + 1),
            _ => after.find_not_byteset(
                b"abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_",
            ),
        };
        let Some(end) = end.filter(|end| *end > 0) else {
            return what.to_vec();
        };
        text.push(b'*');
        rest = &after[end..];
    }
    text.extend(rest);
    text
}

/// What names a file, or the folder that it is in, and the kind of evidence that this is.
pub(super) type SaidOfFile = (Named, &'static str);

fn said_of(around: &Surroundings, subject: &Subject) -> Option<SaidOfFile> {
    *subject.said.get_or_init(|| look_up(around, subject))
}

fn look_up(around: &Surroundings, subject: &Subject) -> Option<SaidOfFile> {
    let declared = around.declared();
    let named = declared.named(subject.path)?;
    let is_of_file = declared.is_of_file(subject.path, &named);
    if !subject.hears_folders && !is_of_file {
        return None;
    }
    // What is said of a folder, is said of all in it, but less; and of none if somebody wrote
    // there: scripts remove and fetch sources.
    let folder = declared
        .folder_of(subject.path)
        .filter(|_| subject.hears_folders && !is_of_file);
    // What the text names by itself as well, it reads.
    let is_input =
        || !subject.is_binary && declared.mentions(subject.path.name()).contains(&named.file);
    let row = match folder {
        Some(_) if is_input() => return None,
        Some(folder) if around.is_peoples(folder, named.row == "setting-output") => return None,
        // What is made for tests and samples is kept with them.
        _ if is_aside(folder.unwrap_or(subject.path)) => "aside",
        None => named.row,
        Some(_) if FOLDERS_ROWS.contains(&named.row) => named.row,
        Some(_) => "folder",
    };
    Some((named, row))
}

/// The kinds of evidence that say as much of a folder's files as of the folder.
const FOLDERS_ROWS: [&str; 3] = ["setting", "setting-output", "folder-made"];

/// Whether the project itself says that a tool writes to the folder that a file is in.
pub(super) fn is_in_output(around: &Surroundings, subject: &Subject) -> bool {
    let said = said_of(around, subject);
    said.is_some_and(|(_, row)| row == "folder" || row == "setting-output")
}

pub(super) fn testify(around: &Surroundings, subject: &Subject, evidence: &mut Vec<Evidence>) {
    let declared = around.declared();
    let detail = |named: &Named| Detail::NamedBy {
        file: around.tree().entries[named.file as usize].path.clone(),
        line: named.line,
    };
    if let Some((named, row)) = said_of(around, subject) {
        evidence.push(Evidence::new(Witness::Declared, row, detail(&named)));
    }
    if subject.is_binary && !is_media(subject.path) {
        let name = subject.path.name();
        let bare = match subject.path.extension() {
            Some(ending) => &name[..name.len() - ending.len()],
            None => name,
        };
        let bare = bare.strip_prefix(b"lib").unwrap_or(bare);
        let program = declared
            .programs
            .get(bare)
            .or_else(|| declared.programs.get(name.as_bytes()));
        if let Some(named) = program {
            evidence.push(Evidence::new(Witness::Declared, "program", detail(named)));
        }
    }
}

fn depth(path: &RepoPath) -> usize {
    memchr::memchr_iter(b'/', path.as_bytes()).count()
}

/// Whether a file may be a text in which a person names what is made.
fn may_declare(entry: &Entry) -> bool {
    let path = &entry.path;
    let is_open = entry.kind == EntryKind::File
        && entry.state != State::Ignored
        && entry.size.0 > 0
        && entry.size.0 <= LARGEST;
    let name = path.name();
    if !is_open || is_lock(name) || name.starts_with(b".git") || is_legal(name) {
        return false;
    }
    // Packages that are installed say nothing of the project.
    if path
        .folders_above()
        .any(|above| is_only_tools(above.name()))
    {
        return false;
    }
    let is_text = match language(path) {
        Some((_, Group::Code | Group::Settings | Group::Prose)) => true,
        Some((ending, Group::Page)) => ending != "svg",
        Some((_, Group::Text | Group::Data)) => false,
        None => commands::is_command_file(path) || path.extension().is_none(),
    };
    // Bundles name much, and most of what is in such folders is made; a script there is somebody's.
    let is_script = matches!(language(path), Some((_, Group::Code))) || makefile::is_makefile(path);
    is_text && (is_script || output_folder(path).is_none())
}

/// Whether a text is of licences and names, as nearly every package has some.
pub(super) fn is_legal(name: &BStr) -> bool {
    [
        "LICENSE",
        "LICENCE",
        "COPYING",
        "UNLICENSE",
        "NOTICE",
        "AUTHORS",
    ]
    .iter()
    .any(|start| name.starts_with(start.as_bytes()))
}

fn is_lock(name: &BStr) -> bool {
    name.ends_with(b".lock")
        || name.ends_with(b"-lock.json")
        || name.ends_with(b"-lock.yaml")
        || name == "npm-shrinkwrap.json"
}

fn read_text(path: &RepoPath, text: &[u8], said: &mut Vec<Said>) {
    let is_makefile = makefile::is_makefile(path);
    if is_makefile {
        makefile::read(text, said);
    }
    if commands::is_command_file(path) {
        commands::read(text, said);
    }
    if is_makefile || commands::is_shell_script(path, text) {
        variables::read_with_values(text, said);
    }
    settings::read(path, text, said);
    // A test or a sample writes elsewhere, or what is kept to show it.
    if matches!(language(path), Some((_, Group::Code | Group::Page))) && !is_trial(path) {
        sources::read(text, said);
    }
}

/// Whether a program is a test or a sample.
fn is_trial(path: &RepoPath) -> bool {
    let name = path.name();
    is_aside(path)
        || [&b"test_"[..], b"conftest."]
            .iter()
            .any(|start| name.starts_with(start))
        || [&b"_test."[..], b".test.", b"_spec.", b".spec."]
            .iter()
            .any(|part| name.contains_str(part))
}

/// The names of files here that a text mentions: words with a dot in them, the last part of each
/// path.
fn mentioned<'n>(text: &[u8], here: &Names<'n>) -> Names<'n> {
    let is_part = |byte: &u8| byte.is_ascii_alphanumeric() || b"_-.@+".contains(byte);
    let mut names = Names::default();
    let mut done = 0;
    for dot in memchr::memchr_iter(b'.', text) {
        if dot < done {
            continue;
        }
        let before = text[done..dot]
            .iter()
            .rev()
            .take_while(|byte| is_part(byte));
        let start = dot - before.count();
        // A name ends where a path goes on, so that its last part is what is left.
        let rest = text[dot..].iter().take_while(|byte| is_part(byte));
        done = dot + rest.count();
        let name = &text[start..done];
        let name = name.strip_suffix(b".").unwrap_or(name);
        names.extend(here.get(name));
    }
    names
}
