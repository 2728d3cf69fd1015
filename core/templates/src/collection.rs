//! All templates there are: those that come with the program, the person's own, and the team's,
//! each with those of a policy below them. The nearer one hides the farther of the same name.

use super::format::{Template, TemplateSource};
use super::other_names::meant;
use super::validity::{Fault, check};
use crate::{Error, Result};
use rayon::prelude::*;
use redshank_files::{FileKind, Root};
use redshank_rules::RepoPath;
use redshank_worktree::policy::Policy;
use redshank_worktree::settings::Choices;
use redshank_worktree::{Snapshot, apart, io_error_at, personal, toml_file};
use std::io::ErrorKind;
use std::ops::Deref;
use std::path::{Path, PathBuf};

/// The templates that come with the program; each line is one, as build.rs packed it.
static BUILT_IN: &str = include_str!(concat!(env!("OUT_DIR"), "/templates.json"));

/// Where a repository keeps its own, relative to its top.
pub const TEAM_FOLDER: &str = ".redshank/templates";

/// Templates by name, sorted.
pub struct Collection {
    templates: Vec<Template>,
    /// The farther ones that a nearer one of the same name hides.
    pub hidden: Vec<Template>,
}

impl Deref for Collection {
    type Target = [Template];

    fn deref(&self) -> &[Template] {
        &self.templates
    }
}

impl Collection {
    /// A collection of only these templates.
    pub fn of_templates(templates: Vec<Template>) -> Self {
        Self::of_layers(templates, Vec::new())
    }

    /// Only what comes with the program.
    ///
    /// # Errors
    /// If one of them is not in the format; the tests see to it that this does not happen.
    pub fn built_in() -> Result<Self> {
        let lines: Vec<_> = BUILT_IN.lines().collect();
        let read = || {
            let lines = lines.into_par_iter();
            lines
                .map(serde_json::from_str)
                .collect::<Result<Vec<_>, _>>()
        };
        let templates = apart(read).map_err(Error::Packed)?;
        Ok(Self::of_templates(without_left_out(templates)))
    }

    /// All that counts in a snapshot.
    ///
    /// # Errors
    /// If a template can't be read, is not in the format, or fails its own examples.
    pub fn load(snapshot: &Snapshot) -> Result<Self> {
        let own = own_files(snapshot)?
            .into_iter()
            .map(read_own)
            .collect::<Result<Vec<_>>>()?;
        let all = Self::of_layers(Self::built_in()?.templates, own);
        let mut own = all
            .iter()
            .filter(|template| template.origin != TemplateSource::BuiltIn);
        own.try_for_each(|own| all.with(own).map(drop))?;
        Ok(all)
    }

    /// The same, as the repository chose it to be: its variants, and without what it doesn't want.
    ///
    /// # Errors
    /// If a variant doesn't exist.
    pub fn chosen(mut self, choices: &Choices) -> Result<Self> {
        for wanted in &choices.variants {
            let known = self
                .iter()
                .flat_map(Template::variant_names)
                .collect::<Vec<_>>();
            if !known.contains(wanted) {
                let near = known
                    .into_iter()
                    .min_by_key(|known| strsim::damerau_levenshtein(known, wanted));
                return Err(Error::NoVariant {
                    name: wanted.clone(),
                    near: near.unwrap_or_default(),
                });
            }
        }
        self.templates
            .iter_mut()
            .for_each(|template| template.choose(choices));
        Ok(self)
    }

    /// The one template of that name that counts in a place; reads no other.
    ///
    /// # Errors
    /// As [`Self::load`], and if there is none of that name; the error names the nearest.
    pub fn one(snapshot: &Snapshot, name: &str) -> Result<Template> {
        let own = own_files(snapshot)?
            .into_iter()
            .rev()
            .find(|(path, ..)| is_named(path, name));
        match own {
            Some(own) => read_own(own),
            None => match Self::built_in()?.find(name) {
                Ok(built_in) => Ok(built_in.clone()),
                Err(_) => Self::load(snapshot)?.find(name).cloned(),
            },
        }
    }

