//! Rules learned from what tools create: as narrow as what was seen allows, and none that would
//! take work away.

use super::shape::shape;
use super::{PastRun, WriteEvent, WriteEvents};
use bstr::{BString, ByteSlice};
use redshank_rules::{Case, Rule, exactly, fit};
use redshank_rules::{RepoPath, RepoPathBuf, common_folder};
use redshank_templates::{NeededPaths, Survey, TemplateMatch, is_authored};
use redshank_worktree::FileStats;
use redshank_worktree::tree::{Entry, State, Tree};
use std::collections::{BTreeMap, HashSet};

/// Something new that no rule ignores, and the rule that would.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Learned {
    /// A file, or a folder that is new as a whole; of several of one kind, the folder around them.
    pub path: RepoPathBuf,
    /// Paths relative to the repository's top, sorted.
    pub paths: Vec<RepoPathBuf>,
    /// Number of files and their bytes.
    pub stats: FileStats,
    /// The narrowest rule that ignores them, as in an ignore file at the top.
    pub rule: BString,
    /// Which template has that rule, if one does.
    pub template: Option<String>,
    /// What speaks for the rule, or against it.
    pub status: LearnedStatus,
    /// When and by whom they were written, where it was seen.
    pub seen: Option<WriteEvent>,
    /// How many runs of the command left them behind, this one counted.
    pub runs: u32,
    /// Number of runs that were looked at.
    pub of_runs: u32,
}

impl Learned {
    /// The programs that wrote it, as far as is known.
    fn programs(&self) -> Vec<String> {
        let seen = self.seen.iter();
        seen.flat_map(|seen| seen.by.iter().chain(&seen.beside).cloned())
            .collect()
    }

    /// Whether its rule ignores this path, too.
    pub(super) fn would_take(&self, path: &RepoPath) -> bool {
        let rule = Rule::parse(&self.rule, 1, Case::Sensitive);
        rule.matches(path.bare(), path.is_folder())
    }
}

/// What speaks for a learned rule, or against it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LearnedStatus {
    /// A tool made it, as far as is known.
    Proposed,
    /// A project needs it in every clone.
    Needed,
    /// It looks like somebody's work.
    Work,
    /// It came with work, as when a project is started; another run tells.
    WithWork,
    /// Somebody may have made it by hand while it was watched.
    ByHand,
    /// Some runs of the command left it behind, and others, the last among them, did not.
    NotEveryTime,
}

/// What is known where something came.
pub struct RunContext<'s> {
    /// All that is there now.
    pub tree: &'s Tree,
    /// What is known of the projects.
    pub survey: &'s Survey<'s>,
    /// What came; only what no rule ignores counts.
    pub came: &'s [&'s Entry],
    /// What was there before, and earlier runs of the same command left behind.
    pub left: &'s HashSet<&'s RepoPath>,
    /// The folders that hold something else, too.
    pub known: HashSet<&'s RepoPath>,
    /// The earlier runs of the same command, the oldest first.
    pub earlier: &'s [&'s PastRun],
    /// The write events that were seen.
    pub seen: &'s WriteEvents,
    /// A command made it, rather than the person at work.
    pub is_command: bool,
}

/// A file, or a folder that is new as a whole, or what a template's rule matches.
struct Unit<'s> {
    path: &'s RepoPath,
    stats: FileStats,
    /// A template's rule, and the template.
    template: Option<(BString, &'s str)>,
    /// A project needs something of it.
    is_needed: bool,
    /// A project is recognised by something in it.
    is_project: bool,
}

/// From so many places on, a name makes a rule for the name.
const PLACES: usize = 3;
/// From this many files on, an extension in a folder makes a rule for the extension.
const SEVERAL: usize = 3;
/// From so many names on that differ only in a number or a hash, they make one rule.
const ALIKE: usize = 2;

/// What came, taken together where one rule is for all of it.
pub fn learned(run_context: &RunContext) -> Vec<Learned> {
    let came = run_context.came.iter().map(|entry| &*entry.path);
    let came: HashSet<&RepoPath> = came.chain(run_context.left.iter().copied()).collect();
    let mut groups: BTreeMap<BString, Vec<Unit>> = BTreeMap::new();
    let mut plain = Vec::new();
    for unit in run_context.units() {
        match &unit.template {
            Some((rule, _)) => groups.entry(rule.clone()).or_default().push(unit),
            None => plain.push(unit),
        }
    }
    let known = groups.into_iter().flat_map(|(rule, units)| {
        // Of one place, no more is known than that place.
        if units.len() > 1 && run_context.takes_only(&rule, &came) {
            vec![(rule, units)]
        } else {
            units.into_iter().map(by_itself).collect()
        }
    });
    let all = known.chain(run_context.in_groups(plain, &came));
    let learned = all.map(|(rule, units)| run_context.judged(rule, &units));
    let mut learned: Vec<Learned> = learned.collect();
    let work: Vec<Vec<String>> = learned
        .iter()
        .filter(|new| new.status == LearnedStatus::Work && new.runs == 1)
        .map(Learned::programs)
        .collect();
    for new in &mut learned {
        let own = new.programs();
        let is_doubtful = new.status == LearnedStatus::Proposed && new.template.is_none();
        if is_doubtful
            && new.runs == 1
            && work.iter().any(|work| {
                if run_context.is_command && (own.is_empty() || work.is_empty()) {
                    true
                } else {
                    own.iter().any(|program| work.contains(program))
                }
            })
        {
            new.status = LearnedStatus::WithWork;
        }
    }
    learned.sort_by(|a, b| a.path.cmp(&b.path));
    learned
}

