use super::write::{Proposal, Rewrite};
use crate::context::Context;
use crate::render::shown;
use anyhow::{Result, bail};
use bstr::{BString, ByteSlice};
use clap::{Args, ValueEnum};
use redshank_core::edit::Target;
use redshank_core::journal::Area;
use redshank_core::rules::{Reach, Source};
use redshank_core::settings::{self, Choices, Layout};
use redshank_core::templates::{self, Collection, Manner, Wish, recognise};
use redshank_core::tree::{Scope, Tree};
use std::process::ExitCode;

/// Write rules for the projects that are here, fitted to where each one is
#[derive(Args)]
pub struct Draft {
    /// Templates, as NAME or NAME@FOLDER; without any, those of the projects found
    #[arg(value_name = "NAME[@FOLDER]")]
    names: Vec<String>,
    /// Bring the blocks that are there up to date; what you changed or took out stays so
    #[arg(long)]
    refresh: bool,
    /// Move lines of yours that a template has, too, into its block
    #[arg(long)]
    take_over: bool,
    /// Where the rules go; redshank.toml remembers it
    #[arg(long, value_enum)]
    layout: Option<Place>,
    /// Choose a variant; redshank.toml remembers it
    #[arg(long = "variant", value_name = "TEMPLATE/VARIANT")]
    variants: Vec<String>,
    /// Leave out a template's rule; redshank.toml remembers it
    #[arg(long, value_name = "PATTERN", allow_hyphen_values = true)]
    without: Vec<String>,
    /// Write what is shown
    #[arg(long)]
    write: bool,
}

#[derive(Clone, Copy, ValueEnum)]
enum Place {
    /// All into the ignore file at the top
    Top,
    /// Each project's into its own folder
    Folders,
}

impl Draft {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        context.recover(self.write || context.has_somebody())?;
        let place = &context.place;
        let tree = Tree::walk(place, &Scope::default())?;
        let all = Collection::of(place)?;
        let known = context.settings()?.draft;
        let choices = self.choices(&known, &all)?;
        let collection = all.chosen(&choices)?;
        let survey = recognise(place, &tree, &collection);
        let mut wishes = Vec::new();
        for text in &self.names {
            wishes.extend(wish(context, &collection, text)?);
        }
        let manner = Manner {
            layout: choices.layout,
            refresh: self.refresh,
            take_over: self.take_over,
        };
        let draft = templates::Draft::compose(place, &tree, &survey, &wishes, manner)?;
        let notes = self.notes(&draft);
        let rules = draft
            .added
            .iter()
            .map(|rule| rule.to_str_lossy().into_owned())
            .collect();
        let mut files = Vec::new();
        for (folder, file) in draft.files {
            let reach = if folder.is_empty() {
                Reach::Team
            } else {
                Reach::Folder
            };
            files.push(Rewrite {
                target: Target::of(place, reach, folder.as_bstr())?,
                after: file.after,
            });
        }
        if choices != known {
            files.push(settings_with(context, &choices)?);
        }
        Proposal {
            command: "draft",
            told: self.write,
            tree: &tree,
            rules,
            files,
            notes,
        }
        .carry_out(context)?;
        Ok(ExitCode::SUCCESS)
    }

    /// What the repository chose already, with what is asked for now.
    fn choices(&self, known: &Choices, all: &[templates::Template]) -> Result<Choices> {
        let mut choices = known.clone();
        if let Some(layout) = self.layout {
            choices.layout = match layout {
                Place::Top => Layout::Top,
                Place::Folders => Layout::Folders,
            };
        }
        for pattern in &self.without {
            let variants = |t: &templates::Template| {
                t.variant
                    .iter()
                    .any(|v| v.rule.iter().any(|r| r.pattern == *pattern))
            };
            if !all
                .iter()
                .any(|t| t.rule.iter().any(|rule| rule.pattern == *pattern) || variants(t))
            {
                bail!(
                    "no template has the rule `{pattern}`\n  give it as `redshank templates show NAME` writes it"
                );
            }
        }
        let new = |had: &[String], wanted: &[String]| -> Vec<String> {
            wanted
                .iter()
                .filter(|one| !had.contains(one))
                .cloned()
                .collect()
        };
        choices
            .variants
            .extend(new(&known.variants, &self.variants));
        choices.without.extend(new(&known.without, &self.without));
        Ok(choices)
    }

    fn notes(&self, draft: &templates::Draft) -> Vec<String> {
        let mut notes = Vec::new();
        if draft.covered > 0 {
            notes.push(format!(
                "{} rules are left out: the rules that are there cover them",
                draft.covered
            ));
        }
        if draft.repeated > 0 && !self.take_over {
            let lines = if draft.repeated == 1 { "line" } else { "lines" };
            notes.push(format!(
                "templates have {} {lines} of yours, too; --take-over moves them into the blocks",
                draft.repeated
            ));
        }
        if !draft.retired.is_empty() {
            let rules: Vec<String> = draft
                .retired
                .iter()
                .map(|rule| format!("`{}`", shown(rule.as_bstr())))
                .collect();
            notes.push(format!(
                "no longer in their templates: {}",
                rules.join(", ")
            ));
        }
        for label in &draft.stale {
            notes.push(format!(
                "a newer `{}` has come; --refresh brings it in",
                shown(label.as_bstr())
            ));
        }
        for conflict in &draft.conflicts {
            let [label, was, now] =
                [&conflict.label, &conflict.was, &conflict.now].map(|text| shown(text.as_bstr()));
            notes.push(format!(
                "conflict in `{label}`: you changed `{was}`, the template has `{now}` in its place; add what you want"
            ));
        }
        notes
    }
}

/// The settings file with these choices.
fn settings_with(context: &Context, choices: &Choices) -> Result<Rewrite> {
    let path = context.place.path(settings::FILE.into());
    let text = settings::text(&context.place)?;
    let after = choices
        .written_into(text.as_deref().unwrap_or_default(), &path)?
        .into_bytes();
    let contents = text.map(String::into_bytes);
    let name = BString::from(settings::FILE);
    let source = Source {
        shown: name.clone(),
        base: BString::default(),
        reach: Reach::Team,
    };
    Ok(Rewrite {
        target: Target {
            source,
            area: Area::Worktree,
            path: name,
            contents,
        },
        after,
    })
}

/// Reads `NAME` or `NAME@FOLDER`.
fn wish<'a>(context: &Context, collection: &'a Collection, text: &str) -> Result<Vec<Wish<'a>>> {
    let (name, folder) = match text.split_once('@') {
        Some((name, folder)) => (name, Some(context.resolve(folder.as_ref())?)),
        None => (text, None),
    };
    Ok(Wish::of(
        &context.place,
        collection,
        name,
        folder.as_ref().map(|folder| folder.as_bstr()),
    )?)
}
