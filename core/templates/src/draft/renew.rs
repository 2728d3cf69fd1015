//! Blocks that are there: told to be stale, brought up to date, turned over from their first form.

use super::block_history::is_unchanged;
use super::blocks::{Composing, Group, TakenOut, by_template, written};
use super::memory::{Remembered, remembered};
use super::refresh::refreshed;
use super::section::section;
use super::{Composer, Conflict, LeftOut};
use crate::{Project, Result};
use bstr::{BString, ByteSlice};
use redshank_rules::IGNORE_FILE;
use redshank_rules::RepoPath;
use redshank_rules::fit;
use redshank_rules::ignore_file::{Block, Section, blocks};
use redshank_worktree::Snapshot;
use std::collections::{BTreeMap, HashSet};

/// Whether a folder that rules are written for in advance isn't there yet: neither on disk nor ever
/// committed.
///
/// # Errors
/// If git refuses.
pub fn is_to_come(snapshot: &Snapshot, folder: &RepoPath) -> Result<bool> {
    if snapshot.root.is_there(folder.bare()) {
        return Ok(false);
    }
    let held = snapshot
        .repository
        .as_ref()
        .map(|repository| repository.ever_held(folder.bare()));
    let held = held.transpose().map_err(redshank_worktree::Error::from)?;
    Ok(held != Some(true))
}

/// The labels of blocks whose folders moved or went, by what the blocks say of themselves.
///
/// # Errors
/// If an ignore file can't be read, or git refuses.
pub fn left_behind(snapshot: &Snapshot) -> Result<Vec<BString>> {
    let mut labels = Vec::new();
    let files = snapshot.tree()?.to_commit();
    for file in files.filter(|entry| entry.path.name() == IGNORE_FILE) {
        let folder = file.path.folder();
        let Some(held) = snapshot.ignore_file(folder)? else {
            continue;
        };
        for block in blocks(&held.contents)
            .into_iter()
            .filter(|block| block.mark.is_some())
        {
            let Some((_, places)) = block.label.split_once_str(" in ") else {
                continue;
            };
            let mut is_left = true;
            for place in places.split_str(" and ") {
                let bare = place.trim_with(|sign| sign == '/').replace("\\", "");
                let path = folder.join(&bare);
                let is_one = !bare.is_empty() && !place.contains(&b'*');
                is_left &=
                    is_one && !snapshot.root.is_there(&path) && !is_to_come(snapshot, &path)?;
            }
            if is_left {
                labels.push(block.label);
            }
        }
    }
    Ok(labels)
}