/// How units are alike: what the rule for all of them would be, and how many there must be.
type Likeness = (fn(&Unit) -> Option<BString>, usize);

/// The ways in which units are alike, the narrow ones first.
const LIKENESSES: [Likeness; 3] = [(by_name, PLACES), (by_shape, ALIKE), (by_type, SEVERAL)];

fn by_name(unit: &Unit) -> Option<BString> {
    let slash: &[u8] = if unit.path.is_folder() { b"/" } else { b"" };
    Some(
        [redshank_rules::quote(unit.path.name()).as_slice(), slash]
            .concat()
            .into(),
    )
}

fn by_shape(unit: &Unit) -> Option<BString> {
    let slash: &[u8] = if unit.path.is_folder() { b"/" } else { b"" };
    let shape = shape(unit.path.name())?;
    Some(
        [in_folder(unit.path.folder()).as_slice(), &shape, slash]
            .concat()
            .into(),
    )
}

fn by_type(unit: &Unit) -> Option<BString> {
    let is_file = !unit.path.is_folder();
    let kind = unit.path.extension().filter(|_| is_file)?;
    let kind = redshank_rules::quote(kind);
    Some(
        [in_folder(unit.path.folder()).as_slice(), b"*", &kind]
            .concat()
            .into(),
    )
}

/// A rule for this one only.
fn by_itself(unit: Unit) -> (BString, Vec<Unit>) {
    (exactly(unit.path), vec![unit])
}

/// How a pattern starts that is for this folder only.
fn in_folder(folder: &RepoPath) -> BString {
    if folder.is_top() {
        "/".into()
    } else {
        exactly(folder)
    }
}

