//! What the templates of recognised projects say about a path, whether or not their rules are
//! written anywhere.

use super::{Heading, KnownPlace, Project, TemplateRule};
use crate::environments;
use redshank_origin::{Basis, Claim, Origin, Surroundings};
use redshank_rules::Case;
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_rules::{Rule, RuleList, Source};
use redshank_worktree::Class;
use std::collections::HashMap;
use std::sync::Arc;

/// All that templates match in a tree.
#[derive(Default)]
pub struct TemplateMatches<'a> {
    /// By the folder of the project.
    projects: HashMap<RepoPathBuf, Vec<(Project<'a>, RuleList)>>,
    known: HashMap<RepoPathBuf, KnownPlace<'a>>,
    around: Option<Arc<Surroundings<'a>>>,
}

/// Why a template matches a path.
#[derive(Clone, Copy)]
pub enum TemplateMatch<'a, 'c> {
    /// By a rule of a project's template.
    Rule(&'c Project<'a>, &'a TemplateRule),
    /// By what is in the folder, or by the project's settings.
    Known(&'c KnownPlace<'a>),
}

impl<'a> TemplateMatch<'a, '_> {
    /// The name of the template.
    pub fn template(&self) -> &'a str {
        match self {
            Self::Rule(project, _) => &project.template.name,
            Self::Known(known) => known.template,
        }
    }

    /// What the files are.
    pub fn class(&self) -> Class {
        match self {
            Self::Rule(_, rule) => rule.class,
            Self::Known(known) => known.class,
        }
    }

    /// Why they don't belong.
    pub fn reason(&self) -> &'a str {
        match self {
            Self::Rule(_, rule) => &rule.reason,
            Self::Known(known) => known.reason,
        }
    }

    /// The command that makes them again.
    pub fn remake(&self) -> Option<&'a str> {
        match self {
            Self::Rule(_, rule) => rule.remake.as_deref(),
            Self::Known(known) => known.remake,
        }
    }
}

impl<'a> TemplateMatches<'a> {
    /// None yet; what somebody wrote will not be matched.
    pub(super) fn among(around: Arc<Surroundings<'a>>) -> Self {
        Self {
            around: Some(around),
            ..Self::default()
        }
    }

    /// Adds the rules of a project.
    pub(super) fn add(&mut self, project: Project<'a>, case: Case) {
        let place = project.rules_folder();
        let lines: Vec<&str> = project
            .template
            .rule
            .iter()
            .map(|rule| rule.pattern.as_str())
            .collect();
        let list = RuleList::parse(
            Source::of_folder(place.clone()),
            lines.join("\n").as_bytes(),
            case,
        );
        self.projects
            .entry(place)
            .or_default()
            .push((project, list));
    }

    /// Takes the rules of projects out again, whose rules are relative to that folder.
    pub(super) fn forget(&mut self, place: &RepoPath, which: impl Fn(&Project) -> bool) {
        if let Some(here) = self.projects.get_mut(place) {
            here.retain(|(project, _)| !which(project));
        }
    }

    /// Whether exactly that place is known.
    pub(super) fn knows(&self, path: &RepoPath) -> bool {
        self.known.contains_key(path)
    }

    /// Adds a known place.
    pub(super) fn know(&mut self, known: KnownPlace<'a>) {
        self.known.insert(known.path.clone(), known);
    }

    /// Whether a path, or a folder above it, is matched.
    pub fn speaks_of(&self, path: &RepoPath) -> bool {
        path.parts().any(|part| self.on(part).is_some())
    }

    /// What matches exactly this path, not a folder above it, unless somebody wrote what is there.
    pub fn on(&self, path: &RepoPath) -> Option<TemplateMatch<'a, '_>> {
        let found = self.by_name(path)?;
        let Some(around) = &self.around else {
            return Some(found);
        };
        if environments::is_of_a_mode(path) {
            return (!environments::is_shared(&around.head(path))).then_some(found);
        }
        (!around.contradicts(path, &found.claim(path))).then_some(found)
    }

    /// What a template says of exactly this path, where somebody wrote what is there.
    pub fn contradicted_claim(&self, path: &RepoPath) -> Option<Claim> {
        if environments::is_of_a_mode(path) {
            return None;
        }
        let claim = self.by_name(path)?.claim(path);
        self.on(path).is_none().then_some(claim)
    }

