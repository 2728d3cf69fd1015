//! Whether what is at a path contradicts what a template says of it.

use crate::evidence::{Evidence, Judgement, Origin, Strength, Witness};
use crate::judgements::REPORT;
use crate::witnesses::language::{Group, language};
use crate::witnesses::place::is_given;
use crate::{Basis, Claim, Judgements, Surroundings, mark};
use bstr::ByteSlice;
use redshank_files::FileKind;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_worktree::size::Bytes;
use std::collections::BTreeSet;

/// What some of a folder's files amount to, each judged by itself and by its neighbours.
#[derive(Debug, Default, Clone, PartialEq, Eq)]
pub struct Share {
    /// Files that are made, at least likely.
    pub made: u64,
    /// Those of them that show it by more than a name.
    pub shown: u64,
    /// Files that nothing vouches for.
    pub unknown: u64,
    /// Those of them that people write such files as.
    pub perhaps: u64,
    /// Files that are authored, at least likely.
    pub authored: Vec<RepoPathBuf>,
    /// The folders of files that show that a tool made them, and those above them.
    pub of_tools: BTreeSet<RepoPathBuf>,
}

/// At most this many files of a folder are looked at.
const LOOKED_AT: usize = 240;
/// So many times as many files there must be that nobody writes as authored ones deep in a folder.
const FEW: u64 = 2;
/// From so many files on that show that a tool made them, a folder is a tool's.
const TOOLS: u64 = 3;
/// How deep a folder is listed that the walk did not enter.
const DEEPEST: usize = 4;

/// What a package manager leaves in a folder that it fills.
const INSTALLED: [&str; 12] = [
    "autoload.php",
    "composer/installed.json",
    "modules.txt",
    "Manifest.lock",
    "fetch.json",
    "platforms.json",
    "Pods.xcodeproj",
    ".package-lock.json",
    ".modules.yaml",
    ".yarn-integrity",
    ".yarn-state.yml",
    ".bin",
];

impl Share {
    /// Whether nothing in the same folder, nor in those above it up to `folder`, shows that a tool
    /// made it.
    fn is_apart(&self, path: &RepoPath, folder: &RepoPath) -> bool {
        let mut above = path
            .folders_above()
            .filter(|above| above.is_within(folder) && *above != folder);
        above.all(|above| !self.of_tools.contains(above))
    }
}

