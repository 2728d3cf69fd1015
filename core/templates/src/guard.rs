//! Whether what a rule ignores is somebody's work: sources, test data, what others build with.
//!
//! A rule with a name that only a tool would give (`node_modules/`, `*.pyc`) is taken at its word.
//! One with a name that people use as well (`/build/`, `*.log`) is taken at its word only if what
//! is there does not look like work.

use bstr::{BStr, BString, ByteSlice};
use parking_lot::Mutex;
use redshank_files::FileKind;
use redshank_rules::{Case, Rule};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_worktree::Snapshot;
use redshank_worktree::tree::{Entry, EntryKind, State, Tree};
use std::collections::{HashMap, HashSet};
use std::io::Read;
use std::sync::OnceLock;

mod names;

use crate::Survey;
pub(crate) use names::is_unmistakable;
use names::{
    has_page_type, is_made_by_name, is_of_tools, is_output_name, is_source, is_test_data,
    is_test_place, is_work_place, is_written, may_be_script,
};
use rayon::prelude::*;
use redshank_rules::{RuleScope, Ruling};

/// Looks at what is where a rule reaches. What it found out of a folder it keeps.
pub(crate) struct Guard<'a> {
    snapshot: &'a Snapshot,
    tree: &'a Tree,
    judged: Mutex<HashMap<RepoPathBuf, bool>>,
    /// The files of each name, by their place in the tree.
    by_name: OnceLock<HashMap<BString, Vec<usize>>>,
}

/// How many paths of a folder are looked at.
const LOOKED_AT: usize = 500;
/// How many sources of a folder are opened.
const OPENED: usize = 4;
/// At most this many files of the same name are compared: `index.js` is nobody's copy.
const NAMESAKES: usize = 8;
/// How much of a file is read, in bytes.
const READ: u64 = 4 << 10;
/// How deep a folder is listed that the walk did not enter.
const DEEPEST: usize = 4;
/// No person writes lines as long as this, in bytes.
const LONG_LINE: usize = 1_000;

impl<'a> Guard<'a> {
    pub(crate) fn new(snapshot: &'a Snapshot, tree: &'a Tree) -> Self {
        Self {
            snapshot,
            tree,
            judged: Mutex::default(),
            by_name: OnceLock::new(),
        }
    }

    /// Whether a path looks like work, which a rule matches by a name that people use as well
    /// unless `is_certain`. A folder's path ends in a slash.
    pub(crate) fn is_work(&self, path: &RepoPath, is_certain: bool) -> bool {
        if is_written_too(path.name()) {
            let text = self.start_of(path);
            return !text.is_empty() && !says_made(&text);
        }
        let is_mode = is_environment_of_a_mode(path);
        if is_certain && !is_mode {
            return self.is_fixture(path);
        }
        if let Some(known) = self.judged.lock().get(path) {
            return *known;
        }
        let is_work = match path.is_folder() {
            _ if is_mode => self.is_shared_environment(path),
            true => self.is_folder_work(path),
            false => {
                is_test_place(path)
                    || is_work_place(path)
                    || self.is_of_a_checksum(path)
                    || self.is_script(path)
            }
        };
        self.judged.lock().insert(path.to_owned(), is_work);
        is_work
    }

    /// What a tool alone makes may still be kept for a test: dependencies that nothing installed.
    fn is_fixture(&self, path: &RepoPath) -> bool {
        let is_open = path.is_folder() && path.name() == "node_modules" && is_test_data(path);
        let installed = [
            ".package-lock.json",
            ".modules.yaml",
            ".yarn-integrity",
            ".yarn-state.yml",
            ".bin",
        ];
        is_open
            && !installed
                .iter()
                .any(|name| self.snapshot.root.is_there(&path.join(name)))
    }

    /// Frameworks want the settings of each mode shared (Vite, Next.js and Create React App say
    /// so), as long as nothing secret is in them.
    fn is_shared_environment(&self, path: &RepoPath) -> bool {
        let text = self.start_of(path);
        !text.is_empty() && !text.lines().any(may_be_secret)
    }

