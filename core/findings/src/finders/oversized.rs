//! What is too large for git: single files, and folders that are heavy in sum.

use super::PatternLimits;
use super::pattern_limits::totals;
use crate::{ByHand, Cause, Evidence, Finding, KeepOut, Known, Level, Remedy, Result, ScanContext};
use bstr::{BStr, BString, ByteSlice};
use redshank_origin::is_source_name;
use redshank_rules::ignore_file::NewRule;
use redshank_rules::{Breadth, Case, Rule, exactly};
use redshank_rules::{PatternSet, RuleScope, Ruling};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_tables::{TableError, packed, read, rows};
use redshank_templates::Survey;
use redshank_worktree::settings::Limits;
use redshank_worktree::tree::{Entry, EntryKind, State, Tree};
use redshank_worktree::{Class, FileStats};
use serde::Deserialize;
use std::collections::HashSet;
use std::sync::LazyLock;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Type {
    title: String,
    store: bool,
    patterns: PatternSet,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    r#type: Vec<Type>,
}

const NAME: &str = "types of large files";

static TABLE: LazyLock<Result<Table, TableError>> = LazyLock::new(|| read(NAME, packed!("large")));

/// The attribute's value for files of which git keeps a pointer only.
const STORED: &[u8] = b"lfs";

/// No pointer is longer, in bytes (the Git LFS specification, "The Pointer").
const LONGEST_POINTER: u64 = 1024;

pub(super) fn find(scan: &ScanContext, known: &Known) -> Result<Vec<Finding>> {
    let stored = stored_by_attributes(scan)?;
    let is_stored = |entry: &Entry| stored.contains(&*entry.path);
    let own = PatternLimits::new(scan.settings);
    // Somebody may draw the line for errors below the one for warnings.
    let limit_of = |entry: &Entry| {
        let warning = own.warning(&entry.path, &scan.limits);
        warning.min(scan.limits.file_error)
    };
    let mut findings = Vec::new();
    let mut heavy = HashSet::new();
    // What git keeps a pointer of only, is not too large for it.
    let is_open = |entry: &&Entry| {
        entry.size > limit_of(entry) && !known.templates.has(entry) && !is_stored(entry)
    };
    for entry in scan.tree.to_commit().filter(is_open) {
        findings.push(over_limit(scan, entry, &own)?);
        heavy.insert(&*entry.path);
    }
    let is_counted_elsewhere = |entry: &Entry| {
        known.templates.has(entry) || is_stored(entry) || heavy.contains(&*entry.path)
    };
    findings.extend(folders(scan, &is_counted_elsewhere));
    if !scan.options.staged {
        findings.extend(ignored_for_size(scan));
    }
    findings.extend(totals(scan, &own, &stored));
    findings.extend(stored_code(scan, &stored));
    findings.extend(pointers(scan, &stored, &known.content.pointers)?);
    Ok(findings)
}

/// The finding on a file that is over the limit.
pub(crate) fn over_limit(
    scan: &ScanContext,
    entry: &Entry,
    own: &PatternLimits,
) -> Result<Finding> {
    let limits = &scan.limits;
    let (level, limit) = if entry.size > limits.file_error {
        (Level::Error, limits.file_error)
    } else {
        (Level::Warning, own.warning(&entry.path, limits))
    };
    let kind = type_of(entry)?;
    let is_for_storage = kind.is_some_and(|row| row.store);
    let cause = Cause::TooLarge {
        kind: kind.map(|row| row.title.as_str()),
        is_for_storage,
        limit,
    };
    let made = Finding::on(entry, Class::Oversized, "file", level, cause);
    let repository = scan.snapshot.repository.as_ref();
    let stores_here = repository.is_some_and(|repository| repository.stores_large_files);
    // Under the limit of hosts, somebody's only copy is safer in the repository than on one disk.
    let stays = level == Level::Warning && (kind.is_none() || is_for_storage);
    Ok(made.with_remedy(match is_for_storage && stores_here {
        true => store(scan, entry),
        false if stays => Remedy::ByHand(ByHand::StoreOrIgnore),
        false => keep_out(entry, kind),
    }))
}

