//! Findings: what should be tracked and isn't, or is (or would be) and shouldn't.
//!
//! A scan goes through passes: what the templates say of each path, what files hold, what shows
//! without looking into files, how far each finding's file got, what somebody accepted. A finder
//! takes the tree with its verdicts and gives findings as plain data; it prints nothing and changes
//! nothing. A new finder is one file in `finders/` and one row in its list.
//!
//! ```
//! # fn main() -> Result<(), Box<dyn std::error::Error>> {
//! # let folder = tempfile::tempdir()?;
//! use redshank_findings::{ScanOptions, scan};
//! use redshank_templates::{Collection, recognise};
//! use redshank_worktree::{Class, Snapshot};
//!
//! std::fs::write(folder.path().join(".DS_Store"), "")?;
//! let snapshot = Snapshot::open(folder.path())?;
//! let templates = Collection::built_in()?;
//! let survey = recognise(&snapshot, snapshot.tree()?, &templates);
//! let found = scan(&snapshot, &survey, &ScanOptions::default())?.findings;
//! assert_eq!(found[0].path, ".DS_Store");
//! assert_eq!(found[0].class(), Class::Personal);
//! # Ok(())
//! # }
//! ```

#![cfg_attr(not(test), warn(clippy::disallowed_methods))]

mod credentials;
mod error;
mod finders;
mod finding;
mod next_step;
mod passes;
mod since;
mod summary;

pub use credentials::secrets_of;
pub use error::{Error, Result};
pub use finders::{only_here, storage_line};
pub use finding::{
    ByHand, Cause, Evidence, Exposure, Finding, FindingRule, KeepOut, Level, LineEnds, NameFault,
    Past, Remedy,
};
pub use next_step::NextStep;
pub use passes::today;
pub use since::SinceCommit;
pub use summary::{ClassSummary, Summary};

use finders::Finder;
use passes::{ContentScan, ContentSource, TemplatePaths};
use rayon::prelude::*;
use redshank_git::{Change, Destination, HistoryCut, Outgoing};
use redshank_origin::Origin;
use redshank_progress::Phase;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_templates::{Survey, Template, recognise};
use redshank_worktree::settings::{GivenLimits, Limits, Settings};
use redshank_worktree::size::Bytes;
use redshank_worktree::tree::{Entry, EntryKind, State, Tree, Unread};
use redshank_worktree::{Class, Overlay, Purpose, Snapshot, Verdicts};
use std::cmp::Reverse;
use std::collections::{BTreeMap, HashMap, HashSet};

/// What the finders look at.
struct ScanContext<'a> {
    snapshot: &'a Snapshot,
    settings: &'a Settings,
    /// From which sizes on a file is reported.
    limits: Limits,
    /// The tree, with sizes; of staged contents, a tree of these.
    tree: &'a Tree,
    /// The projects in it.
    survey: &'a Survey<'a>,
    verdicts: &'a Verdicts<'a>,
    /// What the files hold.
    source: ContentSource<'a>,
    options: &'a ScanOptions,
}

impl<'a> ScanContext<'a> {
    /// The entries whose contents are looked into.
    fn files(&self) -> impl Iterator<Item = &'a Entry> {
        let ignored = self.options.ignored && !self.options.staged;
        let entries = self.tree.entries.iter();
        entries.filter(move |entry| ignored || entry.state != State::Ignored)
    }
}

/// What earlier passes found out, for those that come after.
struct Known<'a> {
    /// The paths that templates match.
    templates: &'a TemplatePaths<'a>,
    /// What was seen inside files; nothing before that pass.
    content: ContentScan<'a>,
    /// What was found to be made, by evidence; nothing before that pass.
    made: HashSet<RepoPathBuf>,
}