    /// A vendored crate's checksums cover every file in it.
    fn is_of_a_checksum(&self, path: &RepoPath) -> bool {
        let mut folders = path.folders_above();
        let sums = ".cargo-checksum.json";
        folders.any(|folder| self.snapshot.root.is_there(&folder.join(sums)))
    }

    /// The files directly in a folder that are of a language which people write, and that no tool
    /// wrote.
    pub(crate) fn written_in(&self, folder: &RepoPath) -> Vec<RepoPathBuf> {
        let direct = self
            .tree
            .below(folder)
            .filter(|entry| entry.path.folder() == folder);
        let own =
            direct.filter(|entry| is_written(&entry.path) && !self.is_made(&entry.path, folder));
        own.map(|entry| entry.path.clone()).collect()
    }

    /// Whether something in a folder tells that a tool made it.
    pub(crate) fn is_made_folder(&self, folder: &RepoPath) -> bool {
        let paths = self.paths_in(folder);
        let below = paths.iter().filter_map(|path| path.below(folder));
        below
            .into_iter()
            .any(|below| is_made_by_name(below, folder))
    }

    /// Whether sources are in a folder that the project's own settings call output: pages and
    /// scripts there are none.
    pub(crate) fn holds_written(&self, folder: &RepoPath) -> bool {
        let paths = self.paths_in(folder);
        let mut written = paths.iter().filter(|path| is_written(path)).take(OPENED);
        written.any(|path| !self.is_made(path, folder)) && self.is_folder_work(folder)
    }

    /// Whether sources are in a folder that no tool wrote, and nothing else tells that a tool made
    /// it.
    fn holds_sources(&self, folder: &RepoPath) -> bool {
        !is_test_place(folder) && self.is_folder_work(folder)
    }

    fn is_folder_work(&self, folder: &RepoPath) -> bool {
        let paths = self.paths_in(folder);
        if paths.is_empty()
            || paths.iter().any(|path| {
                path.below(folder)
                    .is_some_and(|below| is_made_by_name(below, folder))
            })
            || self.is_fetched(folder)
        {
            return false;
        }
        let sources: Vec<&RepoPathBuf> = paths
            .iter()
            .filter(|path| is_source(path, folder))
            .collect();
        if sources.is_empty() {
            let mut others = paths.iter().filter(|path| may_be_script(path)).take(OPENED);
            return is_test_place(folder) || others.any(|path| self.is_script(path));
        }
        let apart = sources.len().div_ceil(OPENED);
        let opened: Vec<_> = sources.into_iter().step_by(apart).collect();
        let made = opened.iter().filter(|path| self.is_made(path, folder));
        made.count() * 2 < opened.len()
    }

    /// Whether a file without a type is a script, or steps that somebody wrote for make.
    fn is_script(&self, path: &RepoPath) -> bool {
        let text = || self.start_of(path);
        let is_steps =
            [&b"Makefile"[..], b"makefile", b"GNUmakefile"].contains(&path.name().as_bytes());
        may_be_script(path)
            && if is_steps {
                !says_made(&text())
            } else {
                text().starts_with(b"#!") && !says_made(&text())
            }
    }

    /// A wrap file beside it says where a sub-project is fetched from (mesonbuild.com, "Wrap
    /// dependency system manual").
    fn is_fetched(&self, folder: &RepoPath) -> bool {
        let wrap = [folder.bare().as_bytes(), b".wrap"].concat();
        self.snapshot.root.is_there(BStr::new(&wrap))
    }