/// Files that a rule of everyone's names one by one and no template covers, so that they are
/// ignored for their size alone: no clone has them. With the rule.
pub fn only_here<'t>(
    tree: &'t Tree,
    survey: &Survey,
    limits: &Limits,
) -> Vec<(&'t Entry, &'t Ruling)> {
    let limit = limits.file_warning.min(limits.file_error);
    let ignored = tree.in_state(State::Ignored);
    let ignored = ignored.filter(|entry| entry.kind == EntryKind::File && entry.size > limit);
    let found = ignored.filter_map(|entry| {
        let ruling = entry.ruling.as_ref()?;
        let source = ruling.source();
        let is_shared = matches!(source.scope, RuleScope::Team | RuleScope::Folder);
        let is_named = ruling.rule().text == exactly(entry.path.below(&source.base)?);
        let is_meant = is_shared && is_named && !survey.matches.speaks_of(&entry.path);
        is_meant.then_some((entry, ruling))
    });
    found.collect()
}

fn ignored_for_size(scan: &ScanContext) -> Vec<Finding> {
    let found = only_here(scan.tree, scan.survey, &scan.limits).into_iter();
    let found = found.map(|(entry, ruling)| {
        Finding::on(
            entry,
            Class::Needed,
            "too-large",
            Level::Warning,
            Cause::OnlyHere,
        )
        .with_evidence(Evidence::from(ruling))
        .by_hand(ByHand::StoreElsewhere)
    });
    found.collect()
}

/// The line of the attributes that sends a file to large-file storage.
fn store(scan: &ScanContext, entry: &Entry) -> Remedy {
    Remedy::Attribute {
        line: storage_line(attribute_pattern(scan, entry).as_bstr()),
        is_storage: true,
    }
}

/// The line of the attributes that sends what a pattern matches to large-file storage (the Git LFS
/// specification; gitattributes(5)). White space would end the pattern there.
pub fn storage_line(pattern: &BStr) -> NewRule {
    let pattern = pattern.replace(" ", "[[:space:]]");
    let line = [pattern.as_slice(), b" filter=lfs diff=lfs merge=lfs -text"].concat();
    NewRule {
        pattern: line.into(),
        reason: "large files of which git keeps a pointer only (Git LFS)".to_owned(),
        remake: None,
    }
}

fn keep_out(entry: &Entry, kind: Option<&Type>) -> Remedy {
    let is_for_storage = kind.is_some_and(|row| row.store);
    let reason = match (kind, is_for_storage) {
        (_, true) => {
            "too large for git; where Git LFS is set up, large-file storage takes it instead"
        }
        (Some(_), false) => "too large for git",
        (None, false) => "too large for git; keep it in a store for large files",
    };
    Remedy::KeepOut(KeepOut {
        rule: NewRule {
            pattern: exactly(&entry.path),
            reason: reason.to_owned(),
            remake: None,
        },
        is_for_storage,
    })
}

fn type_of(entry: &Entry) -> Result<Option<&'static Type>> {
    let mut types = rows(&TABLE)?.r#type.iter();
    Ok(types.find(|row| row.patterns.has(&entry.path)))
}

/// What to call a file by in the attributes: all files of its type, but only itself where git holds
/// others of them whole already, which would seem changed.
fn attribute_pattern(scan: &ScanContext, entry: &Entry) -> BString {
    let path = &entry.path;
    let of_type = Breadth::Type.pattern(path).filter(|pattern| {
        let others = scan
            .tree
            .in_state(State::Tracked)
            .filter(|other| other.path != entry.path);
        let rule = Rule::parse(pattern, 1, Case::Sensitive);
        !others
            .into_iter()
            .any(|other| rule.matches(&other.path, false))
    });
    of_type.unwrap_or_else(|| exactly(path))
}

