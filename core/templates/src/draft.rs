//! Composing the rules that a place should have.

use super::refresh::{is_taken_out, refreshed};
use super::{Collection, Project, Survey, Template, TemplateRule, swallowed};
use crate::{Error, Result};
use bstr::{BStr, BString, ByteSlice};
use redshank_files::FileKind;
use redshank_pattern::{exactly, fit};
use redshank_worktree::ignore_file::{
    Block, NewRule, Section, blocks, lines_of, with_block, with_section,
};
use redshank_worktree::rules::{Chain, IGNORE_FILE};
use redshank_worktree::settings::Layout;
use redshank_worktree::{Overlay, Snapshot};
use std::collections::BTreeMap;

/// A template that somebody asked for, by name, perhaps for one folder.
pub struct TemplateRequest<'a> {
    /// Which.
    pub template: &'a Template,
    /// Where: empty, or with a slash at its end. `None`: wherever it was recognised, else at the
    /// top.
    pub folder: Option<BString>,
}

/// How to draft.
#[derive(Debug, Clone, Copy, Default)]
pub struct DraftOptions {
    /// Where the rules go.
    pub layout: Layout,
    /// Blocks that are there are brought up to date.
    pub refresh: bool,
    /// The person's own lines that a template has, too, move into its block.
    pub take_over: bool,
}

/// An ignore file, as it is and as it would be.
pub struct Edited {
    /// As it is.
    pub before: Vec<u8>,
    /// As it would be.
    pub after: Vec<u8>,
}

/// What is to be written, and where.
#[derive(Default)]
pub struct Draft {
    /// By folder: empty for the top, else with a slash at its end.
    pub files: BTreeMap<BString, Edited>,
    /// The rules that come in.
    pub added: Vec<BString>,
    /// The rules that go because their template no longer has them.
    pub retired: Vec<BString>,
    /// How many of the templates' rules are left out because something covers them already.
    pub covered: usize,
    /// How many of the person's own lines a template has, too.
    pub repeated: usize,
    /// The labels of blocks that are there and not up to date, where nobody asked to refresh them.
    pub stale: Vec<BString>,
    /// What a person must decide.
    pub conflicts: Vec<Conflict>,
}

/// A template's rule was changed by the person here and by the template, too.
pub struct Conflict {
    /// The block.
    pub label: BString,
    /// The rule as it was.
    pub was: BString,
    /// The template's rule now, which is not written.
    pub now: BString,
}

impl Draft {
    /// Composes rules for what was recognised, or only for the requests if there are any. Rules are
    /// fitted to where each project is; what is there already, or covered, is not repeated; a
    /// needed file that a rule would swallow gets an exception.
    ///
    /// # Errors
    /// If the ignore files can't be read.
    pub fn compose<'a>(
        snapshot: &Snapshot,
        survey: &Survey<'a>,
        requests: &[TemplateRequest<'a>],
        options: DraftOptions,
    ) -> Result<Self> {
        let mut draft = Self::default();
        for project in wanted(survey, requests) {
            draft.add_project(snapshot, &project, options)?;
        }
        if requests.is_empty() {
            draft.add_known_places(snapshot, survey)?;
        }
        let overlay = draft.overlay();
        for file in swallowed(snapshot, snapshot.tree()?, &survey.projects, overlay)? {
            let (folder, exception) = file.placed();
            // A file in a folder that is shut can't be let in by a rule of its own.
            let known = lines_of(&draft.file(snapshot, folder.as_bstr())?.after)
                .any(|line| line.text == exception.pattern);
            if file.shut.is_none() && !known {
                draft.push(
                    snapshot,
                    folder.as_bstr(),
                    &Section::new("needed".into(), [exception]),
                    None,
                )?;
            }
        }
        draft.files.retain(|_, file| file.before != file.after);
        Ok(draft)
    }

    fn add_project(
        &mut self,
        snapshot: &Snapshot,
        project: &Project,
        options: DraftOptions,
    ) -> Result<()> {
        let home = project.rules_folder();
        let in_home = Section::label_of(&project.template.name, b"".into());
        let in_top = Section::label_of(&project.template.name, home.as_bstr());
        for (file, label) in [(b"".as_bstr(), &in_top), (home.as_bstr(), &in_home)] {
            let known = blocks(&self.file(snapshot, file)?.before)
                .into_iter()
                .find(|block| block.label == label.as_str());
            if let Some(block) = known {
                return self.renew(snapshot, project, file, block, options.refresh);
            }
        }
        let (file, label) = match options.layout {
            Layout::Top => (BString::default(), in_top),
            Layout::Folders => (home.clone(), in_home),
        };
        let fitted = |rule: &TemplateRule| fit(&rule.pattern, home[file.len()..].as_bstr());
        self.repeat(
            snapshot,
            file.as_bstr(),
            project.template.rule.iter().map(fitted).collect(),
            options.take_over,
        )?;
        let rules = self.uncovered(snapshot, project, |_| false)?;
        if rules.iter().any(|rule| !rule.pattern.starts_with('!')) {
            let section =
                Section::new(label, rules.iter().map(|rule| new_rule(rule, fitted(rule))));
            self.push(
                snapshot,
                file.as_bstr(),
                &section,
                Some(project.template.revision),
            )?;
        }
        Ok(())
    }

