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
use std::collections::{HashMap, HashSet};

/// The judgement on each of some files of a tree.
#[derive(Default)]
pub struct Judgements<'a> {
    files: HashMap<&'a RepoPath, Judgement, FixedState>,
    /// For each folder, what its files amount to, those in folders in it included.
    folders: HashMap<&'a RepoPath, Share, FixedState>,
    /// For each folder, how many of the files right in it surely are made.
    beside: HashMap<&'a RepoPath, u64, FixedState>,
    /// For each folder and ending, what the files right in it amount to.
    kinds: HashMap<(&'a RepoPath, Option<&'a BStr>), Share, FixedState>,
}

/// What the files of a folder amount to.
#[derive(Debug, Default, Clone, Copy, PartialEq, Eq)]
struct Share {
    made: u64,
    /// Those of them that show it by more than a name.
    surely: u64,
    authored: u64,
    unknown: u64,
    /// In how many of its folders such files are.
    branches: u64,
    /// Those that their first bytes show.
    of_a_format: u64,
    /// Pages that show that a tool wrote them.
    made_pages: u64,
    /// Other pages, and files that more than their language speaks for as somebody's.
    peoples: u64,
}

impl Share {
    /// Whether it is what a tool wrote for people to look at: pages, and what they show.
    fn is_report(&self) -> bool {
        self.made_pages > 0 && self.peoples == 0
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

    /// Adds the neighbours' word to judgements on single files.
    pub fn hear_neighbours(files: Vec<(&'a RepoPath, Judgement)>) -> Self {
        let mut all = Self {
            files: files.into_iter().collect(),
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
        let heard: Vec<(&RepoPath, Evidence)> = self
            .files
            .iter()
            .filter(|(_, judgement)| {
                !judgement.is_made(Strength::Strong)
                    || !judgement.is_shown()
                    || judgement.is_often_kept()
            })
            .filter_map(|(path, judgement)| Some((*path, says(self, path, judgement)?)))
            .collect();
        if heard.is_empty() {
            return;
        }
        for (path, evidence) in heard {
            if let Some(known) = self.files.get_mut(path) {
                let mut own = std::mem::take(&mut known.evidence);
                // Reports hold styles, scripts and data in the languages that people write, too,
                // and their pages name them.
                if evidence.row == REPORT {
                    own.retain(|one| one.weight.0 > 0 || counts_in_a_report(one));
                }
                own.push(evidence);
                *known = Judgement::weigh(own);
            }
        }
        self.sum_up();
    }

    fn sum_up(&mut self) {
        self.folders.clear();
        self.beside.clear();
        self.kinds.clear();
        let mut branches: HashSet<(&RepoPath, &RepoPath), FixedState> = HashSet::default();
        for (path, judgement) in &self.files {
            let is_surely = judgement.is_made(Strength::Likely) && judgement.has_more_than_a_name();
            let is_judged = is_surely && !judgement.is_by_template();
            let kind = self
                .kinds
                .entry((path.folder(), path.extension()))
                .or_default();
            // What was made of a source beside it says nothing of another that has none.
            let is_of_itself =
                |one: &Evidence| matches!(one.witness, Witness::SaysSo | Witness::Format);
            let is_telling = is_judged && judgement.reason().is_some_and(is_of_itself);
            kind.surely += u64::from(is_telling);
            let is_known = judgement
                .evidence
                .iter()
                .any(|one| one.witness == Witness::Format);
            kind.of_a_format += u64::from(is_telling && is_known);
            kind.authored += u64::from(judgement.is_authored(Strength::Likely));
            if is_judged {
                *self.beside.entry(path.folder()).or_default() += 1;
                let above: Vec<&RepoPath> = path.folders_above().collect();
                branches.extend(above.windows(2).map(|pair| (pair[0], pair[1])));
            }
            let is_page = is_page(path);
            let is_made_page = is_page && is_judged;
            let vouched = Vouched::of(path, judgement);
            let is_other_page = is_page && !judgement.is_made(Strength::Likely);
            for folder in path.folders_above() {
                let is_peoples = is_other_page || vouched.is_outside(folder);
                let share = self.folders.entry(folder).or_default();
                share.made_pages += u64::from(is_made_page);
                share.peoples += u64::from(is_peoples);
                match () {
                    // What may be kept on purpose, no rule for the folder takes along.
                    () if judgement.is_often_kept() => share.unknown += 1,
                    () if judgement.is_made(Strength::Likely) => {
                        share.made += 1;
                        share.surely += u64::from(is_judged);
                    }
                    () if judgement.is_authored(Strength::Likely) => share.authored += 1,
                    () => share.unknown += 1,
                }
            }
        }
        for (folder, _) in branches {
            self.folders.entry(folder).or_default().branches += 1;
        }
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
        let beside = self.beside.get(path.folder()).copied().unwrap_or_default();
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
        if is_page(path) {
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
        self.files.get(path)
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

    /// All judgements, in no order.
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
        let judged = files.into_par_iter().filter_map(|(entry, claim)| {
            (entry.kind == EntryKind::File).then(|| {
                let head = self.head(&entry.path);
                let judgement = self.judge_by_head(&entry.path, entry.size, &head, claim.as_ref());
                (&*entry.path, judgement)
            })
        });
        judged.collect()
    }
}
