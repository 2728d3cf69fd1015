//! Judgements on all files of a tree, the neighbours' word included.

use crate::evidence::{Detail, Evidence, Judgement, Strength, Witness};
use crate::witnesses::format::is_media;
use crate::witnesses::language::{Group, language};
use crate::witnesses::place::{is_given, is_tools_output};
use crate::{Claim, Surroundings};
use bstr::BStr;
use foldhash::fast::FixedState;
use rayon::prelude::*;
use redshank_rules::RepoPath;
use redshank_worktree::tree::{Entry, EntryKind};
use std::collections::HashMap;

/// The judgement on each of some files of a tree.
#[derive(Default)]
pub struct Judgements<'a> {
    /// Sorted by path.
    files: Vec<(&'a RepoPath, Judgement)>,
    /// For each folder but the top, what its files amount to, those in folders in it included.
    folders: HashMap<&'a RepoPath, Share, FixedState>,
    /// For each folder and ending, what the files right in it amount to.
    kinds: HashMap<(&'a RepoPath, Option<&'a BStr>), Kind, FixedState>,
}

/// What the files of a folder amount to.
#[derive(Debug, Default, Clone, Copy, PartialEq, Eq)]
struct Share {
    made: u64,
    /// Those of them that show it by more than a name.
    surely: u64,
    authored: u64,
    unknown: u64,
    /// How many of the files right in it surely are made.
    beside: u64,
    /// In how many of its folders such files are.
    branches: u64,
    /// Those that surely are made, often kept ones included.
    judged: u64,
    /// Pages that show that a tool wrote them.
    made_pages: u64,
    /// Those of them right in it, and the folders in it that hold some.
    pages_beside: u64,
    page_branches: u64,
    /// Other pages, and files that more than their language speaks for as somebody's.
    peoples: u64,
    /// Files that only a text outside of the folder speaks for as somebody's.
    peoples_by_text: u64,
}

impl Share {
    /// Whether it is what a tool wrote for people to look at: pages, and what they show. What holds
    /// one such folder and something that looks like somebody's, is none.
    fn is_report(&self) -> bool {
        let is_root = self.pages_beside > 0 || self.page_branches >= BRANCHES || self.authored == 0;
        self.made_pages > 0 && is_root && self.peoples + self.peoples_by_text == 0
    }

    /// Counts a file that is right in the folder.
    fn count(&mut self, path: &RepoPath, judgement: &Judgement) {
        let is_made = judgement.is_made(Strength::Likely);
        let is_judged = is_judged(judgement);
        let is_page = is_page(path);
        let is_peoples =
            is_page && !is_made || matches!(Vouched::of(path, judgement), Vouched::More);
        self.beside += u64::from(is_judged);
        self.judged += u64::from(is_judged);
        self.made_pages += u64::from(is_page && is_judged);
        self.pages_beside += u64::from(is_page && is_judged);
        self.peoples += u64::from(is_peoples);
        match () {
            // What may be kept on purpose, no rule for the folder takes along.
            () if judgement.is_often_kept() => self.unknown += 1,
            () if is_made => {
                self.made += 1;
                self.surely += u64::from(is_judged);
            }
            () if judgement.is_authored(Strength::Likely) => self.authored += 1,
            () => self.unknown += 1,
        }
    }

    /// Counts a folder that is right in the folder.
    fn add(&mut self, inner: &Self) {
        self.made += inner.made;
        self.surely += inner.surely;
        self.authored += inner.authored;
        self.unknown += inner.unknown;
        self.judged += inner.judged;
        self.branches += u64::from(inner.judged > 0);
        self.made_pages += inner.made_pages;
        self.page_branches += u64::from(inner.made_pages > 0);
        self.peoples += inner.peoples;
    }
}

/// Whether a file surely is made, and not by a template's word.
fn is_judged(judgement: &Judgement) -> bool {
    judgement.is_made(Strength::Likely)
        && judgement.has_more_than_a_name()
        && !judgement.is_by_template()
}

/// What the files of one ending right in a folder amount to.
#[derive(Debug, Default, Clone, Copy, PartialEq, Eq)]
struct Kind {
    /// Those that show by themselves that they are made.
    surely: u64,
    /// Those of them that their first bytes show.
    of_a_format: u64,
    authored: u64,
}

