//! The rules that fit, who gets a copy, and line endings.

use super::{DO, DO_OR_SEE, LEAVE_OR_SEE, Walk};
use crate::Arguments;
use crate::commands::Command;
use anyhow::Result;
use clap::Parser;
use redshank_changes::plan::{Plan, PlanOptions, StepReason};
use redshank_context::{Context, PROGRAM, ask};
use redshank_output::putln;
use redshank_templates::conventions;
use redshank_text::{Paint, files};
use redshank_worktree::settings::Visibility;

/// Who gets a copy.
const WHO: &[ask::Answer] = &[('t', "team only"), ('e', "everyone")];

/// The variant of a template for what everybody gets.
const PUBLIC: &str = "public";

impl Walk<'_> {
    /// Asked before the first commit; redshank.toml keeps what isn't the usual.
    pub(super) fn visibility(&self) -> Result<()> {
        let is_known = self.context()?.snapshot.settings()?.visibility.is_some();
        let chosen = match (&self.setup.visibility, self.asks) {
            (Some(chosen), _) => chosen.as_str(),
            (None, false) => return Ok(()),
            (None, true) if is_known || self.is_begun => return Ok(()),
            (None, true) => match self.asked("Who can see this repository?", WHO)? {
                'e' => "public",
                _ => return Ok(()),
            },
        };
        self.ours(&["settings", "visibility", chosen, "--write", "--quiet"])
            .map(drop)
    }

    pub(super) fn rules(&self) -> Result<()> {
        let context = self.context()?;
        let survey = context.survey()?;
        let mut names: Vec<&str> = survey
            .projects
            .iter()
            .map(|project| project.template.name.as_str())
            .collect();
        names.extend(survey.known.iter().map(|known| known.template));
        names.sort_unstable();
        names.dedup();
        let mut types = self.setup.types.clone();
        let mut variants = self.setup.variants.clone();
        let is_told = !types.is_empty() || !variants.is_empty();
        // On a repository that has all its rules, nothing is asked.
        let mut all = Self::drafts(&types, &[], &variants);
        if self.is_begun && self.rules_to_come(&all)? == 0 && !is_told {
            return Ok(());
        }
        self.title(2, "Rules")?;
        match names.as_slice() {
            [] => putln!("No project type recognised.")?,
            names => putln!("Found here: {}.", Paint::Type.on(names.join(", ")))?,
        }
        let mut without = Vec::new();
        if self.asks {
            (types, without) = self.other_types(&context, types)?;
        }
        for practice in conventions(&context.snapshot, &survey.projects)? {
            let name = format!("{}/{}", practice.template, practice.variant.name);
            let question = format!(
                "{name}: {}, as here already. Keep it that way?",
                practice.variant.title
            );
            if practice.is_variant && self.asked(&question, DO)? == 'y' {
                variants.push(name);
            }
        }
        let is_public = context.snapshot.settings()?.visibility == Some(Visibility::Public);
        for name in self.public_variants(&context, &names)? {
            let question = format!("{name}: everyone can see it. Take it?");
            if is_public && !variants.contains(&name) && self.asked(&question, DO)? == 'y' {
                variants.push(name);
            }
        }
        all = Self::drafts(&types, &without, &variants);
        let many = self.rules_to_come(&all)?;
        drop(survey);
        drop(context);
        if many == 0 {
            putln!("The rules for these projects are written already.")?;
            return Ok(());
        }
        let question = match many {
            1 => "Write 1 rule to .gitignore?".to_owned(),
            many => format!("Write these {many} rules to .gitignore?"),
        };
        loop {
            match self.asked(&question, DO_OR_SEE)? {
                'd' => {
                    for words in &all {
                        self.ours(&borrowed(words))?;
                    }
                }
                'y' => {
                    for words in &all {
                        let words = [&borrowed(words)[..], &["--write", "--quiet"]].concat();
                        self.ours(&words)?;
                    }
                    return Ok(());
                }
                _ => return Ok(()),
            }
        }
    }

    /// The commands that draft all that is found but for some types, and others besides.
    fn drafts(types: &[String], without: &[String], variants: &[String]) -> Vec<Vec<String>> {
        let mut words = vec!["draft".to_owned()];
        for variant in variants {
            words.extend(["--variant".to_owned(), variant.clone()]);
        }
        let mut found = words.clone();
        for name in without {
            found.extend(["--except".to_owned(), name.clone()]);
        }
        let mut all = vec![found];
        if !types.is_empty() {
            words.splice(1..1, types.iter().cloned());
            all.push(words);
        }
        all
    }

    /// How many rules these commands would write.
    fn rules_to_come(&self, all: &[Vec<String>]) -> Result<usize> {
        let mut many = 0;
        for words in all {
            let arguments =
                Arguments::try_parse_from([PROGRAM].into_iter().chain(borrowed(words)))?;
            if let Command::Draft(draft) = arguments.command {
                many += draft.rules_to_come(&self.context()?)?;
            }
        }
        Ok(many)
    }

    /// Types that the person names beside those given already, and those that are not wanted.
    fn other_types(
        &self,
        context: &Context,
        given: Vec<String>,
    ) -> Result<(Vec<String>, Vec<String>)> {
        let question = "Add project types, or drop one with -NAME (Enter: keep these)";
        let mut is_again = false;
        loop {
            let said = if !is_again {
                ask::text(question)?
            } else {
                ask::text_again(question)?
            };
            let said = said.unwrap_or_default();
            is_again = true;
            let asked = said.split([',', ' ']).filter(|name| !name.is_empty());
            let collection = context.collection()?;
            // Whatever name was typed, the template's own.
            let found = asked.map(|asked| {
                let name = asked.trim_start_matches('-');
                let template = collection.find(name).map_err(|_| name.to_owned())?;
                Ok((asked.starts_with('-'), template.name.clone()))
            });
            let (known, unknown): (Vec<_>, Vec<_>) = found.partition(Result::is_ok);
            let unknown: Vec<String> = unknown.into_iter().filter_map(Result::err).collect();
            if unknown.is_empty() {
                let known = known.into_iter().filter_map(Result::ok);
                let (without, more): (Vec<_>, Vec<_>) = known.partition(|(is_out, _)| *is_out);
                let name = |(_, name): (bool, String)| name;
                return Ok((
                    given
                        .into_iter()
                        .chain(more.into_iter().map(name))
                        .collect(),
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
        Ok(all
            .filter(|name| name.rsplit('/').next() == Some(PUBLIC))
            .collect())
    }

    /// Offered with what it changes; taken only by anyone who says so.
    pub(super) fn line_ends(&self) -> Result<()> {
        if self.is_begun && !self.setup.line_ends {
            return Ok(());
        }
        let context = self.context()?;
        let options = PlanOptions {
            line_ends: true,
            ..PlanOptions::default()
        };
        let plan = Plan::build(&context.snapshot, Vec::new(), options)?;
        let Some(step) = plan.steps.first() else {
            return Ok(());
        };
        let changed = match step.reason {
            StepReason::LineEnds { files: 0 } => "no file would change".to_owned(),
            StepReason::LineEnds { files: many } => {
                format!("git stores {} with CR LF as LF", files(many))
            }
            _ => String::new(),
        };
        drop(context);
        let question = format!("Normalize line endings in .gitattributes? ({changed})");
        let words = ["tidy", "--line-endings", "--apply", "--quiet"];
        if !self.asks {
            return if self.setup.line_ends {
                self.ours(&words).map(drop)
            } else {
                Ok(())
            };
        }
        loop {
            match self.asked(&question, LEAVE_OR_SEE)? {
                'd' => self.ours(&words[..2])?,
                'y' => return self.ours(&words).map(drop),
                _ => return Ok(()),
            };
        }
    }
}

fn borrowed(words: &[String]) -> Vec<&str> {
    words.iter().map(String::as_str).collect()
}
