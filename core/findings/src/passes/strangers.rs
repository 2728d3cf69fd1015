//! What a stranger would learn from a repository that is made public, beside secrets: names and
//! addresses of people, home folders, hosts inside a network, and licences that are missing.

use super::messages::place_of_commit;
use crate::finders::home_path_in;
use crate::{ByHand, Cause, Evidence, Exposure, Finding, Level, Past, Result, ScanContext};
use bstr::{BStr, ByteSlice};
use rayon::prelude::*;
use redshank_git::is_no_address;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_secrets::by_place;
use redshank_worktree::Class;
use redshank_worktree::tree::{Entry, EntryKind, State};
use regex::bytes::Regex;
use std::collections::BTreeMap;
use std::io::Read;
use std::sync::LazyLock;

/// Larger files aren't looked into for these, in bytes.
pub(super) const LARGEST: u64 = 4 << 20;

/// How many people are named.
const NAMED: usize = 5;

/// A host inside a network, where an address is: behind a scheme, a user, or a key for hosts. Names
/// under domains that are for private use (RFC 6762, appendix G; RFC 8375; ICANN on `.internal`),
/// and addresses of private networks (RFC 1918).
static HOST: LazyLock<Option<Regex>> = LazyLock::new(|| {
    Regex::new(
        r#"(?i-u)(?:://(?:[^\s/@"']*@)?|\b(?:host|hostname|server|endpoint|upstream|proxy|registry|address)["']?[ \t]*[:=][ \t]*["']?|@)(?P<host>(?:[a-z0-9-]+\.)+(?:internal|intranet|corp|lan|localdomain|home\.arpa)|10(?:\.\d{1,3}){3}|192\.168(?:\.\d{1,3}){2}|172\.(?:1[6-9]|2\d|3[01])(?:\.\d{1,3}){2})(?:[:/"'\s,;)]|$)"#,
    )
    .ok()
});

/// Hosts that are the same in everybody's network: of containers and clouds.
const EVERYBODYS: [&str; 5] = [
    "host.docker.internal",
    "gateway.docker.internal",
    "kubernetes.docker.internal",
    "host.containers.internal",
    "metadata.google.internal",
];

/// Folders in which others' work is.
const COPIES: [&str; 9] = [
    "vendor",
    "vendored",
    "third_party",
    "third-party",
    "thirdparty",
    "3rdparty",
    "external",
    "extern",
    "externals",
];

/// What the files are called that say what others may do (SPDX's and the Free Software Foundation's
/// advice), in small letters.
const LICENCES: [&str; 5] = ["license", "licence", "copying", "unlicense", "copyright"];

/// Adds what the files that are here say, and the licences that are missing.
pub(crate) fn find_for_strangers(scan: &ScanContext, findings: &mut Vec<Finding>) {
    findings.extend(licences(scan));
    let files = scan.tree.to_commit();
    let files: Vec<&Entry> = files
        .filter(|entry| entry.kind == EntryKind::File && entry.size.0 <= LARGEST)
        .collect();
    let seen = files.par_iter().flat_map_iter(|entry| {
        let mut held = Vec::new();
        let read = |contents: &mut dyn Read| contents.take(LARGEST).read_to_end(&mut held);
        // What can't be read was said by the pass before.
        let _ = scan.source.read(&entry.path, read);
        in_text(entry, &held)
    });
    let seen: Vec<Finding> = seen.collect();
    // It says more of the same.
    findings.retain(|known| {
        let is_less = matches!(known.cause, Cause::MachinePath);
        !is_less || seen.iter().all(|finding| finding.path != known.path)
    });
    findings.extend(seen);
}

/// What one version of a file says: at most one of a kind.
pub(super) fn in_text(entry: &Entry, text: &[u8]) -> Vec<Finding> {
    let start = &text[..text.len().min(8000)];
    if start.contains(&0) {
        return Vec::new();
    }
    let by_place = by_place(&entry.path).is_some();
    let level = if by_place {
        Level::Note
    } else {
        Level::Warning
    };
    let line_of = |at: usize| text[..at].find_iter("\n").count() as u64 + 1;
    let mut findings = Vec::new();
    if let Some(at) = home_path_in(text) {
        let made = Finding::on(entry, Class::Personal, "home-path", level, Cause::HomePath);
        let made = made
            .at_line(line_of(at))
            .with_evidence(Evidence::HomeFolder);
        findings.push(made.by_hand(ByHand::MakePathRelative));
    }
    let hosts = HOST.iter().flat_map(|host| host.captures_iter(text));
    let host = hosts.filter_map(|found| found.name("host")).find(|host| {
        let name = host.as_bytes().to_str_lossy().to_ascii_lowercase();
        !EVERYBODYS.contains(&&*name)
    });
    if let Some(host) = host {
        let name = host.as_bytes().to_str_lossy().into_owned();
        // An address of a private network is in many examples.
        let is_address = name.starts_with(|sign: char| sign.is_ascii_digit());
        let level = if is_address { Level::Note } else { level };
        let cause = Cause::InternalHost { host: name };
        let made = Finding::on(entry, Class::Reserved, "internal-host", level, cause);
        findings.push(
            made.at_line(line_of(host.start()))
                .by_hand(ByHand::HideHost),
        );
    }
    findings
}

