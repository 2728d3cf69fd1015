//! Composing the rules that a place should have.

use super::{Project, Survey, Template, TemplateRule, exactly, fit};
use crate::findings::needed;
use crate::ignore_file::{NewRule, Section, labels, with_section};
use crate::rules::{Chain, IGNORE_FILE};
use crate::tree::{Overlay, Place, Tree};
use crate::{Error, Result};
use bstr::{BStr, BString, ByteSlice};

/// A template that somebody asked for, by name, perhaps for one folder.
pub struct Wish<'a> {
    /// Which.
    pub template: &'a Template,
    /// Where: empty, or with a slash at its end. `None`: wherever it was recognised, else at the top.
    pub folder: Option<BString>,
}

/// Rules for one template in one folder.
pub struct Block {
    /// What the marks around it say.
    pub section: Section,
    /// The template's revision.
    pub revision: Option<u32>,
    /// How many of the template's rules are left out because something covers them already.
    pub covered: usize,
}

/// What is to be written, and where.
pub struct Draft {
    /// The ignore file at the top, as it is.
    pub before: Vec<u8>,
    /// As it would be.
    pub after: Vec<u8>,
    /// What is new in it.
    pub blocks: Vec<Block>,
}

impl Draft {
    /// Composes rules for what was recognised, or only for the wishes if there are any. Rules are fitted to where each
    /// project is; what is there already, or covered, is not repeated; a needed file that a rule would swallow gets an
    /// exception.
    ///
    /// # Errors
    /// If the ignore files can't be read.
    pub fn compose<'a>(place: &Place, tree: &Tree, survey: &Survey<'a>, wishes: &[Wish<'a>]) -> Result<Self> {
        let before = place.ignore_file(b"".into())?.unwrap_or_default();
        let mut draft = Self { after: before.clone(), before, blocks: Vec::new() };
        for project in wanted(survey, wishes) {
            draft.add_project(place, &project)?;
        }
        if wishes.is_empty() {
            for found in &survey.folders {
                let rule = NewRule {
                    pattern: exactly(found.folder.as_bstr()),
                    reason: found.mark.reason.clone(),
                    remake: found.mark.remake.clone(),
                };
                let probe = [found.folder.as_slice(), b"x"].concat();
                if draft.chain(place, found.folder.as_bstr())?.shuts(probe.as_bstr(), false).is_none() {
                    let label = Section::label_of(found.template, found.folder.as_bstr());
                    draft.push(Section::new(label, [rule]), None, 0);
                }
            }
        }
        let overlay = Overlay::from([(BString::from(IGNORE_FILE), draft.after.clone())]);
        let exceptions = needed::exceptions(&needed::swallowed(place, tree, &survey.projects, overlay)?);
        if !exceptions.is_empty() {
            draft.push(Section::new("needed".into(), exceptions), None, 0);
        }
        Ok(draft)
    }

    fn add_project(&mut self, place: &Place, project: &Project) -> Result<()> {
        let folder = project.rules_folder();
        let label = Section::label_of(&project.template.name, folder.as_bstr());
        if labels(&self.before).iter().any(|known| *known == label) {
            return Ok(());
        }
        let chain = self.chain(place, folder.as_bstr())?;
        let covered = |rule: &TemplateRule| {
            let shut = |example: &String| {
                let path = [folder.as_slice(), example.as_bytes()].concat();
                chain.shuts(path.as_bstr(), false).is_some()
            };
            !rule.ignored.is_empty() && rule.ignored.iter().all(shut)
        };
        let rules: Vec<&TemplateRule> = project.template.rule.iter().filter(|rule| !covered(rule)).collect();
        let left_out = project.template.rule.len() - rules.len();
        if rules.iter().any(|rule| !rule.pattern.starts_with('!')) {
            let fitted = rules.iter().map(|rule| NewRule {
                pattern: fit(&rule.pattern, folder.as_bstr()),
                reason: rule.reason.clone(),
                remake: rule.remake.clone(),
            });
            self.push(Section::new(label, fitted), Some(project.template.revision), left_out);
        }
        Ok(())
    }

    fn push(&mut self, section: Section, revision: Option<u32>, covered: usize) {
        self.after = with_section(&self.after, &section, revision);
        self.blocks.push(Block { section, revision, covered });
    }

    /// The rules that everyone would have in a folder: its ignore file and the ones above, the top one as drafted.
    fn chain(&self, place: &Place, folder: &BStr) -> Result<Chain> {
        let overlay = Overlay::from([(BString::from(IGNORE_FILE), self.after.clone())]);
        place.shared_rules(folder, &overlay)
    }
}

fn wanted<'a>(survey: &Survey<'a>, wishes: &[Wish<'a>]) -> Vec<Project<'a>> {
    if wishes.is_empty() {
        // What belongs to a project first; litter of editors and systems after it.
        let mut projects = survey.projects.clone();
        projects.sort_by_key(|project| project.template.group.everywhere());
        return projects;
    }
    let mut wanted = Vec::new();
    for wish in wishes {
        let found = survey.projects.iter().filter(|project| project.template.name == wish.template.name);
        match &wish.folder {
            Some(folder) => wanted.push(Project::asked_for(wish.template, folder.clone())),
            None if found.clone().next().is_some() => wanted.extend(found.cloned()),
            None => wanted.push(Project::asked_for(wish.template, BString::default())),
        }
    }
    wanted
}

impl Wish<'static> {
    /// A wish for a template by name, perhaps for one folder, relative to the top.
    ///
    /// # Errors
    /// If there is no such template or folder.
    pub fn of(place: &Place, name: &str, folder: Option<&BStr>) -> Result<Self> {
        let template = super::find(name)?;
        let folder = folder.map(|folder| match folder.strip_suffix(b"/").unwrap_or(folder).as_bstr() {
            bare if bare.is_empty() => Ok(BString::default()),
            bare if place.path(bare).is_dir() => Ok([bare.as_bytes(), b"/"].concat().into()),
            bare => Err(Error::NoFolder { folder: bare.to_owned(), top: place.top.clone() }),
        });
        Ok(Self { template, folder: folder.transpose()? })
    }
}
