//! Which lines a block holds: the rules of its templates that nothing covers where their projects
//! are, fitted to these places.

use super::drafted_file::NewBlock;
use super::memory::{Remembered, remembered};
use super::places::{fit_to, places};
use super::section::{DraftLine, heading_of};
use super::{Composer, below};
use crate::{Heading, Project, Result, Template, TemplateRule};
use bstr::{BStr, BString, ByteSlice};
use redshank_rules::{Case, Rule, fit};
use redshank_rules::{Chain, IGNORE_FILE};
use redshank_rules::{RepoPath, RepoPathBuf};
use std::collections::{BTreeSet, HashSet};

/// Rules that a person took out of blocks of the first form: the template's name, the rule's
/// pattern.
pub(super) type TakenOut = BTreeSet<(String, String)>;

/// Projects whose rules stand, or are to stand, in one block.
pub(super) struct Group<'a> {
    pub(super) places: Vec<BString>,
    pub(super) templates: Vec<Kind<'a>>,
}

/// The projects of one type, in one ignore file.
#[derive(Clone)]
pub(super) struct Kind<'a> {
    pub(super) template: &'a Template,
    /// Their folders, from the top.
    folders: Vec<RepoPathBuf>,
}

impl Group<'_> {
    /// The rules of its templates, as they are written for its places.
    fn rules(&self) -> Vec<Rule> {
        let rules = self.templates.iter().flat_map(|kind| &kind.template.rule);
        let patterns = rules.flat_map(|rule| written(rule, &self.places));
        patterns
            .map(|pattern| Rule::parse(&pattern, 0, Case::Sensitive))
            .collect()
    }

    /// The exceptions of its templates, each with the template's name.
    fn exceptions(&self) -> Vec<(&str, Rule)> {
        let rules = self.templates.iter().flat_map(|kind| {
            let rules = kind.template.rule.iter();
            rules.map(|rule| (kind.template.name.as_str(), rule))
        });
        let negated = rules.filter(|(_, rule)| rule.pattern.starts_with('!'));
        let exceptions = negated.flat_map(|(name, rule)| {
            let patterns = written(rule, &self.places).into_iter();
            patterns.map(move |pattern| (name, Rule::parse(&pattern, 0, Case::Sensitive)))
        });
        exceptions.collect()
    }

    pub(super) fn has(&self, project: &Project) -> bool {
        let folder = project.rules_folder();
        let mut kinds = self.templates.iter();
        kinds.any(|kind| {
            kind.template.name == project.template.name && kind.folders.contains(&folder)
        })
    }
}

/// A line, and the rule that it comes from.
pub(super) struct Composing<'g> {
    template: &'g Template,
    rule: &'g TemplateRule,
    pub(super) line: DraftLine,
}

/// Takes out the rules that name a file which an exception of another template of the same block
/// re-includes: they must come last.
fn split_off_contradicted<'g>(lines: &mut Vec<Composing<'g>>) -> Vec<Composing<'g>> {
    let exceptions: Vec<(&str, Heading, Rule)> = lines
        .iter()
        .filter(|line| line.rule.pattern.starts_with('!'))
        .map(|line| {
            let rule = Rule::parse(&line.line.pattern, 0, Case::Sensitive);
            (line.template.name.as_str(), line.line.heading, rule)
        })
        .collect();
    let comes_last = |line: &mut Composing| {
        let rule = Rule::parse(&line.line.pattern, 0, Case::Sensitive);
        let mut others = exceptions
            .iter()
            .filter(|(name, ..)| *name != line.template.name);
        let found = others.find(|(.., exception)| is_contradicted(&rule, exception));
        // Below the same heading, for lines are in the order of their headings.
        line.line.heading = found.map_or(line.line.heading, |(_, heading, _)| *heading);
        found.is_some()
    };
    lines.extract_if(.., comes_last).collect()
}

/// Takes out the lines that others of the same block cover, wherever they are.
fn without_covered(lines: &mut Vec<Composing>) {
    let rules: Vec<Rule> = lines
        .iter()
        .map(|line| Rule::parse(&line.line.pattern, 0, Case::Sensitive))
        .collect();
    let is_covered = |at: usize| {
        let probes = rules[at].probes();
        let others = rules
            .iter()
            .enumerate()
            .filter(|(other, rule)| *other != at && !rule.negated);
        // Of two that say the same, the first stays.
        !rules[at].negated
            && !probes.is_empty()
            && others.into_iter().any(|(other, rule)| {
                probes.iter().all(|probe| rule.reaches(probe.as_bstr()))
                    && (other < at || !says(&rules[at], rule))
            })
    };
    let covered: Vec<bool> = (0..lines.len()).map(is_covered).collect();
    let mut at = 0;
    lines.retain(|_| {
        at += 1;
        !covered[at - 1]
    });
}