    /// The template of that name, or the one that another name of it means, such as `intellij`.
    ///
    /// # Errors
    /// If there is none; the error names the nearest.
    pub fn find(&self, name: &str) -> Result<&Template> {
        let of_name = |name: &str| self.iter().find(|template| template.name == name);
        of_name(name)
            .or_else(|| of_name(meant(name)?))
            .ok_or_else(|| {
                let near = self
                    .iter()
                    .min_by_key(|template| strsim::damerau_levenshtein(name, &template.name));
                Error::NoTemplate {
                    name: name.to_owned(),
                    near: near.map_or_else(String::new, |found| found.name.clone()),
                }
            })
    }

    /// The name that may have been meant by one that there isn't.
    pub fn near(&self, name: &str) -> Option<&str> {
        let distance = |known: &str| strsim::damerau_levenshtein(name, known);
        let names = self.iter().map(|template| template.name.as_str());
        let nearest = names.min_by_key(|known| distance(known))?;
        // A third of its letters may be wrong.
        (distance(nearest) <= name.len().div_ceil(3)).then_some(nearest)
    }

    /// A template and all that come with it, each once, itself first.
    ///
    /// # Errors
    /// If one of them doesn't exist, or they come with each other in a circle.
    pub fn with<'a>(&'a self, template: &'a Template) -> Result<Vec<&'a Template>> {
        let mut all = Vec::new();
        self.come_along(template, &mut Vec::new(), &mut all)?;
        Ok(all)
    }

    fn come_along<'a>(
        &'a self,
        template: &'a Template,
        above: &mut Vec<&'a str>,
        all: &mut Vec<&'a Template>,
    ) -> Result<()> {
        if above.contains(&template.name.as_str()) {
            let circle = [above.as_slice(), &[&template.name]].concat();
            return Err(Error::Circle {
                name: template.name.clone(),
                circle: circle.into_iter().map(str::to_owned).collect(),
            });
        }
        if all.iter().any(|known| known.name == template.name) {
            return Ok(());
        }
        all.push(template);
        above.push(&template.name);
        template
            .with
            .iter()
            .try_for_each(|name| self.come_along(self.find(name)?, above, all))?;
        above.pop();
        Ok(())
    }

    /// The farthest layer, and the nearer ones in order.
    fn of_layers(mut templates: Vec<Template>, nearer: Vec<Template>) -> Self {
        let mut hidden = Vec::new();
        for template in nearer {
            match templates
                .iter_mut()
                .find(|known| known.name == template.name)
            {
                Some(farther) => hidden.push(std::mem::replace(farther, template)),
                None => templates.push(template),
            }
        }
        templates.sort_by(|a, b| a.name.cmp(&b.name));
        Self { templates, hidden }
    }
}

/// The folder of the person's own templates; `None` where no home folder is known.
pub fn personal_folder() -> Option<PathBuf> {
    Some(personal::folder()?.join("templates"))
}

/// That folder, made if it isn't there yet.
///
/// # Errors
/// If no home folder is known, or the disk refuses.
pub fn open_personal_folder() -> Result<Root> {
    let folder = personal_folder().ok_or(Error::NoHome)?;
    redshank_files::create_own_folder(&folder).map_err(io_error_at(&folder))?;
    Ok(Root::open(&folder).map_err(io_error_at(&folder))?)
}

fn is_named(path: &Path, name: &str) -> bool {
    path.file_stem().is_some_and(|stem| stem == name)
}

/// A template file: where it is, where it comes from, and what it holds.
type OwnFile = (PathBuf, TemplateSource, Result<Vec<u8>>);