    /// The template's rules that must be written: those that nothing covers, and those that are
    /// `here` already.
    fn uncovered<'t>(
        &mut self,
        snapshot: &Snapshot,
        project: &Project<'t>,
        here: impl Fn(&TemplateRule) -> bool,
    ) -> Result<Vec<&'t TemplateRule>> {
        let folder = project.rules_folder();
        let chain = snapshot.shared_rules(folder.as_bstr(), &self.overlay())?;
        let all = &project.template.rule;
        let rules: Vec<_> = all
            .iter()
            .filter(|rule| here(rule) || !covers(&chain, folder.as_bstr(), rule))
            .collect();
        self.covered += all.len() - rules.len();
        Ok(rules)
    }

    /// Brings a block up to date, or only notes that it isn't.
    fn renew(
        &mut self,
        snapshot: &Snapshot,
        project: &Project,
        file: &BStr,
        block: Block,
        refresh: bool,
    ) -> Result<()> {
        let home = project.rules_folder();
        let fitted = |rule: &TemplateRule| fit(&rule.pattern, home[file.len()..].as_bstr());
        if !refresh {
            if block.revision != project.template.revision {
                self.stale.push(block.label);
            }
            return Ok(());
        }
        let before = self.file(snapshot, file)?.before.clone();
        let elsewhere = |pattern: &BString| {
            let outside =
                lines_of(&before).filter(|line| !block.place.contains(&(line.number as usize - 1)));
            outside
                .into_iter()
                .any(|line| line.text == pattern.as_bstr())
        };
        let rules = self.uncovered(snapshot, project, |rule| {
            block.lines.contains(&fitted(rule))
        })?;
        let mut current = Vec::new();
        for rule in rules {
            let pattern = fitted(rule);
            if block.lines.contains(&pattern) {
                current.push(new_rule(rule, pattern));
            } else if !is_taken_out(&block, &pattern) && !elsewhere(&pattern) {
                let was = rule
                    .replaces
                    .as_ref()
                    .map(|was| fit(was, home[file.len()..].as_bstr()));
                match was.filter(|was| is_taken_out(&block, was)) {
                    Some(was) => self.conflicts.push(Conflict {
                        label: block.label.clone(),
                        was,
                        now: pattern,
                    }),
                    None => current.push(new_rule(rule, pattern)),
                }
            }
        }
        // A comment that the person took out stays out, too.
        let mut lines = Section::new(String::new(), current).lines;
        lines.retain(|line| !is_taken_out(&block, line));
        let renewed = refreshed(&block, &lines, project.template.revision);
        if renewed.block != block {
            let edited = self.file(snapshot, file)?;
            // Other blocks may have moved it.
            let moved = blocks(&edited.after)
                .into_iter()
                .find(|known| known.label == block.label);
            let at = moved.map_or(block.place, |known| known.place);
            edited.after = with_block(
                &edited.after,
                &Block {
                    place: at,
                    ..renewed.block
                },
            );
            let is_rule = |line: &BString| !line.starts_with(b"#") && !line.is_empty();
            self.added.extend(renewed.added.into_iter().filter(is_rule));
            self.retired
                .extend(renewed.retired.into_iter().filter(is_rule));
        }
        Ok(())
    }

    /// Counts the person's own lines that are among these patterns; takes them out if they are to
    /// be taken over.
    fn repeat(
        &mut self,
        snapshot: &Snapshot,
        file: &BStr,
        patterns: Vec<BString>,
        take_over: bool,
    ) -> Result<()> {
        let edited = self.file(snapshot, file)?;
        let own = blocks(&edited.after);
        let mut kept = Vec::new();
        let mut repeated = 0;
        for line in lines_of(&edited.after) {
            let in_block = own
                .iter()
                .any(|block| block.place.contains(&(line.number as usize - 1)));
            if !in_block
                && patterns
                    .iter()
                    .any(|pattern| line.text == pattern.as_bstr())
            {
                repeated += 1;
            } else {
                kept.extend_from_slice(line.whole);
            }
        }
        if take_over {
            edited.after = kept;
        }
        self.repeated += repeated;
        Ok(())
    }

    /// Rules for folders known by what lies in them, and for what the projects' own settings name.
    fn add_known_places(&mut self, snapshot: &Snapshot, survey: &Survey) -> Result<()> {
        for known in &survey.known {
            let is_folder = known.path.ends_with(b"/");
            let probe: BString = if is_folder {
                [&known.path, &b"x"[..]].concat().into()
            } else {
                known.path.clone()
            };
            let above = probe
                .rfind_byte(b'/')
                .map_or(b"".as_bstr(), |slash| probe[..=slash].as_bstr());
            if snapshot
                .shared_rules(above, &self.overlay())?
                .shuts(probe.as_bstr(), false)
                .is_none()
            {
                let rule = NewRule {
                    pattern: exactly(known.path.as_bstr()),
                    reason: known.reason.to_owned(),
                    remake: known.remake.map(str::to_owned),
                };
                let label = format!("{} places", known.template);
                self.push(snapshot, b"".into(), &Section::new(label, [rule]), None)?;
            }
        }
        Ok(())
    }

    fn push(
        &mut self,
        snapshot: &Snapshot,
        file: &BStr,
        section: &Section,
        revision: Option<u32>,
    ) -> Result<()> {
        let edited = self.file(snapshot, file)?;
        edited.after = with_section(&edited.after, section, revision);
        self.added.extend(
            section
                .lines
                .iter()
                .filter(|line| !line.starts_with(b"#"))
                .cloned(),
        );
        Ok(())
    }

    fn file(&mut self, snapshot: &Snapshot, folder: &BStr) -> Result<&mut Edited> {
        if !self.files.contains_key(folder) {
            let held = snapshot.ignore_file(folder)?;
            let before = held.map_or_else(Vec::new, |file| file.contents.clone());
            self.files.insert(
                folder.to_owned(),
                Edited {
                    after: before.clone(),
                    before,
                },
            );
        }
        self.files.get_mut(folder).ok_or_else(|| Error::NoFolder {
            folder: folder.to_owned(),
            top: snapshot.top.clone(),
        })
    }

    /// The ignore files as drafted so far.
    pub fn overlay(&self) -> Overlay {
        let changed = self
            .files
            .iter()
            .filter(|(_, file)| file.before != file.after);
        changed
            .map(|(folder, file)| {
                (
                    [folder, IGNORE_FILE.as_bytes()].concat().into(),
                    file.after.clone(),
                )
            })
            .collect()
    }
}

