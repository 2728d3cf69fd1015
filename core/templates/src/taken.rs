//! What a rule takes away that people need: source files, files that a project needs, files that
//! keep a folder, samples.

use crate::is_keep_file;
use crate::{NeededPaths, Survey};
use bstr::ByteSlice;
use redshank_origin::Surroundings;
use redshank_rules::PatternSet;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_worktree::Snapshot;
use redshank_worktree::tree::EntryKind;
use std::sync::LazyLock;

/// A file that a rule would ignore, and why that is a loss.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TakenFile {
    /// Path relative to the repository's top.
    pub path: RepoPathBuf,
    /// The reason; `app/text` has its sentence.
    pub loss: Loss,
}

/// Why ignoring a file is a loss.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Loss {
    /// A project here needs it.
    Needed,
    /// It keeps a folder that would be empty.
    KeepsFolder,
    /// It is a sample of what others must fill in.
    Sample,
    /// Somebody wrote it; another file refers to it, if one was found.
    Authored {
        /// Path relative to the repository's top.
        by: Option<RepoPathBuf>,
    },
}

/// Samples beside what isn't committed.
static SAMPLES: LazyLock<PatternSet> = LazyLock::new(|| {
    let names = [
        ".env.example",
        ".env.sample",
        ".env.template",
        ".env.dist",
        "*.example",
        "*.sample",
    ];
    names.map(str::to_owned).to_vec().into()
});

/// At most this many files are searched for one that refers to a source file, of this many bytes at
/// most.
const SEARCHED: usize = 400;
const LARGEST: u64 = 256 << 10;

/// Which of these files, that rules would ignore, are a loss. What a template covers is none, and
/// neither is what a tool wrote.
pub fn taken_away<'p>(
    snapshot: &Snapshot,
    survey: &Survey,
    paths: impl IntoIterator<Item = &'p RepoPath>,
) -> Vec<TakenFile> {
    let Some(around) = &survey.around else {
        return Vec::new();
    };
    let needed = NeededPaths::collect(&survey.projects);
    let taken = paths.into_iter().filter_map(|path| {
        let loss = loss(around, survey, &needed, path)?;
        Some(TakenFile {
            path: path.to_owned(),
            loss,
        })
    });
    let mut taken: Vec<TakenFile> = taken.collect();
    if let Some(first) = taken
        .iter_mut()
        .find(|one| matches!(one.loss, Loss::Authored { .. }))
    {
        first.loss = Loss::Authored {
            by: referring(snapshot, &first.path),
        };
    }
    taken
}

fn loss(
    around: &Surroundings,
    survey: &Survey,
    needed: &NeededPaths,
    path: &RepoPath,
) -> Option<Loss> {
    if needed.has(path) {
        return Some(Loss::Needed);
    }
    if is_keep_file(path.name()) {
        return Some(Loss::KeepsFolder);
    }
    if SAMPLES.has(path) {
        return Some(Loss::Sample);
    }
    let is_authored = !survey.matches.speaks_of(path) && around.judge(path, None).may_be_authored();
    is_authored.then_some(Loss::Authored { by: None })
}

/// A file of the tree that names a source file, without its extension, as imports do.
fn referring(snapshot: &Snapshot, path: &RepoPath) -> Option<RepoPathBuf> {
    let name = path.name();
    let stem = match path.extension() {
        Some(extension) => &name[..name.len() - extension.len()],
        None => name.as_bytes(),
    };
    let is_of_word = |byte: Option<&u8>| byte.is_some_and(|byte| byte.is_ascii_alphanumeric());
    let names_it = |text: &[u8]| {
        text.find_iter(stem).any(|at| {
            let before = at.checked_sub(1).and_then(|at| text.get(at));
            !is_of_word(before) && !is_of_word(text.get(at + stem.len()))
        })
    };
    let tree = snapshot.tree().ok()?;
    let mut others = tree
        .to_commit()
        .filter(|entry| {
            entry.kind == EntryKind::File
                && entry.size.0 <= LARGEST
                && entry.path.as_bstr() != path.as_bstr()
                && entry.path.extension() == path.extension()
        })
        .take(SEARCHED);
    let found = others.find(|entry| snapshot.read(&entry.path).is_ok_and(|text| names_it(&text)));
    found.map(|entry| entry.path.clone())
}