    /// The files of a folder: of the tree, or, where the walk did not enter it, from the disk.
    fn paths_in(&self, folder: &RepoPath) -> Vec<RepoPathBuf> {
        let below = self.tree.below(folder);
        let files = below.filter(|entry| entry.path.as_bstr() != folder.as_bstr());
        let known: Vec<_> = files
            .take(LOOKED_AT)
            .map(|entry| entry.path.clone())
            .collect();
        if !known.is_empty() {
            return known;
        }
        let mut paths = Vec::new();
        let mut folders = vec![(folder.to_owned(), 0)];
        while let Some((here, depth)) = folders.pop() {
            for (name, kind) in self.snapshot.root.list(&here).unwrap_or_default() {
                match kind {
                    FileKind::Folder if depth < DEEPEST => {
                        folders.push((here.join(&name).as_folder(), depth + 1));
                    }
                    _ => paths.push(here.join(&name)),
                }
            }
            if paths.len() > LOOKED_AT {
                break;
            }
        }
        paths
    }

    /// Whether a tool wrote a source: it says so, no person writes lines like its lines, or it is a
    /// copy of one outside the folder.
    fn is_made(&self, path: &RepoPath, folder: &RepoPath) -> bool {
        let text = self.start_of(path);
        says_made(&text)
            || text.lines().any(|line| line.len() > LONG_LINE)
            || self.is_copy(path, folder)
    }

    /// Whether a file is of a language that people write.
    pub(crate) fn is_written(&self, path: &RepoPath) -> bool {
        is_written(path)
    }

    /// Whether a tool wrote a file, as far as the file itself tells, or what it was made of beside
    /// it.
    pub(crate) fn is_made_alone(&self, path: &RepoPath) -> bool {
        let name = path.name();
        let stem = match path.extension() {
            Some(extension) => name[..name.len() - extension.len()].as_bstr(),
            None => name,
        };
        let sources = [
            ".ts", ".tsx", ".coffee", ".scss", ".sass", ".less", ".pug", ".elm", ".res",
        ];
        self.is_made(path, path)
            || name.ends_with(b".min.js")
            || sources.iter().any(|kind| {
                let source = path
                    .folder()
                    .join([stem.as_bytes(), kind.as_bytes()].concat());
                source.as_bstr() != path.as_bstr() && self.snapshot.root.is_there(&source)
            })
    }

    fn is_copy(&self, path: &RepoPath, folder: &RepoPath) -> bool {
        let of_name = self.by_name.get_or_init(|| {
            let mut all: HashMap<BString, Vec<usize>> = HashMap::new();
            for (at, entry) in self.tree.entries.iter().enumerate() {
                if entry.state != State::Ignored && entry.kind == EntryKind::File {
                    all.entry(entry.path.name().to_owned())
                        .or_default()
                        .push(at);
                }
            }
            all
        });
        let root = &self.snapshot.root;
        let Ok(size) = root.meta(path).map(|meta| meta.size) else {
            return false;
        };
        // What a rule takes together, all of it may be somebody's: the source must be elsewhere.
        let is_of_kin = |other: &RepoPath| {
            let mut above = other.folders_above();
            above.any(|above| above.name().eq_ignore_ascii_case(folder.name()))
        };
        let same = of_name.get(path.name()).into_iter().flatten();
        same.take(NAMESAKES).any(|at| {
            let other = &self.tree.entries[*at];
            other.path.as_bstr() != path.as_bstr()
                && !other.path.is_within(folder)
                && size > 0
                && other.size.0 == size
                && !is_of_kin(&other.path)
                && self.start_of(&other.path) == self.start_of(path)
        })
    }

    fn start_of(&self, path: &RepoPath) -> Vec<u8> {
        let mut text = Vec::new();
        let file = self.snapshot.root.file(path);
        let read = file.and_then(|file| file.take(READ).read_to_end(&mut text));
        if read.is_ok() { text } else { Vec::new() }
    }