/// What a scan found.
#[derive(Default)]
pub struct ScanResult {
    /// Sorted by what to do first.
    pub findings: Vec<Finding>,
    /// What could not be read, and so was not looked into.
    pub unread: Vec<Unread>,
    /// How many findings are left out because somebody accepted them.
    pub accepted: usize,
    /// How many archives were not looked into.
    pub unopened: usize,
    /// Submodules and repositories within this one: git tracks none of their files here, and none
    /// was looked into.
    pub submodules: Vec<RepoPathBuf>,
    /// Where the history that this clone has is cut off, if it was to be searched.
    pub history_cut: Vec<HistoryCut>,
    /// How many findings there are, on the paths asked about, of levels and classes that were not
    /// asked for.
    pub left_out: LeftOut,
    /// How many of the files that a commit would take, of those asked about, come from where.
    pub origins: BTreeMap<Origin, u64>,
}

impl ScanResult {
    /// Leaves findings out that nobody asked for, and counts them.
    pub fn leave_out(&mut self, which: &dyn Fn(&Finding) -> bool) {
        let left_out = &mut self.left_out;
        self.findings.retain(|finding| {
            let goes = which(finding);
            if goes {
                left_out.count(finding);
            }
            !goes
        });
    }

    /// Whether all was looked into that was asked for.
    pub fn is_complete(&self) -> bool {
        self.unread.is_empty()
            && self.unopened == 0
            && self.submodules.is_empty()
            && self.history_cut.is_empty()
    }
}

/// Findings that nobody asked for, by level.
#[derive(Debug, Default, Clone, Copy, PartialEq, Eq)]
pub struct LeftOut {
    /// Number of findings at level `error`.
    pub errors: usize,
    /// Number of findings at level `warning`.
    pub warnings: usize,
    /// Number of findings at level `note`.
    pub notes: usize,
}

impl LeftOut {
    fn count(&mut self, finding: &Finding) {
        match finding.level {
            Level::Error => self.errors += 1,
            Level::Warning => self.warnings += 1,
            Level::Note => self.notes += 1,
        }
    }
}

/// What is to be looked at, and which findings are asked for.
#[derive(Default)]
pub struct ScanOptions {
    /// The staged contents instead of those on disk.
    pub staged: bool,
    /// Also scan ignored files.
    pub ignored: bool,
    /// Only what concerns these paths; a folder's ends in a slash. All if empty.
    pub paths: Vec<RepoPathBuf>,
    /// Only these classes; all if empty.
    pub classes: Vec<Class>,
    /// Only this level and worse ones.
    pub level: Option<Level>,
    /// Every version that the history holds, too.
    pub history: bool,
    /// All that a stranger would learn once the repository is public.
    pub public: bool,
    /// A person's own limits, where the repository sets none.
    pub limits: GivenLimits,
}

impl ScanOptions {
    fn is_on_path(&self, finding: &Finding) -> bool {
        self.paths.is_empty() || finding.places().any(|place| self.is_at(&place.path))
    }

    /// Whether a path is one of those asked about, or in one, or above it.
    pub(crate) fn is_at(&self, at: &RepoPath) -> bool {
        let mut paths = self.paths.iter();
        self.paths.is_empty()
            || paths.any(|path| *at == **path || at.is_within(path) || path.is_within(at))
    }

    fn is_for(&self, finding: &Finding) -> bool {
        (self.classes.is_empty() || self.classes.contains(&finding.class()))
            && self.level.is_none_or(|level| finding.level <= level)
    }

    /// Whether all findings there are, are asked for.
    fn is_for_all(&self) -> bool {
        !self.staged && self.paths.is_empty() && self.classes.is_empty() && self.level.is_none()
    }
}

/// Runs every finder on what is on disk. `survey` is of the snapshot's tree; with
/// [`ScanOptions::ignored`], of its whole tree.
///
/// # Errors
/// If the tree, the settings or the index can't be read.
pub fn scan(snapshot: &Snapshot, survey: &Survey, options: &ScanOptions) -> Result<ScanResult> {
    let tree = if options.ignored {
        snapshot.whole_tree()?
    } else {
        snapshot.tree()?
    };
    run(&ScanContext {
        snapshot,
        settings: snapshot.settings()?,
        limits: snapshot.settings()?.limits.or(&options.limits),
        tree,
        survey,
        verdicts: &Verdicts::new(snapshot, Overlay::new())?,
        source: ContentSource::Disk(snapshot),
        options,
    })
}