/// Whom commits name, and the addresses that look wrong.
pub(crate) fn find_people(scan: &ScanContext) -> Result<Vec<Finding>> {
    let Some(repository) = &scan.snapshot.repository else {
        return Ok(Vec::new());
    };
    let people = repository.people()?;
    if people.is_empty() {
        return Ok(Vec::new());
    }
    let mut findings = Vec::new();
    for (author, named) in &people {
        if !is_no_address(BStr::new(author.email.as_bytes())) {
            continue;
        }
        let cause = Cause::OddAddress {
            who: author.clone(),
            commits: named.all.len() as u64,
        };
        let reach = repository.reach_of(&named.all)?;
        let place = place_of_commit(&named.all[0]);
        let level = Level::Warning;
        let made = Finding::new(Class::Personal, "odd-address", level, &place, cause);
        let made = made.with_cause(author.email.as_bytes());
        findings.push(Finding {
            state: State::Tracked,
            exposure: if reach.remotes.is_empty() {
                Exposure::Committed
            } else {
                Exposure::Pushed
            },
            past: Some(Past {
                commits: named.all.len() as u64,
                since: named.since.clone(),
                first: named.all.last().cloned().unwrap_or_default(),
                remotes: reach.remotes,
                branches: reach.branches,
                tags: reach.tags,
                is_last: false,
            }),
            ..made.by_hand(ByHand::ChangeAddress)
        });
    }
    let cause = Cause::People {
        who: people.keys().take(NAMED).map(ToString::to_string).collect(),
        all: people.len(),
    };
    // The same as long as the same people are named; git's own file for their names stands for them.
    let all: String = people.keys().map(ToString::to_string).collect();
    let place = RepoPath::new(".mailmap");
    let made = Finding::new(Class::Personal, "people", Level::Note, place, cause);
    findings.push(made.with_cause(all.as_bytes()).by_hand(ByHand::AskPeople));
    Ok(findings)
}

/// The licence of the whole, and of what was copied in.
fn licences(scan: &ScanContext) -> Vec<Finding> {
    let is_licence = |name: &BStr| {
        let name = name.to_ascii_lowercase();
        LICENCES.iter().any(|one| name.starts_with(one.as_bytes()))
    };
    let mut has_own = false;
    // For each folder of a copy, how many files it has, and whether a licence is among them.
    let mut copies: BTreeMap<RepoPathBuf, (u64, bool)> = BTreeMap::new();
    // The folders of copies that have a licence for all.
    let mut covered: Vec<RepoPathBuf> = Vec::new();
    for entry in scan.tree.to_commit_files() {
        let path = &*entry.path;
        let is_one = is_licence(path.name());
        let folder = path.folder();
        let is_own = folder.is_top() || path.as_bstr().starts_with(b"LICENSES/");
        has_own |= is_own && (is_one || !folder.is_top());
        let above: Vec<&RepoPath> = path.folders_above().collect();
        let of_copies = above.iter().find(|folder| {
            let name = folder.bare().name().to_ascii_lowercase();
            COPIES.iter().any(|copy| copy.as_bytes() == name)
        });
        let Some(of_copies) = of_copies else { continue };
        let rest = &path[of_copies.len()..];
        match rest.find_byte(b'/') {
            Some(slash) => {
                let copy = RepoPath::new(&path[..=of_copies.len() + slash]).to_owned();
                let known = copies.entry(copy).or_default();
                known.0 += 1;
                known.1 |= is_one;
            }
            None if is_one => covered.push((*of_copies).to_owned()),
            None => {}
        }
    }
    let bare = copies.into_iter().filter(|(copy, (_, has_one))| {
        !has_one && !covered.iter().any(|folder| copy.is_within(folder))
    });
    let mut findings: Vec<Finding> = bare
        .map(|(copy, (files, _))| {
            let cause = Cause::CopyWithoutLicence;
            let made = Finding::new(
                Class::Needed,
                "copied-licence",
                Level::Warning,
                &copy,
                cause,
            );
            let made = made.by_hand(ByHand::AddCopiedLicence);
            Finding { files, ..made }
        })
        .collect();
    if !has_own {
        let path = RepoPath::new("LICENSE");
        let made = Finding::new(
            Class::Needed,
            "licence",
            Level::Warning,
            path,
            Cause::NoLicence,
        );
        findings.push(made.by_hand(ByHand::AddLicence));
    }
    findings
}