impl<'s> RunContext<'s> {
    fn units(&self) -> Vec<Unit<'s>> {
        let needed = NeededPaths::collect(&self.survey.projects);
        let recognised = self
            .survey
            .projects
            .iter()
            .map(|project| &*project.evidence);
        let recognised: HashSet<&RepoPath> = recognised.collect();
        let new = self.came.iter().copied();
        let new = new.filter(|entry| entry.state == State::Candidate);
        let new: Vec<_> = new
            .map(|entry| {
                let matched = entry.path.parts().find_map(|part| {
                    let matched = self.survey.matches.on(part)?;
                    Some((part, (rule_of(part, &matched), matched.template())))
                });
                (entry, matched)
            })
            .collect();
        // Where a tool's own place is in a new folder, the rest of it is something else.
        let matched = new
            .iter()
            .filter_map(|(_, matched)| Some(matched.as_ref()?.0));
        let mixed: HashSet<&RepoPath> = matched.flat_map(|part| part.folders_above()).collect();
        let mut units: BTreeMap<&RepoPath, Unit> = BTreeMap::new();
        for (entry, matched) in new {
            let (path, template) = match matched {
                Some((part, template)) => (part, Some(template)),
                None => {
                    let whole = entry
                        .path
                        .folders_above()
                        .find(|folder| !self.known.contains(folder) && !mixed.contains(folder));
                    (whole.unwrap_or(&entry.path), None)
                }
            };
            let unit = units.entry(path).or_insert_with(|| Unit {
                path,
                stats: FileStats::default(),
                template,
                is_needed: false,
                is_project: false,
            });
            unit.stats += entry.stats();
            if unit.template.is_none() {
                unit.is_needed |= needed.has(&entry.path);
                unit.is_project |= recognised.contains(&*entry.path);
            }
        }
        units.into_values().collect()
    }

    /// Units that are alike, with a rule for all of them that takes nothing else; each other one
    /// with its own.
    fn in_groups(
        &self,
        mut units: Vec<Unit<'s>>,
        came: &HashSet<&RepoPath>,
    ) -> Vec<(BString, Vec<Unit<'s>>)> {
        let mut grouped = Vec::new();
        for (likeness, many) in LIKENESSES {
            let mut alike: BTreeMap<Option<BString>, Vec<Unit>> = BTreeMap::new();
            for unit in units {
                alike.entry(likeness(&unit)).or_default().push(unit);
            }
            units = alike.remove(&None).unwrap_or_default();
            for (rule, alike) in alike {
                let rule = rule.unwrap_or_default();
                if alike.len() + self.earlier_of(&rule, &alike) >= many
                    && self.takes_only(&rule, came)
                {
                    grouped.push((rule, alike));
                } else {
                    units.extend(alike);
                }
            }
        }
        grouped.extend(units.into_iter().map(by_itself));
        grouped
    }

    /// How many other paths of that kind earlier runs left behind.
    fn earlier_of(&self, rule: &BString, units: &[Unit]) -> usize {
        let rule = Rule::parse(rule, 1, Case::Sensitive);
        let left = self.earlier.iter().flat_map(|run| run.new_things());
        let other = left.map(|(path, _)| path).filter(|path| {
            rule.matches(path.bare(), path.is_folder())
                && !units.iter().any(|unit| unit.path == *path)
        });
        other.collect::<HashSet<_>>().len()
    }

    /// Whether a rule takes nothing that would be committed but what came.
    fn takes_only(&self, rule: &BString, came: &HashSet<&RepoPath>) -> bool {
        let rule = Rule::parse(rule, 1, Case::Sensitive);
        let taken = |path: &RepoPath| {
            path.parts()
                .any(|part| rule.matches(part.bare(), part.is_folder()))
        };
        let others = self
            .tree
            .to_commit()
            .filter(|entry| !came.contains(&*entry.path));
        !others.into_iter().any(|entry| taken(&entry.path))
    }

    fn judged(&self, rule: BString, units: &[Unit]) -> Learned {
        let paths: Vec<RepoPathBuf> = units.iter().map(|unit| unit.path.to_owned()).collect();
        let around = common_folder(paths.iter().map(|path| &**path));
        let path = match paths.as_slice() {
            [path] => path.clone(),
            [first, ..] if around.is_top() => first.clone(),
            _ => around.to_owned(),
        };
        let parsed = Rule::parse(&rule, 1, Case::Sensitive);
        let made = |run: &PastRun| paths.iter().any(|path| run.made(path, &parsed));
        let runs = 1 + self.earlier.iter().filter(|run| made(run)).count();
        let of_runs = 1 + self.earlier.len();
        let is_steady = runs == of_runs || self.earlier.last().is_some_and(|run| made(run));
        let template = units
            .first()
            .and_then(|unit| Some(unit.template.as_ref()?.1.to_owned()));
        let seen = paths
            .iter()
            .filter_map(|path| self.seen.last_write(path))
            .reduce(WriteEvent::and);
        let status = match () {
            () if template.is_some() => LearnedStatus::Proposed,
            () if units.iter().any(|unit| unit.is_needed) => LearnedStatus::Needed,
            () if units.iter().any(|unit| unit.is_project)
                || paths.iter().any(|path| is_authored(self.survey, path)) =>
            {
                LearnedStatus::Work
            }
            () if !self.is_command && is_by_hand(seen.as_ref()) => LearnedStatus::ByHand,
            () if !is_steady => LearnedStatus::NotEveryTime,
            () => LearnedStatus::Proposed,
        };
        Learned {
            stats: units.iter().map(|unit| unit.stats).sum(),
            path,
            paths,
            rule,
            template,
            status,
            seen,
            runs: runs as u32,
            of_runs: of_runs as u32,
        }
    }
}

/// The rule of a template, as at the top.
fn rule_of(path: &RepoPath, matched: &TemplateMatch) -> BString {
    match matched {
        TemplateMatch::Rule(project, rule) => fit(&rule.pattern, project.rules_folder().as_bstr()),
        TemplateMatch::Known(_) => exactly(path),
    }
}

/// Programs by which people write files themselves: shells, editors, and what copies, unpacks or
/// fetches.
const HANDS: [&str; 60] = [
    "7z",
    "7zz",
    "aria2c",
    "ark",
    "bash",
    "bsdtar",
    "caja",
    "cat",
    "chrome",
    "chromium",
    "code",
    "cp",
    "curl",
    "dash",
    "dd",
    "dolphin",
    "emacs",
    "file-roller",
    "firefox",
    "fish",
    "gedit",
    "git",
    "gunzip",
    "gvim",
    "gzip",
    "hx",
    "idea",
    "install",
    "kate",
    "ksh",
    "kwrite",
    "mc",
    "micro",
    "mv",
    "nano",
    "nautilus",
    "nemo",
    "nvim",
    "patch",
    "pcmanfm",
    "ranger",
    "rclone",
    "rsync",
    "safari",
    "scp",
    "sed",
    "sftp",
    "sh",
    "subl",
    "tar",
    "tee",
    "thunar",
    "thunderbird",
    "touch",
    "unxz",
    "unzip",
    "vim",
    "wget",
    "xz",
    "zsh",
];

/// Whether somebody may have made this by hand: no other program was seen to write it.
fn is_by_hand(seen: Option<&WriteEvent>) -> bool {
    // A shell that runs a script is a tool.
    let is_tool = |program: &String| !HANDS.contains(&&**program);
    !seen.is_some_and(|seen| seen.by.iter().chain(&seen.beside).any(is_tool))
}