/// Runs the finders on the staged contents. What they belong to is determined by what is around
/// them: walking the whole tree, or reading the whole index, would take longer than the commit that
/// waits.
///
/// # Errors
/// If there is no repository, or the settings, a template or what is staged can't be read.
pub fn scan_staged<T: std::ops::Deref<Target = [Template]> + Send>(
    snapshot: &Snapshot,
    templates: impl FnOnce() -> redshank_templates::Result<T> + Send,
    options: &ScanOptions,
) -> Result<ScanResult> {
    let repository = snapshot.needs_repository(Purpose::Staged)?;
    let settings = snapshot.settings()?;
    // The tables take as long to get ready as git to answer.
    let tables = || rayon::join(templates, redshank_secrets::preload);
    let (staged, (templates, ())) = rayon::join(|| repository.staged(), tables);
    let (staged, templates) = (staged?, templates?);
    let folders = templates.iter().flat_map(Template::marker_folders);
    let folders: HashSet<&[u8]> = folders.collect();
    let paths = staged.iter().map(|staged| RepoPath::new(&staged.path));
    let around = Tree::around(snapshot, paths, &|name| folders.contains(name));
    let survey = recognise(snapshot, &around, &templates);
    let (tree, source) = passes::staged(repository, staged)?;
    run(&ScanContext {
        snapshot,
        settings,
        limits: settings.limits.or(&options.limits),
        tree: &tree,
        survey: &survey,
        verdicts: &Verdicts::of_rules(snapshot)?,
        source,
        options,
    })
}

/// What a push would send and show: findings on the files that it changes, by what is on disk, and
/// on every version of them and every message on the way.
///
/// # Errors
/// If there is no repository, or the tree, the settings, the index or the versions can't be read.
pub fn scan_outgoing(
    snapshot: &Snapshot,
    survey: &Survey,
    options: &ScanOptions,
    destination: &Destination,
) -> Result<(Outgoing, ScanResult)> {
    let repository = snapshot.needs_repository(Purpose::History)?;
    let scan = ScanContext {
        snapshot,
        settings: snapshot.settings()?,
        limits: snapshot.settings()?.limits.or(&options.limits),
        tree: snapshot.tree()?,
        survey,
        verdicts: &Verdicts::new(snapshot, Overlay::new())?,
        source: ContentSource::Disk(snapshot),
        options,
    };
    // git walks through what goes out while the disk is looked at.
    let walk = || passes::search_push(&scan, repository, destination);
    let (walked, result) = rayon::join(walk, || run(&scan));
    let ((searched, outgoing), mut result) = (walked?, result?);
    let files = outgoing.files.iter();
    let files = files.filter(|file| file.change != Change::Removed);
    let files: HashSet<&RepoPath> = files.map(|file| RepoPath::new(&file.path)).collect();
    let bytes = Bytes(outgoing.bytes);
    let is_sent = |path: &RepoPath| {
        files.contains(path) || path.is_folder() && files.iter().any(|file| file.is_within(path))
    };
    // The versions show what a secret is in: the disk may hold it by now, or no longer.
    result.findings.retain(|found| {
        found.class() != Class::Secret && found.places().any(|one| is_sent(&one.path))
    });
    result
        .findings
        .extend(passes::find_unreachable(&scan, &files)?);
    let limit = scan.limits.push.filter(|limit| bytes > *limit);
    result
        .findings
        .extend(limit.map(|limit| finders::heavy_push(bytes, limit)));
    result.history_cut = searched.report(&scan, repository, &mut result.findings)?;
    passes::leave_out_accepted(&scan, &mut result);
    // Which acceptances stand for nothing, `check` tells.
    result
        .findings
        .retain(|found| !matches!(found.cause, Cause::StaleAcceptance { .. }));
    sort(&mut result.findings);
    drop(files);
    Ok((outgoing, result))
}