/// The person's and the team's template files, in this order, each behind those of the policy.
fn own_files(snapshot: &Snapshot) -> Result<Vec<OwnFile>> {
    let settings = snapshot.settings()?;
    let mut files = files_of_policy(settings.personal_policy.as_ref());
    for path in personal_folder()
        .iter()
        .map(|folder| toml_files(folder))
        .collect::<Result<Vec<_>>>()?
        .concat()
    {
        let text = redshank_files::read_trusted(&path, LARGEST_TEMPLATE);
        let text = text.map_err(|cause| io_error_at(&path)(cause).into());
        files.push((path.clone(), TemplateSource::Personal(path), text));
    }
    files.extend(files_of_policy(settings.policy_copy.as_ref()));
    // What a repository brings along may not lead out of it.
    let mut names = match snapshot.root.list(TEAM_FOLDER.into()) {
        Err(error) if redshank_files::is_absence(&error) => return Ok(files),
        Err(error) if redshank_files::is_link_on_the_way(&error) => {
            return Err(Error::TemplateLink(snapshot.path(TEAM_FOLDER.into())));
        }
        listed => listed.map_err(io_error_at(&snapshot.path(TEAM_FOLDER.into())))?,
    };
    names.retain(|(name, _)| name.ends_with(b".toml"));
    names.sort_by(|a, b| a.0.cmp(&b.0));
    for (name, kind) in names {
        let below = RepoPath::new(TEAM_FOLDER).join(&name);
        let path = snapshot.path(&below);
        if kind == FileKind::Link {
            return Err(Error::TemplateLink(path));
        }
        let text = snapshot
            .root
            .read(&below, LARGEST_TEMPLATE)
            .map_err(|cause| io_error_at(&path)(cause).into());
        files.push((path.clone(), TemplateSource::Team(path), text));
    }
    Ok(files)
}

fn files_of_policy(policy: Option<&Policy>) -> Vec<OwnFile> {
    let templates = policy.into_iter().flat_map(Policy::templates);
    let files = templates.map(|(path, bytes)| {
        let source = TemplateSource::Policy(path.clone());
        (path, source, Ok(bytes.to_vec()))
    });
    files.collect()
}

/// No template is larger than this, in bytes.
const LARGEST_TEMPLATE: u64 = 4 << 20;

#[allow(clippy::disallowed_methods, reason = "the person's own folder")]
fn toml_files(folder: &Path) -> Result<Vec<PathBuf>> {
    let disk = |cause| Error::from(io_error_at(folder)(cause));
    let listed = match std::fs::read_dir(folder) {
        Ok(listed) => listed,
        Err(error) if matches!(error.kind(), ErrorKind::NotFound | ErrorKind::NotADirectory) => {
            return Ok(Vec::new());
        }
        Err(cause) => return Err(disk(cause)),
    };
    let paths = listed
        .map(|entry| entry.map(|entry| entry.path()))
        .collect::<Result<Vec<_>, _>>()
        .map_err(disk)?;
    let mut files: Vec<PathBuf> = paths
        .into_iter()
        .filter(|path| path.extension().is_some_and(|e| e == "toml"))
        .collect();
    files.sort();
    Ok(files)
}

fn read_own((path, origin, text): OwnFile) -> Result<Template> {
    let template = Template::parse(text?, &path)?;
    Ok(Template { origin, ..template })
}

impl Template {
    /// The template that a file holds; `path` is that file's.
    ///
    /// # Errors
    /// If it is not in the format, contradicts itself, or the file is not named after it.
    pub fn parse(text: Vec<u8>, path: &Path) -> Result<Self> {
        let text = toml_file::text(text, path)?;
        let template: Self = toml_file::read(&text, path)?;
        let misnamed = || {
            let name = template.name.clone();
            (!is_named(path, &name)).then_some(Fault::NotNamedAfter { name })
        };
        match misnamed().or_else(|| check(&template).into_iter().next()) {
            None => Ok(template),
            Some(fault) => {
                let at = fault.at().and_then(|at| text.find(at));
                Err(Error::Invalid {
                    path: path.to_owned(),
                    line: at.map_or(1, |at| toml_file::line_at(&text, at)),
                    fault: Box::new(fault),
                })
            }
        }
    }
}

/// The templates without those that `REDSHANK_LEFT_OUT=node,vite` names, in a program built without
/// optimisation: what it says of tools that it doesn't know is measured so
/// (`evidence/left_out.py`).
fn without_left_out(mut templates: Vec<Template>) -> Vec<Template> {
    if cfg!(debug_assertions)
        && let Ok(names) = std::env::var("REDSHANK_LEFT_OUT")
    {
        templates.retain(|template| !names.split(',').any(|name| name == template.name));
    }
    templates
}