    /// What a template says of a path, or of the uppermost folder above it that one speaks of,
    /// whatever is there.
    pub fn claim(&self, path: &RepoPath) -> Option<Claim> {
        // The environment of a mode is shared or secret, whatever its name says.
        if environments::is_of_a_mode(path) {
            return None;
        }
        // What somebody wrote in a known place is theirs.
        let mut known = self.known.values();
        if known.any(|known| known.own.iter().any(|own| **own == *path)) {
            return None;
        }
        let (part, found) = path
            .parts()
            .find_map(|part| Some((part, self.by_name(part)?)))?;
        Some(found.claim(part))
    }

    /// What matches exactly this path by its name: of the templates of the nearest projects, the
    /// one whose rule says most, whichever projects were recognised first.
    fn by_name(&self, path: &RepoPath) -> Option<TemplateMatch<'a, '_>> {
        if let Some(known) = self.known.get(path) {
            return Some(TemplateMatch::Known(known));
        }
        let mut matched = self
            .rules_on(path)
            .filter(|(_, _, rule)| !rule.negated)
            .peekable();
        let nearest = matched.peek()?.0.rules_folder();
        let of_nearest = matched.take_while(|(project, ..)| project.rules_folder() == nearest);
        // Of equal ones, the first.
        let (project, own, _) = of_nearest.reduce(|best, next| {
            if basis(next.1) < basis(best.1) {
                next
            } else {
                best
            }
        })?;
        Some(TemplateMatch::Rule(project, own))
    }

    /// Whether the template of the nearest project that has a rule for a path re-includes it on
    /// purpose.
    pub fn re_includes(&self, path: &RepoPath) -> bool {
        let decided = path.parts().filter_map(|part| self.rules_on(part).next());
        let mut negated = decided.map(|(_, _, rule)| rule.negated).peekable();
        negated.peek().is_some() && negated.all(|is_negated| is_negated)
    }

    /// For each project above a path whose template has rules for exactly it, the one that decides;
    /// the nearest project first.
    fn rules_on<'s, 'p>(
        &'s self,
        path: &'p RepoPath,
    ) -> impl Iterator<Item = (&'s Project<'a>, &'a TemplateRule, &'s Rule)> + use<'a, 's, 'p> {
        let folders = path.folders_above().rev().chain([RepoPath::top()]);
        let near = folders.filter_map(|folder| self.projects.get(folder));
        near.flatten().filter_map(|(project, list)| {
            let rule = list.last(path.bare(), &|| path.is_folder())?;
            // One line a rule: the line leads back to the template's own.
            let own = project.template.rule.get(rule.line as usize - 1)?;
            Some((project, own, rule))
        })
    }
}

/// From so many letters on, the start of a name is as good as the name.
const START: usize = 6;

/// Whether a pattern names one file, or files by how their long names start.
fn is_one_name(pattern: &str) -> bool {
    let name = pattern.rsplit('/').next().unwrap_or(pattern);
    let start = name.find(['*', '?', '[']).unwrap_or(START);
    let is_in_one_folder = !pattern[..pattern.len() - name.len()].contains(['*', '?', '[']);
    start >= START && is_in_one_folder && !pattern.ends_with('/')
}

/// How much a rule's match says.
fn basis(rule: &TemplateRule) -> Basis {
    // What is secret under its one name is so wherever it is.
    if rule.is_certain() || is_secret(rule) {
        Basis::ToolsName
    } else if is_one_name(&rule.pattern) {
        Basis::OneName
    } else {
        Basis::AnyName
    }
}

fn is_secret(rule: &TemplateRule) -> bool {
    rule.class == Class::Secret && is_one_name(&rule.pattern)
}

impl TemplateMatch<'_, '_> {
    /// Where what it matches comes from.
    pub fn origin(&self) -> Origin {
        let is_installed =
            matches!(self, Self::Rule(_, rule) if rule.heading() == Heading::Dependencies);
        match self.class() {
            _ if is_installed => Origin::Installed,
            Class::Generated => Origin::Generated,
            _ => Origin::Local,
        }
    }

    /// The same as a claim on where what is at its path comes from.
    pub fn claim(&self, place: &RepoPath) -> Claim {
        let basis = match self {
            Self::Known(_) => Basis::Mark,
            Self::Rule(_, rule) => basis(rule),
        };
        Claim {
            template: self.template().to_owned(),
            reason: self.reason().to_owned(),
            origin: self.origin(),
            basis,
            place: place.to_owned(),
        }
    }
}