impl Surroundings<'_> {
    /// Whether somebody wrote what a template claims: a rule that ignored it would swallow work. A
    /// folder's path ends in a slash.
    pub fn contradicts(&self, path: &RepoPath, claim: &Claim) -> bool {
        let key = (path.to_owned(), claim.basis);
        if let Some(known) = self.contradicted.lock().get(&key) {
            return *known;
        }
        let answer = if path.is_folder() {
            self.folder_contradicts(path, claim)
        } else {
            !self.judge(path, Some(claim)).is_made(Strength::Likely)
        };
        self.contradicted.lock().insert(key, answer);
        answer
    }

    fn folder_contradicts(&self, folder: &RepoPath, claim: &Claim) -> bool {
        match claim.basis {
            Basis::Mark => false,
            // What a tool alone makes may still be kept for a test: what nothing installed.
            Basis::ToolsName => is_given(folder) && !self.is_installed(folder),
            Basis::OneName | Basis::AnyName if self.is_installed(folder) => false,
            Basis::OneName | Basis::AnyName => {
                let share = self.share(folder);
                // Beside what a tool made, a few deep in it are copies; right in it, they are
                // somebody's.
                let is_right_here = share.authored.iter().any(|path| path.folder() == folder);
                let apart = share
                    .authored
                    .iter()
                    .filter(|path| share.is_apart(path, folder));
                is_given(folder)
                    || is_right_here
                    || apart.count() as u64 * FEW > share.made + share.unknown - share.perhaps
            }
        }
    }

    /// Whether somebody wrote what is in a folder that a text calls output; where it can mean nothing
    /// else, pages and data there are the tool's.
    pub(crate) fn is_peoples(&self, folder: &RepoPath, is_sure: bool) -> bool {
        if is_sure {
            if let Some(known) = self.peoples.lock().get(folder) {
                return *known;
            }
            let share = self.share(folder);
            let peoples = share
                .authored
                .iter()
                .filter(|path| matches!(language(path), Some((_, Group::Code | Group::Prose))))
                .count() as u64;
            let answer = is_given(folder) || peoples * FEW > share.made + share.unknown;
            self.peoples.lock().insert(folder.to_owned(), answer);
            return answer;
        }
        let claim = Claim {
            template: String::new(),
            reason: String::new(),
            origin: Origin::Generated,
            basis: Basis::AnyName,
            place: folder.to_owned(),
        };
        self.contradicts(folder, &claim)
    }

    /// Whether a package manager filled a folder.
    fn is_installed(&self, folder: &RepoPath) -> bool {
        let root = &self.snapshot.root;
        // Where a sub-project is fetched from (mesonbuild.com, "Wrap dependency system manual").
        let wrap = [folder.bare().as_bytes(), b".wrap"].concat();
        if self.head(wrap.as_bstr().into()).contains_str("url") {
            return true;
        }
        INSTALLED
            .iter()
            .any(|name| root.is_there(&folder.join(name)))
    }

    /// What the files of a folder amount to, whatever a template says of it.
    pub fn share(&self, folder: &RepoPath) -> Share {
        self.share_of(folder, LOOKED_AT)
    }

    /// The same of at most so many of its files, which stand all over it.
    pub fn share_of(&self, folder: &RepoPath, most: usize) -> Share {
        let files = self.files_in(folder);
        let apart = files.len().div_ceil(most).max(1);
        let judged: Vec<(&RepoPath, Judgement)> = files
            .iter()
            .step_by(apart)
            .map(|(path, size)| {
                let size = size.unwrap_or_else(|| self.size_of(path));
                (&**path, self.judge_whatever_the_folder(path, size))
            })
            .collect();
        let mut share = Share::default();
        let mut authored = Vec::new();
        let judgements = Judgements::hear_neighbours(judged);
        for (path, judgement) in judgements.iter() {
            match () {
                () if judgement.is_made(Strength::Likely) => {
                    share.made += 1;
                    if judgement.has_more_than_a_name() {
                        share.shown += 1;
                        let above = path.folders_above().map(ToOwned::to_owned);
                        share.of_tools.extend(above);
                    }
                }
                () if judgement.is_authored(Strength::Likely) => authored.push((path, judgement)),
                () => {
                    share.unknown += 1;
                    share.perhaps += u64::from(judgement.may_be_authored());
                }
            }
        }
        // Where a tool surely works, a language alone is its as well, but for code right beside it.
        let is_tools = share.shown >= TOOLS;
        authored.retain(|(path, judgement)| {
            let is_of_language = matches!(language(path), Some((_, Group::Code | Group::Prose)));
            !is_tools || judgement.is_vouched_for() || is_of_language && path.folder() == folder
        });
        share.authored = authored
            .into_iter()
            .map(|(path, _)| path.to_owned())
            .collect();
        share.authored.sort();
        share
    }

    /// The files right in a folder that somebody wrote, at least that surely.
    pub fn authored_in(&self, folder: &RepoPath, least: Strength) -> Vec<RepoPathBuf> {
        let files = self.files_in(folder).into_iter();
        let direct = files.filter(|(path, _)| path.folder() == folder);
        let authored = direct.take(LOOKED_AT).filter(|(path, size)| {
            let size = size.unwrap_or_else(|| self.size_of(path));
            let judgement = self.judge_whatever_the_folder(path, size);
            judgement.is_authored(least)
        });
        authored.map(|(path, _)| path).collect()
    }

    pub(crate) fn size_of(&self, path: &RepoPath) -> Bytes {
        let meta = self.snapshot.root.meta(path);
        Bytes(meta.map_or(0, |meta| meta.size))
    }

    /// The files of a folder: of the tree, with their sizes, or, where the walk did not enter it,
    /// from the disk.
    fn files_in(&self, folder: &RepoPath) -> Vec<(RepoPathBuf, Option<Bytes>)> {
        let below = self.tree.below(folder);
        let known: Vec<_> = below
            .filter(|entry| *entry.path != *folder)
            .map(|entry| (entry.path.clone(), Some(entry.size)))
            .collect();
        if !known.is_empty() {
            return known;
        }
        let mut files = Vec::new();
        let mut folders = vec![(folder.to_owned(), 0)];
        while let Some((here, depth)) = folders.pop() {
            for (name, kind) in self.snapshot.root.list(&here).unwrap_or_default() {
                match kind {
                    _ if name == ".git" => {}
                    FileKind::Folder if depth < DEEPEST => {
                        folders.push((here.join(&name).as_folder(), depth + 1));
                    }
                    FileKind::File => {
                        let path = here.join(&name);
                        files.push((path, None));
                    }
                    _ => {}
                }
            }
            if files.len() > 2 * LOOKED_AT {
                break;
            }
        }
        files
    }
}