impl Kind {
    fn of(judgement: &Judgement) -> Self {
        // What was made of a source beside it says nothing of another that has none.
        let is_of_itself =
            |one: &Evidence| matches!(one.witness, Witness::SaysSo | Witness::Format);
        let is_telling = is_judged(judgement) && judgement.reason().is_some_and(is_of_itself);
        let mut evidence = judgement.evidence.iter();
        let is_of_a_format = is_telling && evidence.any(|one| one.witness == Witness::Format);
        Self {
            surely: u64::from(is_telling),
            of_a_format: u64::from(is_of_a_format),
            authored: u64::from(judgement.is_authored(Strength::Likely)),
        }
    }

    fn add(&mut self, other: Self) {
        self.surely += other.surely;
        self.of_a_format += other.of_a_format;
        self.authored += other.authored;
    }
}

/// Closes the open folders that a path isn't in, or all: each counts for the one that it is in.
fn close<'a>(
    open: &mut Vec<(&'a RepoPath, Share)>,
    closed: &mut HashMap<&'a RepoPath, Share, FixedState>,
    path: Option<&RepoPath>,
) {
    let is_open = |folder: &RepoPath| path.is_some_and(|path| path.is_within(folder));
    while let Some((folder, share)) = open.pop_if(|(folder, _)| !is_open(folder)) {
        if let Some((_, above)) = open.last_mut() {
            above.add(&share);
        }
        closed.insert(folder, share);
    }
}

/// From so many made files on, a folder without an authored one is taken for what made them.
const NEIGHBOURS: u64 = 2;
/// What is in so many folders of a folder, is all over it.
const BRANCHES: u64 = 2;
/// So many times more made files there must be than authored ones, for the rest to be most.
const FEW: u64 = 6;
/// So many times more surely made files there must be than unknown ones for these to go along.
const STRAY: u64 = 16;
/// From so many on, they are many.
const MANY: u64 = 8;