/// Whether the rules that everyone has keep out all that a rule is for.
fn covers(chain: &Chain, folder: &BStr, rule: &TemplateRule) -> bool {
    let shut = |example: &String| {
        chain
            .shuts(
                [folder.as_bytes(), example.as_bytes()].concat().as_bstr(),
                false,
            )
            .is_some()
    };
    !rule.ignored.is_empty() && rule.ignored.iter().all(shut)
}

fn new_rule(rule: &TemplateRule, pattern: BString) -> NewRule {
    NewRule {
        pattern,
        reason: rule.reason.clone(),
        remake: rule.remake.clone(),
    }
}

fn wanted<'a>(survey: &Survey<'a>, requests: &[TemplateRequest<'a>]) -> Vec<Project<'a>> {
    if requests.is_empty() {
        // What belongs to a project first; litter of editors and systems after it.
        let mut projects = survey.projects.clone();
        projects.sort_by_key(|project| project.template.group.everywhere());
        return projects;
    }
    let mut wanted = Vec::new();
    for request in requests {
        let found = survey
            .projects
            .iter()
            .filter(|project| project.template.name == request.template.name);
        match &request.folder {
            Some(folder) => wanted.push(Project::asked_for(request.template, folder.clone())),
            None if found.clone().next().is_some() => wanted.extend(found.cloned()),
            None => wanted.push(Project::asked_for(request.template, BString::default())),
        }
    }
    wanted
}

impl<'a> TemplateRequest<'a> {
    /// Requests for a template by name and those that come along with it, perhaps for one folder,
    /// relative to the top.
    ///
    /// # Errors
    /// If there is no such template or folder.
    pub fn of(
        snapshot: &Snapshot,
        collection: &'a Collection,
        name: &str,
        folder: Option<&BStr>,
    ) -> Result<Vec<Self>> {
        let templates = collection.with(collection.find(name)?)?;
        let folder =
            folder.map(
                |folder| match folder.strip_suffix(b"/").unwrap_or(folder).as_bstr() {
                    bare if bare.is_empty() => Ok(BString::default()),
                    bare if snapshot.root.kind(bare) == Some(FileKind::Folder) => {
                        Ok([bare.as_bytes(), b"/"].concat().into())
                    }
                    bare => Err(Error::NoFolder {
                        folder: bare.to_owned(),
                        top: snapshot.top.clone(),
                    }),
                },
            );
        let folder = folder.transpose()?;
        Ok(templates
            .into_iter()
            .map(|template| Self {
                template,
                folder: folder.clone(),
            })
            .collect())
    }
}