/// So much the name of a folder of output says for it to be enough.
const TELLING: i32 = 8;

/// So much, and only tools give the folder its name.
const ONLY_TOOLS: i32 = 25;

/// So much, and a page there is one that a tool wrote.
const SURE: i32 = 20;

/// Whether the name of a folder says that tools keep there what they make.
fn is_of_output(one: &Evidence) -> bool {
    one.witness == Witness::Place && one.row.starts_with("output") && one.weight.0 >= TELLING
}

impl Judgement {
    /// Whether somebody may have written it: nothing shows that it is made, and people write such
    /// files.
    pub fn may_be_authored(&self) -> bool {
        !self.origin.is_made()
            && self.evidence.iter().any(|one| match one.witness {
                Witness::Language => ["code", "page", "prose", "settings", "script"]
                    .iter()
                    .any(|group| one.row.starts_with(group)),
                Witness::Name => one.row.starts_with("known-"),
                _ => false,
            })
    }

    /// Whether more than the language it is written in speaks for an author.
    fn is_vouched_for(&self) -> bool {
        self.evidence.iter().any(|one| {
            let is_of_language = one.witness == Witness::Language && !one.row.starts_with("prose");
            one.weight.0 < 0 && !is_of_language && one.witness != Witness::Neighbours
        })
    }