/// Whether a rule says at least what another one does.
fn says(rule: &Rule, other: &Rule) -> bool {
    let probes = other.probes();
    !probes.is_empty() && probes.iter().all(|probe| rule.reaches(probe.as_bstr()))
}

/// A rule as it is written for projects at these places: at any place, if no one but a tool gives
/// the name.
pub(super) fn written(rule: &TemplateRule, places: &[BString]) -> Vec<BString> {
    let body = rule.pattern.trim_start_matches('!');
    let is_anywhere = !body.trim_end_matches('/').contains('/') || body.starts_with("**/");
    if is_anywhere && rule.is_certain() {
        vec![rule.pattern.as_str().into()]
    } else {
        places
            .iter()
            .map(|place| fit_to(&rule.pattern, place.as_bstr()))
            .collect()
    }
}

/// Projects by their type, in the order in which they come.
pub(super) fn by_template<'a>(projects: &[Project<'a>]) -> Vec<Kind<'a>> {
    let mut kinds: Vec<Kind> = Vec::new();
    for project in projects {
        let folder = project.rules_folder();
        match kinds
            .iter_mut()
            .find(|kind| kind.template.name == project.template.name)
        {
            Some(kind) if kind.folders.contains(&folder) => {}
            Some(kind) => kind.folders.push(folder),
            None => kinds.push(Kind {
                template: project.template,
                folders: vec![folder],
            }),
        }
    }
    kinds
}

/// Projects whose types are in the same places, together.
pub(super) fn groups<'a>(file: &RepoPath, projects: Vec<Project<'a>>) -> Vec<Group<'a>> {
    let mut groups: Vec<Group> = Vec::new();
    for kind in by_template(&projects) {
        let folders: Vec<RepoPathBuf> = kind
            .folders
            .iter()
            .map(|folder| below(folder, file))
            .collect();
        let places = places(&folders);
        match groups.iter_mut().find(|group| group.places == places) {
            Some(group) => group.templates.push(kind),
            None => groups.push(Group {
                places,
                templates: vec![kind],
            }),
        }
    }
    groups
}

/// The same groups; one that names a file which an exception of a later group re-includes comes
/// last.
pub(super) fn contradicted_last(groups: Vec<Group>) -> Vec<Group> {
    let rules: Vec<Vec<Rule>> = groups.iter().map(Group::rules).collect();
    let (mut first, mut last) = (Vec::new(), Vec::new());
    for (at, group) in groups.into_iter().enumerate() {
        let later = rules[at + 1..].iter().flatten();
        let mut exceptions = later.filter(|rule| rule.negated);
        if exceptions.any(|exception| {
            let mut own = rules[at].iter();
            own.any(|rule| is_contradicted(rule, exception))
        }) {
            last.push(group);
        } else {
            first.push(group);
        }
    }
    first.extend(last);
    first
}

/// Whether a rule names a file that an exception re-includes.
fn is_contradicted(rule: &Rule, exception: &Rule) -> bool {
    let probes = rule.probes();
    !rule.negated
        && !rule.text.contains(&b'*')
        && !probes.is_empty()
        && probes
            .iter()
            .all(|probe| exception.reaches(probe.as_bstr()))
}

/// What a block's first mark says.
fn label(group: &Group) -> String {
    let names: Vec<&str> = group
        .templates
        .iter()
        .map(|kind| kind.template.name.as_str())
        .collect();
    let places: Vec<String> = group
        .places
        .iter()
        .map(|place| place.to_str_lossy().replace(char::is_control, "?"))
        .collect();
    match places.as_slice() {
        [top] if top == "/" => names.join(", "),
        places => format!("{} in {}", names.join(", "), places.join(" and ")),
    }
}

/// Whether the rules that everyone has ignore all that a rule is for, whatever it is called where
/// the rule leaves that open. What an exception names is decided, too, if the rule would ignore
/// nothing else.
pub(crate) fn covers(chain: &Chain, folder: &RepoPath, pattern: &str) -> bool {
    let own = Rule::parse(pattern.as_bytes(), 0, Case::Sensitive);
    let probes = own.probes();
    let is_ignored = |path: &RepoPath| chain.ignored_by(path.bare(), path.is_folder()).is_some();
    let is_covered = |probe: &BString| {
        let path = folder.join(probe);
        if is_ignored(&path) {
            return true;
        }
        let ruling = chain.ruling(path.bare(), &|| path.is_folder());
        let is_named = ruling.is_some_and(|ruling| {
            let rule = ruling.rule();
            rule.negated && rule.anchored && !rule.text.contains(&b'*')
        });
        is_named && (own.anchored || is_ignored(&folder.join("x/").join(probe)))
    };
    !own.negated && !probes.is_empty() && probes.iter().all(is_covered)
}