    /// A file, and those of its type beside it.
    pub(crate) fn kin(&self, path: &RepoPath) -> impl Iterator<Item = &'a Entry> {
        let kind = path.extension();
        self.tree.below(path.folder()).filter(move |entry| {
            entry.path.folder() == path.folder()
                && (entry.path.as_bstr() == path.as_bstr()
                    || kind.is_some() && entry.path.extension() == kind)
        })
    }

    /// Whether a folder that is known by what is in it can be taken whole: no manifest and no
    /// source lies directly in it. That git tracks it, by mistake, is no reason not to.
    pub(crate) fn can_be_taken_whole(
        &self,
        folder: &RepoPath,
        is_manifest: &dyn Fn(&RepoPath) -> bool,
    ) -> bool {
        if folder.is_top() {
            return false;
        }
        !self
            .tree
            .below(folder)
            .filter(|entry| entry.path.folder() == folder)
            .any(|entry| {
                is_manifest(&entry.path)
                    || is_written(&entry.path) && !self.is_made(&entry.path, folder)
            })
    }
}

/// Names that people give to folders of sources.
const SOURCES: [&str; 14] = [
    "src",
    "source",
    "sources",
    "lib",
    "app",
    "apps",
    "include",
    "core",
    "code",
    "scripts",
    "pkg",
    "internal",
    "cmd",
    "components",
];

/// Folders that a rule ignores by a name which people give to folders of sources as well, and in
/// which somebody's sources are; and for each rule for a whole type (`*.js`), the first source file
/// that it ignores. With the rule.
pub fn work_kept_out<'t>(survey: &Survey, tree: &'t Tree) -> Vec<(&'t RepoPath, &'t Ruling)> {
    let Some(guard) = &survey.guard else {
        return Vec::new();
    };
    let is_shared = |ruling: &Ruling| ruling.source().scope != RuleScope::Personal;
    let ignored: Vec<&Entry> = tree.in_state(State::Ignored).collect();
    let kept_out = ignored.into_par_iter().filter_map(|entry| {
        let ruling = entry.ruling.as_ref().filter(|ruling| is_shared(ruling))?;
        let rule = ruling.rule().text.to_str_lossy();
        if is_unmistakable(&rule) {
            return None;
        }
        let name = entry.path.name();
        let is_work = match entry.kind {
            EntryKind::Folder => {
                let is_of_people = SOURCES.iter().any(|known| name == known)
                    && !survey.matches.speaks_of(&entry.path);
                (is_of_people || is_output_name(name)) && guard.holds_sources(&entry.path)
            }
            EntryKind::File => {
                let is_type = rule.starts_with("*.") && !rule[2..].contains(['*', '?', '[', '/']);
                let is_code = is_written(&entry.path) || has_page_type(&entry.path);
                is_type
                    && is_code
                    && !is_test_place(&entry.path)
                    && !survey.matches.speaks_of(&entry.path)
                    && !guard.is_made_alone(&entry.path)
            }
            EntryKind::Link | EntryKind::Repository => false,
        };
        is_work.then_some((&*entry.path, ruling))
    });
    let mut kept_out: Vec<(&RepoPath, &Ruling)> = kept_out.collect();
    let mut told = HashSet::new();
    kept_out.retain(|(path, ruling)| path.is_folder() || told.insert(ruling.id()));
    kept_out
}

/// Whether a folder that a rule of this pattern ignores is such a one.
pub fn is_work_kept_out(survey: &Survey, folder: &RepoPath, pattern: &BStr) -> bool {
    let Some(guard) = &survey.guard else {
        return false;
    };
    let is_of_tools = is_output_name(folder.name()) && !is_unmistakable(&pattern.to_str_lossy());
    is_of_tools && guard.holds_sources(folder)
}

/// Whether a rule, in the ignore file of that folder, would take work away.
pub fn takes_work(survey: &Survey, tree: &Tree, folder: &RepoPath, pattern: &[u8]) -> bool {
    let Some(guard) = &survey.guard else {
        return false;
    };
    let rule = Rule::parse(pattern, 1, Case::Sensitive);
    let mut seen = HashSet::new();
    let mut places = tree.below(folder).filter_map(|entry| {
        let below = RepoPath::new(entry.path.below(folder)?);
        let met = below
            .parts()
            .find(|part| rule.matches(part.bare(), part.is_folder()))?;
        let place = &entry.path[..entry.path.len() - below.len() + met.len()];
        seen.insert(place.to_owned()).then(|| RepoPath::new(place))
    });
    places.any(|place| {
        let is_made = survey.matches.on(place).is_some();
        let is_work =
            || guard.is_work(place, false) || place.is_folder() && guard.holds_written(place);
        !is_made && is_work()
    })
}