    /// Whether many keep such a file on purpose, and nothing here but its own word says that a tool
    /// makes it again.
    pub fn is_often_kept(&self) -> bool {
        // A page that a tool wrote is one of its pages; sources and settings are kept.
        let is_page = |one: &Evidence| {
            one.witness == Witness::Language && matches!(one.word, "html" | "htm" | "xhtml")
        };
        let is_page = self.evidence.iter().any(is_page);
        // A picture that a document shows is missed on the host's page.
        if self.evidence.iter().any(|one| one.row == "by-document") {
            return self.origin.is_made();
        }
        let is_code =
            |one: &Evidence| one.witness == Witness::Language && one.row.starts_with("code");
        let is_code = self.evidence.iter().any(is_code);
        let compiled = [
            "translated-code",
            "interface-code",
            "marked-code",
            "listing",
        ];
        let mut said = self.evidence.iter();
        let is_of_interface = is_code
            && self
                .evidence
                .iter()
                .any(|one| one.witness == Witness::SaysSo && one.row == "interface-code");
        let is_compiled = is_code
            && said.any(|one| one.witness == Witness::SaysSo && compiled.contains(&one.row));
        let is_marked_source = |one: &Evidence| {
            let rows = ["marked-code", "generated-note", "bindings"];
            is_code && one.witness == Witness::SaysSo && rows.contains(&one.row)
        };
        let is_tools_place = self.is_in_tools_places();
        self.origin.is_made()
            && self.evidence.iter().any(|one| match one.witness {
                Witness::SaysSo | Witness::Name if one.row == "minified" => true,
                Witness::SaysSo => !is_page && mark(one.row).is_some_and(|mark| mark.kept),
                _ => false,
            })
            && !self.evidence.iter().any(|one| {
                let is_of_the_project = match one.witness {
                    Witness::Tool | Witness::Referenced | Witness::Rebuilt => true,
                    Witness::Name => one.row.starts_with("only-"),
                    Witness::Neighbours => one.row == REPORT,
                    // Marked sources that a script writes are as often as not committed.
                    Witness::Declared => !self.evidence.iter().any(is_marked_source),
                    Witness::Place if one.row == "hidden" => true,
                    Witness::Place if is_tools_place => true,
                    Witness::Place => {
                        is_of_output(one) && !self.evidence.iter().any(is_marked_source)
                    }
                    // Of a source beside it, the compiler makes it again at each build.
                    Witness::Derived => {
                        ["beside-sure", "release", "copy-parallel"].contains(&one.row)
                            || one.row == "beside" && is_compiled
                            || one.row == "elsewhere" && is_of_interface
                    }
                    _ => false,
                };
                one.weight.0 > 0 && is_of_the_project
            })
    }

    /// Whether the folders that it is in are surely a tool's: two such folders, one in the other, or
    /// one that only tools call so.
    fn is_in_tools_places(&self) -> bool {
        self.evidence
            .iter()
            .filter(|one| is_of_output(one) || one.row == "hidden")
            .count()
            > 1
            || self
                .evidence
                .iter()
                .any(|one| one.row == "output-sure" && one.weight.0 >= ONLY_TOOLS)
    }

    /// Whether more than a name speaks for its being made: of itself, of what is beside it, or of the
    /// folder of output that it is in, where another witness agrees.
    pub fn is_shown(&self) -> bool {
        let is_of_neighbours =
            |one: &Evidence| one.witness == Witness::Neighbours && one.weight.0 > 0;
        // A page in `dist/` needs no other witness.
        let is_page =
            |one: &Evidence| one.witness == Witness::Language && one.row.starts_with("page");
        let is_page = self.evidence.iter().any(is_page);
        // Whatever appends to a log, people don't.
        let is_log = |one: &Evidence| one.witness == Witness::Name && one.row == "log";
        self.has_more_than_a_name()
            || self.evidence.iter().any(is_of_neighbours)
            || self.is_made(Strength::Strong) && self.is_in_tools_places()
            || self.evidence.iter().any(is_log)
                && !self.evidence.iter().any(|one| one.row == "by-name")
            || self.is_made(Strength::Strong)
                && self.evidence.iter().any(is_of_output)
                && self.evidence.iter().any(|one| match one.witness {
                    Witness::Place => is_page && one.weight.0 >= SURE,
                    // What language a file in such a folder is in, is no more than its name.
                    Witness::Language => one.weight.0 > 0 && self.is_in_sure_place(),
                    _ => one.weight.0 > 0,
                })
    }

    /// Whether a folder that it is in has a name that hardly anybody gives but a tool.
    fn is_in_sure_place(&self) -> bool {
        let mut places = self.evidence.iter().filter(|one| is_of_output(one));
        places.any(|one| one.weight.0 >= ONLY_TOOLS)
    }

    /// Whether more than a name speaks for its being made.
    pub(crate) fn has_more_than_a_name(&self) -> bool {
        self.evidence.iter().any(|one| {
            let is_of_names = match one.witness {
                Witness::Place | Witness::Neighbours | Witness::Language => true,
                Witness::Name => !one.row.starts_with("only-"),
                Witness::Tool => one.row.starts_with("any-name"),
                _ => false,
            };
            one.weight.0 > 0 && !is_of_names
        })
    }
}