impl<'a> Composer<'_, 'a> {
    pub(super) fn note_stale(&mut self, file: &RepoPath, label: &str, projects: &[Project]) {
        let path = file.join(IGNORE_FILE);
        let Some(block) = self.memory.get(path.as_bstr(), label.into()) else {
            return;
        };
        if projects.iter().any(|project| {
            let template = project.template;
            block
                .templates
                .get(&template.name)
                .is_some_and(|known| *known != template.revision)
        }) {
            self.draft.stale.push(label.into());
        }
    }

    pub(super) fn note_stale_first_form(
        &mut self,
        file: &RepoPath,
        label: &str,
        project: &Project,
    ) -> Result<()> {
        let mut blocks = self.file(file)?.blocks.iter();
        let block = blocks.find(|block| block.label.to_str_lossy() == label);
        let revision = block.and_then(|block| Some(block.first_form.as_ref()?.revision));
        if revision.is_some_and(|known| known != project.template.revision) {
            self.draft.stale.push(label.into());
        }
        Ok(())
    }

    /// Takes a block of the first form out, so that its rules are written as they are today: the
    /// person's own lines in it stay where they are, and what the person took out stays out.
    pub(super) fn turn_over(
        &mut self,
        file: &RepoPath,
        label: &str,
        project: &Project,
        taken_out: &mut TakenOut,
    ) -> Result<()> {
        let blocks = self.file(file)?.blocks.clone();
        let block = blocks
            .into_iter()
            .find(|block| block.first_form.is_some() && block.label.to_str_lossy() == label);
        let Some(Block {
            lines,
            first_form: Some(first_form),
            label,
            ..
        }) = block
        else {
            return Ok(());
        };
        let folder = project.rules_folder();
        let below = folder.below(file).unwrap_or(RepoPath::top());
        let mut of_template = HashSet::new();
        for rule in &project.template.rule {
            let was = fit(&rule.pattern, below);
            // Where its memory is lost, a line that isn't there counts as taken out.
            if first_form.wrote(&was).unwrap_or(true) && !lines.contains(&was) {
                taken_out.insert((project.template.name.clone(), rule.pattern.clone()));
            }
            of_template.insert(was);
        }
        let own: Vec<BString> = lines
            .into_iter()
            .filter(|line| match first_form.wrote(line) {
                Some(wrote) => !wrote,
                None => !line.starts_with(b"#") && !of_template.contains(line),
            })
            .collect();
        self.file(file)?.replace_block(label.as_bstr(), &own);
        Ok(())
    }

    /// Takes out blocks whose folders are gone, or notes them.
    pub(super) fn find_left_behind(&mut self) -> Result<()> {
        let root = &self.snapshot.root;
        let mut coming = Vec::new();
        for folder in &self.snapshot.settings()?.draft.coming {
            if is_to_come(self.snapshot, RepoPath::new(folder))? {
                coming.push(folder);
            }
        }
        let gone: Vec<Remembered> = self
            .memory
            .block
            .iter()
            .filter(|block| {
                let folder = RepoPath::new(&block.file).folder();
                let place = |place: &String| {
                    let bare = place.trim_matches('/').replace('\\', "");
                    let path = folder.join(&bare);
                    root.is_there(&path)
                        || coming
                            .iter()
                            .any(|coming| path == coming.trim_end_matches('/'))
                };
                !block.places.is_empty()
                    && !block
                        .places
                        .iter()
                        .any(|place| place.contains('*') || place == "/")
                    && !block.places.iter().any(place)
            })
            .cloned()
            .collect();
        for block in gone {
            let file = RepoPath::new(&block.file).folder().to_owned();
            let label = BString::from(block.label.as_str());
            if !self
                .file(&file)?
                .blocks
                .iter()
                .any(|known| known.label == label)
            {
                continue;
            }
            if self.options.refresh {
                self.take_block_out(&file, &block.label, None)?;
                self.draft.removed.push(label);
            } else {
                self.draft.left_behind.push(label);
            }
        }
        Ok(())
    }

    /// Takes a block out of its file, and its memory with it. The person's own lines in it stay
    /// where they are; what the person took out of it stays out of the one that is written instead.
    pub(super) fn take_block_out(
        &mut self,
        file: &RepoPath,
        label: &str,
        project: Option<&Project>,
    ) -> Result<()> {
        let path = file.join(IGNORE_FILE);
        let Some(memory) = self.memory.get(path.as_bstr(), label.into()).cloned() else {
            return Ok(());
        };
        let mut blocks = self.file(file)?.blocks.iter();
        let Some(block) = blocks
            .find(|block| block.label.to_str_lossy() == label)
            .cloned()
        else {
            return Ok(());
        };
        let known = self.survey.projects.iter().map(|one| one.template);
        let templates = known.chain(project.map(|one| one.template));
        for template in templates.filter(|one| memory.templates.contains_key(&one.name)) {
            let places: Vec<BString> = memory
                .places
                .iter()
                .map(|place| place.as_str().into())
                .collect();
            for rule in &template.rule {
                let was = written(rule, &places);
                let is_out =
                    |line: &BString| memory.wrote(line.as_bstr()) && !block.lines.contains(line);
                if was.into_iter().any(|line| is_out(&line)) {
                    let out = (template.name.clone(), rule.pattern.clone());
                    self.taken_out.insert(out);
                }
            }
        }
        let own: Vec<BString> = block
            .lines
            .iter()
            .filter(|line| !memory.wrote(line.as_bstr()))
            .cloned()
            .collect();
        self.file(file)?.replace_block(block.label.as_bstr(), &own);
        self.memory.block.retain(|one| *one != memory);
        Ok(())
    }

    /// Brings a block up to date: without the lines that the person took out of it, or has
    /// elsewhere in the file. A rule whose forerunner the person changed is a conflict.
    pub(super) fn renew(
        &mut self,
        file: &RepoPath,
        label: &str,
        projects: &[Project<'a>],
    ) -> Result<()> {
        let path = file.join(IGNORE_FILE);
        let remembered_block = self.memory.get(path.as_bstr(), label.into()).cloned();
        let mut blocks = self.file(file)?.blocks.iter();
        let block = blocks
            .find(|block| block.label.to_str_lossy() == label)
            .cloned();
        let (Some(memory), Some(block)) = (remembered_block, block) else {
            return Ok(());
        };
        let group = Group {
            places: memory
                .places
                .iter()
                .map(|place| place.as_str().into())
                .collect(),
            templates: by_template(projects),
        };
        // A template that is not here any more takes no rule along.
        let has_all = memory.templates.keys().all(|name| {
            group
                .templates
                .iter()
                .any(|kind| kind.template.name == *name)
        });
        if !has_all {
            return Ok(());
        }
        let lines = self.lines(file, &group, &|line| {
            block.lines.iter().any(|known| known == line)
        })?;
        // Only the memory file can tell what was taken out from what was never written.
        let is_stored = self.stored.get(path.as_bstr(), label.into()).is_some();
        let is_guessed = !is_stored && !is_unchanged(&block);
        let mut current = Vec::new();
        for Composing { line, .. } in lines {
            let is_there = block.lines.contains(&line.pattern);
            let was_there = |pattern: &BString| {
                memory.wrote(pattern.as_bstr()) && !block.lines.contains(pattern)
            };
            if !is_there && self.file(file)?.has_own(&line.pattern) {
                continue;
            }
            if !is_there && was_there(&line.pattern) {
                if is_guessed {
                    self.draft.left_out.push(LeftOut {
                        label: label.into(),
                        pattern: line.pattern,
                    });
                }
                continue;
            }
            match line
                .replaces
                .clone()
                .filter(|was| !is_there && was_there(was))
            {
                Some(was) => self.draft.conflicts.push(Conflict {
                    label: label.into(),
                    was,
                    now: line.pattern,
                }),
                None => current.push(line),
            }
        }
        let new = section(label.to_owned(), current, self.options.explain);
        // A comment that the person took out stays out, too.
        let is_out = |line: &BString| memory.wrote(line.as_bstr()) && !block.lines.contains(line);
        let lines: Vec<BString> = new
            .lines
            .iter()
            .filter(|line| !is_out(line))
            .cloned()
            .collect();
        let renewed = refreshed(&block.lines, &lines, &|line| memory.wrote(line.as_bstr()));
        let templates: BTreeMap<String, u32> = group
            .templates
            .iter()
            .map(|kind| (kind.template.name.clone(), kind.template.revision))
            .collect();
        let mut known = memory.lines.clone();
        let more: Vec<String> = remembered(&lines)
            .into_iter()
            .filter(|line| !known.contains(line))
            .collect();
        known.extend(more);
        self.memory.put(Remembered {
            templates,
            lines: known,
            ..memory
        });
        if renewed.lines != block.lines {
            let text = Section {
                label: label.to_owned(),
                lines: renewed.lines,
            };
            self.file(file)?.replace_block(label.into(), &text.text());
        }
        let is_rule = |line: &BString| !line.starts_with(b"#") && !line.is_empty();
        self.draft
            .added
            .extend(renewed.added.into_iter().filter(is_rule));
        self.draft
            .retired
            .extend(renewed.retired.into_iter().filter(is_rule));
        Ok(())
    }
}