/// Folders over a limit, in sum or in number; the deepest that holds most of it, and no folder
/// above one that is found.
fn folders(scan: &ScanContext, is_counted_elsewhere: &dyn Fn(&Entry) -> bool) -> Vec<Finding> {
    let limits = &scan.limits;
    let is_heavy =
        |stats: FileStats| stats.size > limits.folder_warning || stats.files > limits.folder_files;
    let heavy = HeavyFolders::find(
        scan.tree
            .to_commit()
            .filter(|entry| entry.kind == EntryKind::File && !is_counted_elsewhere(entry)),
        &is_heavy,
    );
    let finding = |sum: FolderSum| {
        let by_size = sum.stats.size > limits.folder_warning;
        let (name, cause) = if by_size {
            (
                "folder",
                Cause::HeavyFolder {
                    limit: limits.folder_warning,
                },
            )
        } else {
            (
                "many-files",
                Cause::ManyFiles {
                    limit: limits.folder_files,
                },
            )
        };
        // What is tracked already was decided once.
        let (level, state) = if sum.tracked {
            (Level::Note, State::Tracked)
        } else {
            (Level::Warning, State::Candidate)
        };
        Finding {
            size: Some(sum.stats.size),
            files: sum.stats.files,
            state,
            ..Finding::new(Class::Oversized, name, level, sum.path, cause)
                .by_hand(ByHand::SeeWhatItHolds)
        }
    };
    heavy.into_iter().map(finding).collect()
}

/// What the files of a folder come to.
struct FolderSum<'t> {
    /// With a slash at its end.
    path: &'t RepoPath,
    stats: FileStats,
    /// git tracks all of them.
    tracked: bool,
    /// A folder in it is heavy.
    holds_heavy: bool,
}

/// Looks for the folders that are heavy and hold none that is.
struct HeavyFolders<'t, 'f> {
    is_heavy: &'f dyn Fn(FileStats) -> bool,
    /// The folders on the way to the last file, from the top down.
    open: Vec<FolderSum<'t>>,
    heavy: Vec<FolderSum<'t>>,
}

impl<'t, 'f> HeavyFolders<'t, 'f> {
    /// Goes over files, which come sorted.
    fn find(
        files: impl Iterator<Item = &'t Entry>,
        is_heavy: &'f dyn Fn(FileStats) -> bool,
    ) -> Vec<FolderSum<'t>> {
        let mut search = Self {
            is_heavy,
            open: Vec::new(),
            heavy: Vec::new(),
        };
        for entry in files {
            search.enter_folders_of(&entry.path);
            if let Some(sum) = search.open.last_mut() {
                sum.stats += entry.stats();
                sum.tracked &= entry.state == State::Tracked;
            }
        }
        while let Some(sum) = search.open.pop() {
            search.leave(sum);
        }
        search.heavy
    }

    fn enter_folders_of(&mut self, path: &'t RepoPath) {
        while let Some(sum) = self.open.pop_if(|sum| !path.is_within(sum.path)) {
            self.leave(sum);
        }
        let known = self.open.last().map_or(0, |sum| sum.path.len());
        let folders = path.folders_above();
        let new = folders.filter(|folder| folder.len() > known);
        self.open.extend(new.map(|path| FolderSum {
            path,
            stats: FileStats::default(),
            tracked: true,
            holds_heavy: false,
        }));
    }

    /// A folder is summed up: it counts for the one above it.
    fn leave(&mut self, sum: FolderSum<'t>) {
        let is_it = !sum.holds_heavy && (self.is_heavy)(sum.stats);
        if let Some(above) = self.open.last_mut() {
            above.stats += sum.stats;
            above.tracked &= sum.tracked;
            above.holds_heavy |= sum.holds_heavy || is_it;
        }
        if is_it {
            self.heavy.push(sum);
        }
    }
}

/// git reads no larger file of attributes (gitattributes(5)), in bytes.
const LARGEST_ATTRIBUTES: u64 = 100 << 20;

