//! The rules that fit, who gets a copy, and line ends.

use super::{DO, DO_OR_SEE, LEAVE_OR_SEE, Walk};
use crate::ask;
use crate::context::Context;
use crate::putln;
use crate::render::{Paint, files};
use anyhow::Result;
use redshank_changes::plan::{Plan, PlanOptions, StepReason};
use redshank_templates::practices;
use redshank_worktree::settings::Visibility;

/// Who gets a copy.
const WHO: &[ask::Answer] = &[('t', "the team"), ('e', "everybody")];

/// The variant of a template for what everybody gets.
const PUBLIC: &str = "public";

impl Walk<'_> {
    /// Asked once; redshank.toml keeps it.
    pub(super) fn visibility(&self) -> Result<()> {
        let is_known = self.context()?.snapshot.settings()?.visibility.is_some();
        let chosen = match (&self.setup.visibility, self.asks) {
            (Some(chosen), _) => chosen.as_str(),
            (None, false) => return Ok(()),
            (None, true) if is_known => return Ok(()),
            (None, true) => match self.asked("Who gets a copy of this repository?", WHO)? {
                'e' => "public",
                _ => "private",
            },
        };
        self.ours(&["settings", "visibility", chosen, "--write", "--quiet"])
    }

    pub(super) fn rules(&self) -> Result<()> {
        self.title(2, "Rules")?;
        let context = self.context()?;
        let survey = context.survey()?;
        let found = survey
            .projects
            .iter()
            .filter(|one| !one.template.group.everywhere());
        let mut names: Vec<&str> = found
            .map(|project| project.template.name.as_str())
            .collect();
        names.sort_unstable();
        names.dedup();
        match names.as_slice() {
            [] => putln!("No project type was recognised.")?,
            names => putln!("Found here: {}.", Paint::Type.on(names.join(", ")))?,
        }
        let mut types = self.setup.types.clone();
        let mut without = Vec::new();
        if self.asks {
            (types, without) = self.other_types(&context, types)?;
        }
        let mut variants = self.setup.variants.clone();
        for practice in practices(&context.snapshot, &survey.projects)? {
            let name = format!("{}/{}", practice.template, practice.variant.name);
            let question = format!(
                "{name}: {}, as here already. Keep to it?",
                practice.variant.title
            );
            if practice.is_variant && self.asked(&question, DO)? == 'y' {
                variants.push(name);
            }
        }
        let is_public = context.snapshot.settings()?.visibility == Some(Visibility::Public);
        for name in self.public_variants(&context, &names)? {
            let question = format!("{name}: everybody gets a copy. Take it?");
            if is_public && !variants.contains(&name) && self.asked(&question, DO)? == 'y' {
                variants.push(name);
            }
        }
        let mut words = vec!["draft"];
        for variant in &variants {
            words.extend(["--variant", variant]);
        }
        // Without a name, a draft takes all that is found.
        let mut found = words.clone();
        if !without.is_empty() {
            let wanted = names
                .iter()
                .filter(|name| !without.iter().any(|one| one == *name));
            found.splice(1..1, wanted.copied());
        }
        let mut all = Vec::new();
        if without.is_empty() || names.iter().any(|name| found.contains(name)) {
            all.push(found);
        }
        if !types.is_empty() {
            words.splice(1..1, types.iter().map(String::as_str));
            all.push(words);
        }
        loop {
            match self.asked("Write the rules that fit?", DO_OR_SEE)? {
                'd' => {
                    for words in &all {
                        self.ours(words)?;
                    }
                }
                'y' => {
                    for words in &mut all {
                        words.push("--write");
                        words.push("--quiet");
                        self.ours(words)?;
                    }
                    return Ok(());
                }
                _ => return Ok(()),
            }
        }
    }

    /// Types that the person names beside those given already, and those that are not wanted.
    fn other_types(
        &self,
        context: &Context,
        given: Vec<String>,
    ) -> Result<(Vec<String>, Vec<String>)> {
        let question = "Other types, by name; -NAME leaves one out (Enter for none)";
        loop {
            let said = ask::text(question)?.unwrap_or_default();
            let asked = said.split([',', ' ']).filter(|name| !name.is_empty());
            let collection = context.collection()?;
            let name = |asked: &str| asked.trim_start_matches('-').to_owned();
            let (known, unknown): (Vec<&str>, Vec<&str>) =
                asked.partition(|asked| collection.find(&name(asked)).is_ok());
            if unknown.is_empty() {
                let (without, more): (Vec<&str>, Vec<&str>) =
                    known.into_iter().partition(|asked| asked.starts_with('-'));
                let more = more.into_iter().map(name);
                return Ok((
                    given.into_iter().chain(more).collect(),
                    without.into_iter().map(name).collect(),
                ));
            }
            let unknown = unknown.join(", ");
            putln!("  no template is called {unknown}; `redshank templates` lists them")?;
        }
    }

    /// The variants of these templates for what everybody gets.
    fn public_variants(&self, context: &Context, names: &[&str]) -> Result<Vec<String>> {
        let collection = context.collection()?;
        let templates = names.iter().filter_map(|name| collection.find(name).ok());
        let all = templates.flat_map(|template| template.variant_names());
        let is_public = |name: &String| name.rsplit('/').next() == Some(PUBLIC);
        Ok(all.filter(is_public).collect())
    }

    /// Offered with what it changes; taken only by whoever says so.
    pub(super) fn line_ends(&self) -> Result<()> {
        let context = self.context()?;
        let options = PlanOptions {
            line_ends: true,
            ..PlanOptions::default()
        };
        let plan = Plan::of(&context.snapshot, Vec::new(), options)?;
        let Some(step) = plan.steps.first() else {
            return Ok(());
        };
        let changed = match step.reason {
            StepReason::LineEnds { files: 0 } => "no file is different today".to_owned(),
            StepReason::LineEnds { files: many } => {
                format!("git writes {} with CR LF as LF", files(many))
            }
            _ => String::new(),
        };
        drop(context);
        let question = format!("Keep line ends the same for everybody? ({changed})");
        let words = ["tidy", "--line-ends", "--apply", "--quiet"];
        if !self.asks {
            return match self.setup.line_ends {
                true => self.ours(&words),
                false => Ok(()),
            };
        }
        loop {
            match self.asked(&question, LEAVE_OR_SEE)? {
                'd' => self.ours(&words[..2])?,
                'y' => return self.ours(&words),
                _ => return Ok(()),
            }
        }
    }
}