fn run(scan: &ScanContext) -> Result<ScanResult> {
    let phase = Phase::Find.begin();
    let mut result = ScanResult {
        unread: scan.tree.unread.clone(),
        ..ScanResult::default()
    };
    let (templates, findings) = TemplatePaths::find(scan)?;
    result.findings = findings;
    let mut known = Known {
        templates: &templates,
        content: ContentScan::default(),
        made: HashSet::new(),
    };
    // Reading what files hold takes the longest; meanwhile, names and links are looked at.
    let (content, around) = rayon::join(
        || ContentScan::run(scan, &templates),
        || find_around(scan, &templates),
    );
    let (content, seen) = content?;
    known.content = content;
    credentials::judge_environments(&mut result.findings, &seen.findings);
    result.findings.extend(seen.findings);
    result.unread.extend(seen.unread);
    result.accepted += seen.accepted;
    result.unopened = seen.unopened;
    let (made, origins) =
        passes::find_made(scan, &templates, std::mem::take(&mut known.content.judged))?;
    result.origins = origins;
    known.made = made.iter().map(|finding| finding.path.clone()).collect();
    result.findings.extend(made);
    result
        .findings
        .extend(find(finders::BY_NAME, scan, &known)?);
    passes::group(scan, &templates, &mut result.findings);
    result
        .findings
        .extend(find(finders::WITH_CONTENT, scan, &known)?);
    result.findings.extend(around?);
    if scan.options.public {
        passes::find_for_strangers(scan, &mut result.findings);
    }
    passes::respect_exceptions(scan, &mut result.findings)?;
    passes::fill_in_exposure(scan.snapshot, &mut result.findings)?;
    if scan.options.public {
        result.findings.extend(passes::find_people(scan)?);
    }
    let repository = scan.snapshot.repository.as_ref();
    if let Some(repository) = repository.filter(|_| scan.options.history) {
        let searched = passes::search_history(scan, repository)?;
        result.history_cut = searched.report(scan, repository, &mut result.findings)?;
    }
    let inside = scan
        .tree
        .to_commit()
        .filter(|entry| entry.kind == EntryKind::Repository);
    result.submodules = inside.map(|entry| entry.path.clone()).collect();
    passes::leave_out_accepted(scan, &mut result);
    passes::gather(&mut result.findings);
    result
        .findings
        .retain(|finding| scan.options.is_on_path(finding));
    result.leave_out(&|finding| !scan.options.is_for(finding));
    sort(&mut result.findings);
    phase.seen(result.findings.len() as u64, 0);
    Ok(result)
}

/// What shows without looking into files. What only the working tree can tell is left out for
/// staged contents.
fn find_around(scan: &ScanContext, templates: &TemplatePaths) -> Result<Vec<Finding>> {
    let known = Known {
        templates,
        content: ContentScan::default(),
        made: HashSet::new(),
    };
    let mut findings = find(finders::ANYWHERE, scan, &known)?;
    if !scan.options.staged {
        findings.extend(find(finders::ON_DISK, scan, &known)?);
    }
    Ok(findings)
}

fn find(finders: &[Finder], scan: &ScanContext, known: &Known) -> Result<Vec<Finding>> {
    let found = finders.par_iter().map(|finder| finder(scan, known));
    Ok(found.collect::<Result<Vec<_>>>()?.concat())
}

/// What to do first comes first: by level, class and how far it got; within a class the rule with
/// most bytes, whose findings stay together.
fn sort(findings: &mut [Finding]) {
    let mut weights: HashMap<FindingRule, Bytes> = HashMap::new();
    for finding in findings.iter() {
        *weights.entry(finding.rule.clone()).or_default() += finding.size.unwrap_or_default();
    }
    findings.sort_by(|a, b| {
        let key = |f: &Finding| {
            let weight = weights.get(&f.rule).copied();
            (f.level, f.class(), Reverse(f.exposure), Reverse(weight))
        };
        let within = |f: &Finding| {
            let rule = f.rule.to_string();
            (rule, Reverse(f.size), f.path.clone(), f.line)
        };
        key(a).cmp(&key(b)).then_with(|| within(a).cmp(&within(b)))
    });
}