impl<'a> Judgements<'a> {
    /// Judges these files, each with what a template says of it and its first bytes, which are read
    /// if they aren't given.
    pub fn gather(around: &Surroundings, files: Vec<(&'a Entry, Option<Claim>)>) -> Self {
        Self::hear_neighbours(around.judge_all(files))
    }

    /// Adds the neighbours' word to judgements on single files, in any order.
    pub fn hear_neighbours(mut files: Vec<(&'a RepoPath, Judgement)>) -> Self {
        files.sort_unstable_by_key(|(path, _)| *path);
        let mut all = Self {
            files,
            ..Self::default()
        };
        all.sum_up();
        all.hear(Self::neighbours);
        // Which pages belong together is known by now.
        if all.folders.values().any(Share::is_report) {
            all.hear(Self::report);
        }
        all
    }

    /// Adds what is said of each file that isn't known to be made yet.
    fn hear(&mut self, says: fn(&Self, &RepoPath, &Judgement) -> Option<Evidence>) {
        let files = self.files.par_iter().enumerate();
        let open = files.filter(|(_, (_, judgement))| {
            !judgement.is_made(Strength::Strong)
                || !judgement.is_shown()
                || judgement.is_often_kept()
        });
        let heard: Vec<(usize, Evidence)> = open
            .filter_map(|(at, (path, judgement))| Some((at, says(self, path, judgement)?)))
            .collect();
        if heard.is_empty() {
            return;
        }
        for (at, evidence) in heard {
            let known = &mut self.files[at].1;
            let mut own = std::mem::take(&mut known.evidence);
            // Reports hold styles, scripts and data in the languages that people write, too,
            // and their pages name them.
            if evidence.row == REPORT {
                own.retain(|one| one.weight.0 > 0 || counts_in_a_report(one));
            }
            own.push(evidence);
            *known = Judgement::weigh(own);
        }
        self.sum_up();
    }

    fn sum_up(&mut self) {
        self.folders.clear();
        self.kinds.clear();
        // The folders on the way to the file at hand, the uppermost first: files are sorted.
        let mut open: Vec<(&RepoPath, Share)> = Vec::new();
        for (path, judgement) in &self.files {
            close(&mut open, &mut self.folders, Some(path));
            let known = open.len();
            let further = path.folders_above().skip(known);
            open.extend(further.map(|folder| (folder, Share::default())));
            let kind = Kind::of(judgement);
            if kind != Kind::default() {
                let all = self.kinds.entry((path.folder(), path.extension()));
                all.or_default().add(kind);
            }
            let Some((_, share)) = open.last_mut() else {
                continue;
            };
            share.count(path, judgement);
            if let Vouched::Text(text) = Vouched::of(path, judgement) {
                // It is outside of the folders that the text isn't in.
                let apart = open
                    .iter_mut()
                    .filter(|(folder, _)| !text.is_within(folder));
                apart.for_each(|(_, share)| share.peoples_by_text += 1);
            }
        }
        close(&mut open, &mut self.folders, None);
    }

    /// What the other files of its folder say of a file: of the uppermost folder of which most is
    /// made and nothing is authored.
    fn neighbours(&self, path: &RepoPath, own: &Judgement) -> Option<Evidence> {
        if is_given(path) {
            return None;
        }
        // Sources, prose and files of known names are somebody's wherever they are, but where a
        // tool that is used here keeps what it makes.
        let is_of_people = matches!(language(path), Some((_, Group::Code | Group::Prose)));
        let is_known = |one: &Evidence| one.row.starts_with("known-");
        let is_known = own.evidence.iter().any(is_known);
        let has = |row: &str| own.evidence.iter().any(|one| one.row == row);
        let is_tools = has("any-name-of-output") && !own.is_authored(Strength::Hint);
        let is_among_many = !is_known && has("code-in-output") && !has("by-name");
        if (is_of_people || is_known) && !is_tools && !is_among_many {
            return None;
        }
        let is_own_authored = own.is_authored(Strength::Likely);
        let beside = self
            .folders
            .get(path.folder())
            .map_or(0, |share| share.beside);
        let found = path.folders_above().find_map(|folder| {
            let share = self.folders.get(folder)?;
            // One folder of made files below says nothing of what is above it.
            if beside == 0 && share.branches < BRANCHES {
                return None;
            }
            let authored = share.authored - u64::from(is_own_authored);
            let is_made = share.surely >= NEIGHBOURS && share.surely * 3 >= share.unknown;
            match authored {
                0 if is_made && share.surely >= MANY => Some((folder, "many", share.surely)),
                0 if is_made => Some((folder, "some", share.surely)),
                _ if is_made && share.surely >= MANY && authored * FEW <= share.surely => {
                    Some((folder, "most", share.surely))
                }
                _ => None,
            }
        });
        let alike = self.kinds.get(&(path.folder(), path.extension()));
        let is_of_a_format = own
            .evidence
            .iter()
            .any(|one| one.witness == Witness::Format);
        let is_of_programs = !matches!(
            language(path),
            Some((_, Group::Text | Group::Settings | Group::Data))
        );
        let is_alike = path.extension().is_some()
            && is_of_programs
            && alike.is_some_and(|kind| {
                // A text among programs is none of them, whatever it is called.
                let is_of_form = is_of_a_format || kind.of_a_format < kind.surely;
                kind.surely >= NEIGHBOURS && kind.authored == 0 && is_of_form
            });
        let found = found.filter(|(_, row, _)| match () {
            // A picture among pictures that a tool drew may be the one that somebody took, and a
            // page beside bundled scripts the one that loads them.
            () if is_media(path) || language(path).is_some() => *row == "many",
            () => true,
        });
        if is_alike && !is_media(path) && found.is_none_or(|(_, row, _)| row != "many") {
            let detail = Detail::Neighbours {
                folder: path.folder().to_owned(),
                made: alike.map_or(0, |kind| kind.surely),
            };
            return Some(Evidence::new(Witness::Neighbours, "same-kind", detail));
        }
        if let Some((folder, row, made)) = found {
            let detail = Detail::Neighbours {
                folder: folder.to_owned(),
                made,
            };
            return Some(Evidence::new(Witness::Neighbours, row, detail));
        }
        // Where people write, what nothing vouches for is more likely theirs.
        let share = self.folders.get(path.folder())?;
        let authored = share.authored - u64::from(is_own_authored);
        (authored > 0 && share.surely == 0).then(|| {
            let detail = Detail::Folder(path.folder().name().to_owned());
            Evidence::new(Witness::Neighbours, "authored", detail)
        })
    }

    /// That a file belongs to a report: the uppermost folder whose pages a tool wrote.
    fn report(&self, path: &RepoPath, own: &Judgement) -> Option<Evidence> {
        if is_page(path) || is_setting_of_people(path) {
            return None;
        }
        let vouched = Vouched::of(path, own);
        let mut above = path.folders_above().filter(|folder| !folder.is_top());
        let (folder, made) = above.find_map(|folder| {
            let share = self.folders.get(folder)?;
            let is_its = share.is_report() && !vouched.is_outside(folder);
            is_its.then(|| (folder.to_owned(), share.made_pages))
        })?;
        let detail = Detail::Neighbours { folder, made };
        Some(Evidence::new(Witness::Neighbours, REPORT, detail))
    }

    /// The judgement on a file.
    pub fn on(&self, path: &RepoPath) -> Option<&Judgement> {
        let at = self
            .files
            .binary_search_by(|(known, _)| (**known).cmp(path));
        Some(&self.files[at.ok()?].1)
    }

    /// The uppermost folder on the way to a file, all of whose files are made, and at least `least`;
    /// one is enough in a folder of output.
    pub fn made_folder<'p>(&self, path: &'p RepoPath, least: u64) -> Option<&'p RepoPath> {
        path.folders_above().find(|folder| {
            let is_of_output = is_tools_output(folder.name());
            let least = if is_of_output { 1 } else { least };
            self.folders.get(folder).is_some_and(|share| {
                (share.surely > 0 || is_of_output)
                    && share.made >= least
                    && share.authored == 0
                    && share.unknown * STRAY <= share.surely
            })
        })
    }

