//! Where teams do it in two ways, the one that a repository follows already.

use crate::draft::covers;
use crate::examples::ignores;
use crate::{Project, Result, Template, Variant};
use bstr::ByteSlice;
use redshank_rules::{Case, Rule};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_worktree::tree::{Entry, State};
use redshank_worktree::{Overlay, Snapshot, Verdicts};
use std::collections::BTreeSet;

/// One of two ways, and what shows that it is followed.
pub struct Convention<'a> {
    /// The template that it is about.
    pub template: &'a str,
    /// The variant of it that stands for the other way.
    pub variant: &'a Variant,
    /// The variant is followed; else the template as it is.
    pub is_variant: bool,
    /// The files or rules that show it.
    pub shown_by: ShownBy,
}

/// What shows which of two ways is followed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum ShownBy {
    /// A file that git tracks.
    Tracked(RepoPathBuf),
    /// Rules that ignore whatever this pattern matches.
    KeptOut(String),
}

/// The ways that a repository follows where its projects' templates have variants: one a template
/// at most, the one that says most.
///
/// # Errors
/// If the tree or an ignore file can't be read.
pub fn conventions<'a>(
    snapshot: &Snapshot,
    projects: &[Project<'a>],
) -> Result<Vec<Convention<'a>>> {
    let verdicts = Verdicts::new(snapshot, Overlay::new())?;
    let tracked: Vec<&Entry> = snapshot.tree()?.in_state(State::Tracked).collect();
    let chosen = &snapshot.settings()?.draft.variants;
    let mut seen = BTreeSet::new();
    let mut found = Vec::new();
    for project in projects {
        let template = project.template;
        if seen.contains(&template.name)
            || template.variant_names().any(|name| chosen.contains(&name))
        {
            continue;
        }
        let mut best: Option<(usize, Convention)> = None;
        for variant in &template.variant {
            let Some(convention) = followed(&verdicts, &tracked, project, variant)? else {
                continue;
            };
            let weight = differences(variant).count();
            if best.as_ref().is_none_or(|(known, _)| *known < weight) {
                best = Some((weight, convention));
            }
        }
        if let Some((_, convention)) = best {
            seen.insert(&template.name);
            found.push(convention);
        }
    }
    Ok(found)
}

/// The variants of the projects' templates that nobody chose, and of which nothing here shows
/// whether they are followed.
///
/// # Errors
/// If the settings can't be read.
pub fn open_choices<'a>(
    snapshot: &Snapshot,
    projects: &[Project<'a>],
    conventions: &[Convention],
) -> Result<Vec<(&'a Template, &'a Variant)>> {
    let chosen = &snapshot.settings()?.draft.variants;
    let mut templates: Vec<&'a Template> = projects.iter().map(|one| one.template).collect();
    templates.sort_by(|a, b| a.name.cmp(&b.name));
    templates.dedup_by(|a, b| a.name == b.name);
    templates.retain(|template| {
        let is_chosen = template.variant_names().any(|name| chosen.contains(&name));
        let is_shown = conventions.iter().any(|one| one.template == template.name);
        !is_chosen && !is_shown
    });
    let variants = templates.into_iter().flat_map(|template| {
        let variants = template.variant.iter();
        variants.map(move |variant| (template, variant))
    });
    Ok(variants.collect())
}

/// The patterns in which a variant differs, and whether it ignores what they match. Exceptions say
/// nothing of their own where what they except from goes, too.
fn differences(variant: &Variant) -> impl Iterator<Item = (&str, bool)> {
    let has_rule = variant.drops.iter().any(|drop| !drop.starts_with('!'));
    let drops = variant.drops.iter();
    let drops = drops.filter(move |drop| !has_rule || !drop.starts_with('!'));
    let drops = drops.map(|pattern| {
        let bare = pattern.trim_start_matches('!');
        (bare, bare.len() < pattern.len())
    });
    let adds = variant.rule.iter().map(|rule| {
        let bare = rule.pattern.trim_start_matches('!');
        (bare, bare.len() == rule.pattern.len())
    });
    drops.chain(adds)
}

fn followed<'a>(
    verdicts: &Verdicts,
    tracked: &[&Entry],
    project: &Project<'a>,
    variant: &'a Variant,
) -> Result<Option<Convention<'a>>> {
    let folder = project.rules_folder();
    let convention = |is_variant, shown_by| Convention {
        template: &project.template.name,
        variant,
        is_variant,
        shown_by,
    };
    for (pattern, keeps_out) in differences(variant) {
        let rule = Rule::parse(pattern.as_bytes(), 0, Case::Sensitive);
        // What any path that it matches holds; most hold no such thing.
        let literals = pattern.split(['*', '?', '[', ']', '\\', '/']);
        let literal = literals.max_by_key(|literal| literal.len());
        let literal = literal.unwrap_or_default();
        if let Some(entry) = tracked.iter().find(|entry| {
            if !entry.path.contains_str(literal) {
                return false;
            }
            let below = entry.path.below(&folder).map(RepoPath::new);
            below.is_some_and(|path| {
                let mut parts = path.parts();
                let matches = parts.any(|part| rule.matches(part.bare(), part.is_folder()));
                // An exception of the template's own may re-include it either way.
                matches && (keeps_out || ignores(project.template, path))
            })
        }) {
            return Ok(Some(convention(
                !keeps_out,
                ShownBy::Tracked(entry.path.clone()),
            )));
        }
    }
    let chain = verdicts.rules_at(&folder.join("x"))?;
    let mut kept_out = differences(variant).filter(|(_, keeps_out)| *keeps_out);
    let is_kept = |pattern: &str| covers(&chain, &folder, pattern);
    let mut let_in = differences(variant).filter(|(_, keeps_out)| !keeps_out);
    if let_in.any(|(pattern, _)| is_kept(pattern)) {
        return Ok(None);
    }
    let Some((first, _)) = kept_out.next().filter(|(pattern, _)| is_kept(pattern)) else {
        return Ok(None);
    };
    let all = kept_out.all(|(pattern, _)| is_kept(pattern));
    Ok(all.then(|| convention(true, ShownBy::KeptOut(first.to_owned()))))
}
