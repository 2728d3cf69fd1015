//! Files that come in pairs: an asset, and beside it what another tool keeps of it.

use crate::{ByHand, Cause, Evidence, Finding, Known, Level, Result, ScanContext};
use bstr::ByteSlice;
use redshank_files::FileKind;
use redshank_rules::PatternSet;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_templates::{Companion, Project};
use redshank_worktree::Class;
use redshank_worktree::tree::{Entry, EntryKind, State};
use std::collections::BTreeSet;

/// How many are named.
const NAMED: usize = 3;

pub(super) fn find(scan: &ScanContext, _known: &Known) -> Result<Vec<Finding>> {
    let mut findings = Vec::new();
    for project in &scan.survey.projects {
        for pair in &project.template.companion {
            let pairs = Pairs::find(scan, project, pair);
            let extension = || pair.extension.clone();
            let missing = Cause::CompanionMissing {
                extension: extension(),
                reason: pair.reason.clone(),
            };
            let without = pairs.without(scan);
            let found = finding(project, pair, "companion-missing", missing, &without);
            findings.extend(found.map(|found| found.by_hand(ByHand::OpenInEditor)));
            let alone = Cause::CompanionAlone {
                extension: extension(),
            };
            let found = finding(project, pair, "companion-alone", alone, &pairs.alone(scan));
            findings.extend(found.map(|found| found.by_hand(ByHand::DeleteOrLetIn)));
        }
    }
    Ok(findings)
}

/// One finding for all these paths; nothing for none.
fn finding(
    project: &Project,
    pair: &Companion,
    name: &str,
    cause: Cause,
    paths: &[RepoPathBuf],
) -> Option<Finding> {
    let first = paths.first()?;
    // One of them is reported as itself, several as what is in their project's folder.
    let at = if paths.len() == 1 || project.folder.is_empty() {
        first
    } else {
        &project.folder
    };
    let named = paths.iter().take(NAMED).cloned().collect();
    Some(Finding {
        files: paths.len() as u64,
        ..Finding::new(Class::Needed, name, Level::Warning, at, cause)
            .with_cause(pair.extension.as_bytes())
            .with_evidence(Evidence::Paths(named, paths.len() > NAMED))
    })
}

/// What would be committed of a project's pairs, each by the name of the asset.
struct Pairs<'t> {
    extension: &'t str,
    /// The assets that are there.
    assets: BTreeSet<&'t RepoPath>,
    /// Those that a companion is there of.
    companions: BTreeSet<&'t RepoPath>,
}

impl<'t> Pairs<'t> {
    fn find(scan: &ScanContext<'t>, project: &'t Project, pair: &'t Companion) -> Self {
        let mut pairs = Self {
            extension: &pair.extension,
            assets: BTreeSet::new(),
            companions: BTreeSet::new(),
        };
        let of: PatternSet = vec![pair.of.clone()].into();
        let folder = &project.folder;
        let is_file =
            |entry: &&Entry| entry.state != State::Ignored && entry.kind == EntryKind::File;
        for entry in scan.tree.below(folder).filter(is_file) {
            let below = entry.path.below(folder);
            if below.and_then(|below| of.topmost(below)).is_some() {
                pairs.add(&entry.path, folder, &of);
            }
        }
        pairs
    }

    fn add(&mut self, path: &'t RepoPath, folder: &RepoPath, of: &PatternSet) {
        if let Some(asset) = path.strip_suffix(self.extension.as_bytes()) {
            self.companions.insert(RepoPath::new(asset));
            return;
        }
        self.assets.insert(path);
        // The folders on the way are assets, too, but for the one that holds them all.
        let is_asset = |above: &&RepoPath| {
            let below = above.below(folder).filter(|below| !below.is_top());
            below.is_some_and(|below| of.has(below))
        };
        let folders = path.folders_above().filter(is_asset);
        self.assets.extend(folders.map(RepoPath::bare));
    }

    /// The companions that have no asset. An empty folder is no entry, but its companion is right
    /// beside it.
    fn alone(&self, scan: &ScanContext) -> Vec<RepoPathBuf> {
        let alone = self.companions.difference(&self.assets);
        let alone = alone.filter(|path| {
            is_visible(scan, path) && scan.snapshot.root.kind(path) != Some(FileKind::Folder)
        });
        alone
            .map(|asset| {
                [asset.as_bytes(), self.extension.as_bytes()]
                    .concat()
                    .into()
            })
            .collect()
    }

    /// The assets that have no companion.
    fn without(&self, scan: &ScanContext) -> Vec<RepoPathBuf> {
        let without = self.assets.difference(&self.companions);
        let visible = without.filter(|path| is_visible(scan, path));
        visible.map(|path| (*path).to_owned()).collect()
    }
}

/// Whether an editor would look at a path at all.
fn is_visible(scan: &ScanContext, path: &RepoPath) -> bool {
    !scan.settings.reserves(path)
        && !path
            .split_str("/")
            .any(|part| part.starts_with(b".") || part.ends_with(b"~"))
}