    /// All judgements, sorted by path.
    pub fn iter(&self) -> impl Iterator<Item = (&'a RepoPath, &Judgement)> {
        self.files
            .iter()
            .map(|(path, judgement)| (*path, judgement))
    }
}

/// The kind of evidence that a file belongs to the pages that a tool wrote.
pub(crate) const REPORT: &str = "of-a-report";

/// Whether a file is a page for a browser.
fn is_page(path: &RepoPath) -> bool {
    matches!(language(path), Some(("html" | "htm" | "xhtml", _)))
}

/// Whether a file is a setting in a language that people write for tools, and tools hardly for
/// pages.
fn is_setting_of_people(path: &RepoPath) -> bool {
    const OF_PAGES: &[&str] = &["json", "xml", "map", "webmanifest"];
    matches!(language(path), Some((ending, Group::Settings)) if !OF_PAGES.contains(&ending))
}

/// Whether evidence for an author counts in a report: neither what
/// language is, nor what its neighbours say or its own pages name.
fn counts_in_a_report(one: &Evidence) -> bool {
    !matches!(
        one.witness,
        Witness::Language | Witness::Neighbours | Witness::Referenced
    )
}

/// Who vouches for a file's being authored, beyond its language.
enum Vouched<'j> {
    Nobody,
    /// Only a text that names it: nobody, where the text is in the same report.
    Text(&'j RepoPath),
    More,
}

impl<'j> Vouched<'j> {
    fn of(path: &RepoPath, judgement: &'j Judgement) -> Self {
        if judgement.is_made(Strength::Likely) {
            return Self::Nobody;
        }
        // In a language that only people write, or as a person said.
        if matches!(language(path), Some((_, Group::Code | Group::Prose)))
            || judgement.is_by_policy()
        {
            return Self::More;
        }
        let mut vouched = Self::Nobody;
        for one in judgement.evidence.iter().filter(|one| one.weight.0 < 0) {
            match (&one.detail, one.witness) {
                (_, Witness::Language | Witness::Neighbours | Witness::Format) => {}
                // Pages are kept among assets and documents.
                (_, Witness::Place)
                    if one.row.starts_with("assets") || one.row == "documentation" => {}
                (Detail::NamedBy { file, .. }, Witness::Referenced) => {
                    vouched = Self::Text(file);
                }
                _ => return Self::More,
            }
        }
        vouched
    }

    /// Whether somebody does who isn't in this folder.
    fn is_outside(&self, folder: &RepoPath) -> bool {
        match self {
            Self::Nobody => false,
            Self::Text(text) => !text.is_within(folder),
            Self::More => true,
        }
    }
}

impl Surroundings<'_> {
    /// Judges each of these files by itself, with what a template says of it.
    pub fn judge_all<'t>(
        &self,
        files: Vec<(&'t Entry, Option<Claim>)>,
    ) -> Vec<(&'t RepoPath, Judgement)> {
        let files = files.into_par_iter();
        let files = files.filter(|(entry, _)| entry.kind == EntryKind::File);
        files
            .map(|(entry, claim)| (&*entry.path, self.judge_entry(entry, claim.as_ref())))
            .collect()
    }

    /// Judges a file of the tree by itself, with what a template says of it.
    pub fn judge_entry(&self, entry: &Entry, claim: Option<&Claim>) -> Judgement {
        let head = self.head_of_size(&entry.path, Some(entry.size));
        self.judge_by_head(&entry.path, entry.size, &head, claim)
    }
}