impl<'a> Composer<'_, 'a> {
    /// Writes a block for projects that have none yet; returns whether there was anything to write.
    pub(super) fn write_anew(
        &mut self,
        file: &RepoPath,
        group: &Group<'a>,
        taken_out: &TakenOut,
    ) -> Result<bool> {
        self.find_repeated(file, group)?;
        let lines = self.lines(file, group, &|_| false)?;
        let (out, lines): (Vec<Composing>, Vec<Composing>) = lines.into_iter().partition(|line| {
            taken_out.contains(&(line.template.name.clone(), line.rule.pattern.clone()))
        });
        let templates = group
            .templates
            .iter()
            .map(|kind| (kind.template.name.clone(), kind.template.revision));
        let block = NewBlock {
            label: label(group),
            lines: lines.into_iter().map(|line| line.line).collect(),
            templates: templates.collect(),
            places: group.places.clone(),
        };
        if !block.is_of_use() {
            return Ok(false);
        }
        let path = file.join(IGNORE_FILE);
        // What somebody took out is remembered as written, so that it doesn't come back.
        let memory = Remembered {
            file: path.to_string(),
            label: block.label.clone(),
            templates: block.templates.clone(),
            places: remembered(&block.places),
            lines: remembered(out.iter().map(|line| &line.line.pattern)),
        };
        self.memory.put(memory);
        self.push(file, block)?;
        Ok(true)
    }

    /// The lines that a block is to hold: those of its templates' rules that nothing covers where
    /// the projects are, and those that are `here` already.
    pub(super) fn lines<'g>(
        &mut self,
        file: &RepoPath,
        group: &'g Group<'a>,
        here: &dyn Fn(&BStr) -> bool,
    ) -> Result<Vec<Composing<'g>>> {
        let mut lines: Vec<Composing> = Vec::new();
        let mut known = HashSet::new();
        let exceptions = group.exceptions();
        for kind in &group.templates {
            let mut chains = Vec::new();
            for folder in &kind.folders {
                chains.push((folder, self.rules_at(folder)?));
            }
            for rule in &kind.template.rule {
                let heading = heading_of(kind.template, rule);
                // What covers a rule comes before the block, whose exception would undo it.
                let is_undone = !exceptions.is_empty()
                    && written(rule, &group.places).iter().any(|pattern| {
                        let rule = Rule::parse(pattern, 0, Case::Sensitive);
                        let mut others = exceptions
                            .iter()
                            .filter(|(name, _)| *name != kind.template.name);
                        others.any(|(_, exception)| is_contradicted(&rule, exception))
                    });
                let open = chains
                    .iter()
                    .filter(|(folder, chain)| is_undone || !covers(chain, folder, &rule.pattern));
                let open: Vec<RepoPathBuf> = open.map(|(folder, _)| below(folder, file)).collect();
                let whole = written(rule, &group.places);
                let patterns = match () {
                    () if whole.iter().all(|pattern| here(pattern.as_bstr())) => whole,
                    () if open.len() == kind.folders.len() => whole,
                    () if open.is_empty() => Vec::new(),
                    () => written(rule, &places(&open)),
                };
                self.draft.covered += usize::from(patterns.is_empty());
                for pattern in patterns
                    .into_iter()
                    .filter(|pattern| known.insert(pattern.clone()))
                {
                    lines.push(Composing {
                        template: kind.template,
                        rule,
                        line: DraftLine {
                            replaces: rule
                                .replaces
                                .as_ref()
                                .and_then(|was| Some(fit_to(was, group.places.first()?.as_bstr()))),
                            ..DraftLine::new(pattern, heading, rule)
                        },
                    });
                }
            }
        }
        let last = split_off_contradicted(&mut lines);
        without_covered(&mut lines);
        lines.extend(last);
        let certain = lines.iter().filter(|line| line.line.is_certain);
        self.certain
            .extend(certain.map(|line| line.line.pattern.clone()));
        Ok(lines)
    }

    /// Counts the person's own lines that a template has, too; takes them out if they are to be
    /// taken over.
    fn find_repeated(&mut self, file: &RepoPath, group: &Group) -> Result<()> {
        let mut patterns = BTreeSet::new();
        for kind in &group.templates {
            for rule in &kind.template.rule {
                patterns.extend(written(rule, &group.places));
                let folders = kind.folders.iter();
                patterns.extend(folders.map(|folder| fit(&rule.pattern, &below(folder, file))));
            }
        }
        let take_over = self.options.take_over;
        let file = self.file(file)?;
        let repeated = file.repeats(&patterns);
        if take_over && repeated > 0 {
            file.take_out(|line| patterns.contains(&line.to_owned()));
        }
        self.draft.repeated += repeated;
        Ok(())
    }
}