/// Whether something that just came looks like somebody's work: a folder with sources, or a file of
/// a language that people write, and nothing tells that a tool wrote it.
pub fn looks_like_work(survey: &Survey, place: &RepoPath) -> bool {
    let Some(guard) = &survey.guard else {
        return false;
    };
    if place.is_folder() && is_of_tools(place.name()) {
        return guard.is_work(place, true);
    }
    guard.is_work(place, false)
        || if place.is_folder() {
            guard.holds_written(place)
        } else {
            is_written(place) && !guard.is_made(place, place)
        }
}

/// Files by whose names an empty folder is kept (no tool reads them; people call them so).
pub fn is_keep_file(name: &BStr) -> bool {
    [".keep", ".gitkeep", ".empty", ".placeholder", ".hgkeep"]
        .iter()
        .any(|known| name == known)
}

/// Names of what autotools make, under which people write files themselves: a header line decides.
fn is_written_too(name: &BStr) -> bool {
    ["Makefile.in", "configure", "aclocal.m4", "config.h.in"]
        .iter()
        .any(|known| name == known)
}

/// `.env.production` and the like: the environment of one mode, not of one person.
fn is_environment_of_a_mode(path: &RepoPath) -> bool {
    let modes = [
        "development",
        "production",
        "test",
        "testing",
        "staging",
        "ci",
        "defaults",
        "dev",
        "prod",
    ];
    let mode = path.name().strip_prefix(b".env.");
    mode.is_some_and(|mode| modes.iter().any(|known| mode == known.as_bytes()))
}

/// Whether a line of an environment file may give something secret a value.
fn may_be_secret(line: &[u8]) -> bool {
    let line = line.trim().strip_prefix(b"export ").unwrap_or(line.trim());
    let Some((key, value)) = line.split_once_str("=").filter(|_| !line.starts_with(b"#")) else {
        return false;
    };
    let value = value.trim().trim_with(|c| c == '"' || c == '\'');
    let key = key.to_ascii_uppercase();
    let is_public = [
        "VITE_",
        "NEXT_PUBLIC_",
        "REACT_APP_",
        "PUBLIC_",
        "NUXT_PUBLIC_",
        "EXPO_PUBLIC_",
        "GATSBY_",
        "VUE_APP_",
    ];
    let is_for_pages = is_public
        .iter()
        .any(|start| key.starts_with(start.as_bytes()));
    let words = [
        "SECRET",
        "PASS",
        "TOKEN",
        "PRIVATE",
        "CREDENTIAL",
        "KEY",
        "AUTH",
        "DSN",
        "SALT",
        "CERT",
    ];
    let names_secret = words.iter().any(|word| key.contains_str(word)) && !is_for_pages;
    let has_account = value.contains_str("://") && value.contains_str("@");
    let kinds = [u8::is_ascii_digit, u8::is_ascii_alphabetic];
    let is_random = value.len() >= 24
        && kinds.iter().all(|is_of| value.iter().any(is_of))
        && value
            .iter()
            .all(|byte| byte.is_ascii_alphanumeric() || b"-_+/=.".contains(byte));
    !value.is_empty() && (names_secret || has_account || is_random)
}

/// Whether a file's first lines say that a tool wrote it.
pub(crate) fn says_made(text: &[u8]) -> bool {
    let head = text
        .lines()
        .take(30)
        .collect::<Vec<_>>()
        .join(&b'\n')
        .to_ascii_lowercase();
    let words = [
        "generated",
        "do not edit",
        "do not modify",
        "autogenerated",
        "automatically created",
        "sourcemappingurl",
        "__esmodule",
    ];
    words.iter().any(|word| head.contains_str(word))
}