/// The files of which git keeps a pointer only, by their attributes. git is only asked where some
/// file covers it.
fn stored_by_attributes<'a>(scan: &ScanContext<'a>) -> Result<HashSet<&'a RepoPath>> {
    let (snapshot, tree) = (scan.snapshot, scan.tree);
    let repository = snapshot.repository.as_ref();
    let Some(repository) = repository.filter(|_| tree.endless_attributes(snapshot).is_none())
    else {
        return Ok(HashSet::new());
    };
    let speaks_of_it = |text: &[u8]| text.contains_str("filter=");
    let files = tree
        .to_commit()
        .filter(|entry| entry.path.name() == ".gitattributes");
    let mut texts = files.filter_map(|entry| snapshot.read(&entry.path).ok());
    let own = || {
        let path = repository.common_folder.join("info/attributes");
        redshank_files::read_trusted(&path, LARGEST_ATTRIBUTES)
    };
    if !texts.any(|text| speaks_of_it(&text)) && !own().is_ok_and(|text| speaks_of_it(&text)) {
        return Ok(HashSet::new());
    }
    let files = tree
        .to_commit()
        .filter(|entry| entry.kind == EntryKind::File);
    let paths: Vec<&RepoPath> = files.map(|entry| &*entry.path).collect();
    let asked: Vec<&BStr> = paths.iter().map(|path| path.as_bstr()).collect();
    let values = repository.attribute("filter", &asked)?;
    Ok(paths
        .into_iter()
        .filter(|path| {
            values
                .get(path.as_bstr())
                .is_some_and(|value| value == STORED)
        })
        .collect())
}

/// Sources that large-file storage holds: git shows no differences of them and merges none.
fn stored_code(scan: &ScanContext, stored: &HashSet<&RepoPath>) -> Vec<Finding> {
    let files = scan.tree.to_commit_files();
    let found = files
        .filter(|entry| stored.contains(&*entry.path) && is_source_name(&entry.path))
        .map(|entry| {
            let (level, cause) = (Level::Warning, Cause::StoredCode);
            Finding::on(entry, Class::Oversized, "stored-code", level, cause)
                .by_hand(ByHand::NarrowAttribute)
        });
    found.collect()
}

/// Files that their attributes send to large-file storage and that git would hold whole, pointers
/// that no attribute covers, and pointers whose contents are not here.
fn pointers(
    scan: &ScanContext,
    stored: &HashSet<&RepoPath>,
    pointers: &HashSet<RepoPathBuf>,
) -> Result<Vec<Finding>> {
    let Some(repository) = &scan.snapshot.repository else {
        return Ok(Vec::new());
    };
    let tracked = stored.iter().copied().filter(|path| {
        let entry = scan.tree.get(path);
        entry.is_some_and(|entry| entry.state == State::Tracked)
    });
    let tracked: Vec<&BStr> = tracked.map(|path| path.as_bstr()).collect();
    let sizes = repository.staged_sizes(&tracked)?;
    let files = scan
        .tree
        .to_commit()
        .filter(|entry| entry.kind == EntryKind::File);
    let found = files.filter_map(|entry| {
        let path: &RepoPath = &entry.path;
        let is_pointer = entry.size.0 <= LONGEST_POINTER && pointers.contains(path);
        let is_new = entry.state == State::Candidate && !repository.stores_large_files;
        // Staged is the pointer; what it stands for may lie right here.
        let on_disk = || scan.snapshot.root.meta(path).ok();
        let (name, level, cause, fix) = match (stored.contains(path), is_pointer) {
            (true, true) if on_disk().is_some_and(|meta| meta.size > LONGEST_POINTER) => {
                return None;
            }
            (true, true) => (
                "pointer-alone",
                Level::Note,
                Cause::PointerAlone,
                ByHand::FetchContents,
            ),
            (false, true) => (
                "pointer-uncovered",
                Level::Warning,
                Cause::PointerUncovered,
                ByHand::DeclareStored,
            ),
            (true, false)
                if sizes
                    .get(path.as_bstr())
                    .is_some_and(|size| *size > LONGEST_POINTER) =>
            {
                (
                    "stored-whole",
                    Level::Warning,
                    Cause::StoredWhole,
                    ByHand::Renormalize,
                )
            }
            (true, false) if is_new => (
                "stored-whole",
                Level::Warning,
                Cause::WouldBeStoredWhole,
                ByHand::InstallStorage,
            ),
            _ => return None,
        };
        Some(Finding::on(entry, Class::Oversized, name, level, cause).by_hand(fix))
    });
    Ok(found.collect())
}
