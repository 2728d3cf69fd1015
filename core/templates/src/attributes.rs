//! Composing the attribute file that a working tree should have: one block at the top of the file,
//! the general line first. git takes the last line that matches, so whatever a person wrote below
//! still decides.

use crate::TemplateRequest;
use crate::draft::{fit_to, is_to_come, places};
use crate::shorten::without_lines;
use crate::{AttributeClass, Collection, Project, Result, Survey, Template, TemplateAttribute};
use bstr::{BStr, BString, ByteSlice};
use redshank_rules::attribute_file::{AttributeFile, Setting, Value, split_line, without_mark};
use redshank_rules::ignore_file::{Block, Mark, Section, blocks, line_end};
use redshank_rules::{ATTRIBUTE_FILE, Case, RepoPath, RepoPathBuf, Rule};
use redshank_worktree::attributes::Attributes;
use redshank_worktree::tree::State;
use redshank_worktree::{Overlay, Snapshot, io_error_at};
use std::collections::{BTreeMap, HashSet};

/// How a pointer to large-file storage starts in the place of a large file (the Git LFS
/// specification, "The Pointer").
pub const POINTER: &[u8; 40] = b"version https://git-lfs.github.com/spec/";

/// The template that holds for every repository.
const GENERAL: &str = "line-endings";

/// Why a template's line isn't written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WhyLeftOut {
    /// Large-file storage isn't set up here: git would store the files whole.
    NoStorage,
    /// git holds files of that type whole already; they would all seem changed.
    TrackedWhole,
    /// It names a driver that isn't configured here.
    NoDriver,
    /// The person took it out of the block.
    TakenOut,
}

/// A template's line that isn't written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LeftOutAttribute {
    /// The line.
    pub line: BString,
    /// Why.
    pub because: WhyLeftOut,
}

/// An attribute file, as it is and as it should be.
#[derive(Debug, Default)]
pub struct AttributeDraft {
    /// What it holds; `None` if it isn't there.
    pub before: Option<Vec<u8>>,
    /// What it should hold.
    pub after: Vec<u8>,
    /// The lines of the block.
    pub lines: Vec<BString>,
    /// The templates' lines that aren't written.
    pub left_out: Vec<LeftOutAttribute>,
}

impl TemplateAttribute {
    /// The line with a pattern, as it is written.
    pub(crate) fn line(&self, pattern: &BStr) -> BString {
        // White space would end the pattern (gitattributes(5)).
        let mut line = BString::from(pattern.replace(" ", "[[:space:]]"));
        for set in &self.set {
            line.push(b' ');
            line.extend_from_slice(set.as_bytes());
        }
        line
    }
}

/// A line that is to be written.
struct NewLine<'a> {
    template: &'a Template,
    attribute: &'a TemplateAttribute,
    text: BString,
}

impl AttributeDraft {
    /// Composes the file for what was recognised and what is to come, or only for the requests if
    /// there are any; the general lines come with both. What a person wrote outside of the block,
    /// and what they changed in it, stays.
    ///
    /// # Errors
    /// If there is no repository, the file can't be read, or git refuses.
    pub fn compose(
        snapshot: &Snapshot,
        collection: &Collection,
        survey: &Survey,
        requests: &[TemplateRequest],
        to_come: &[TemplateRequest],
    ) -> Result<Self> {
        let path = snapshot.path(ATTRIBUTE_FILE.into());
        let before = snapshot
            .root
            .read_if_there(ATTRIBUTE_FILE.into(), LARGEST)
            .map_err(io_error_at(&path))?;
        let held = before.clone().unwrap_or_default();
        let known = blocks(&held);
        let own = known.iter().find(|block| block.mark.is_some());
        let mut composer = Composer::new(snapshot, &held, own)?;
        for (template, places) in templates(collection, survey, requests, to_come) {
            composer.add(template, &places)?;
        }
        let (lines, left_out) = (composer.lines, composer.left_out);
        let after = if lines.is_empty() {
            held.clone()
        } else {
            let gone = lines_of_gone_folders(snapshot, collection, own)?;
            with_block(&held, own, &gone, &lines)
        };
        Ok(Self {
            before,
            after,
            lines: lines.into_iter().map(|line| line.text).collect(),
            left_out,
        })
    }

    /// Whether a text has a block of templates' attributes.
    pub fn has_block(held: &[u8]) -> bool {
        blocks(held).iter().any(|block| block.mark.is_some())
    }
}

/// git reads no larger file of attributes (gitattributes(5)), in bytes.
const LARGEST: u64 = 100 << 20;

/// The templates whose lines are wanted, each with the places of its projects; the general one
/// first.
fn templates<'a>(
    collection: &'a Collection,
    survey: &Survey<'a>,
    requests: &[TemplateRequest<'a>],
    to_come: &[TemplateRequest<'a>],
) -> Vec<(&'a Template, Vec<BString>)> {
    let mut folders: BTreeMap<&str, (&'a Template, Vec<RepoPathBuf>)> = BTreeMap::new();
    let mut add = |template: &'a Template, folder: RepoPathBuf| {
        let known = folders.entry(&template.name);
        let (_, folders) = known.or_insert((template, Vec::new()));
        if !folders.contains(&folder) {
            folders.push(folder);
        }
    };
    let found = |template: &Template| {
        let projects = survey.projects.iter();
        let projects = projects.filter(|project| project.template.name == template.name);
        projects.map(Project::rules_folder).collect::<Vec<_>>()
    };
    let to_come = to_come.iter().filter(|_| requests.is_empty());
    for request in requests.iter().chain(to_come) {
        let folders = match &request.folder {
            Some(folder) => vec![folder.clone()],
            None => found(request.template),
        };
        let at_top = folders.is_empty().then(RepoPathBuf::default);
        for folder in folders.into_iter().chain(at_top) {
            add(request.template, folder);
        }
    }
    if requests.is_empty() {
        for project in &survey.projects {
            add(project.template, project.rules_folder());
        }
    }
    let general = collection.iter().find(|one| one.name == GENERAL);
    let general = general.map(|one| (one, vec![BString::from("/")]));
    let others = folders.into_values();
    let others = others
        .filter(|(template, _)| template.name != GENERAL && !template.attribute.is_empty())
        .map(|(template, folders)| (template, places(&folders)));
    general.into_iter().chain(others).collect()
}

struct Composer<'a> {
    /// What the person wrote outside of the block.
    own: AttributeFile,
    attributes: Attributes<'a>,
    stores_large_files: bool,
    snapshot: &'a Snapshot,
    /// The tracked files that no line sends to storage.
    whole: Vec<RepoPathBuf>,
    /// The block that is there, if somebody changed it, with the lines it holds.
    edited: Option<(&'a Block, HashSet<BString>)>,
    /// The lines of the block that is there.
    written: HashSet<&'a BString>,
    lines: Vec<NewLine<'a>>,
    left_out: Vec<LeftOutAttribute>,
}

impl<'a> Composer<'a> {
    fn new(snapshot: &'a Snapshot, held: &[u8], block: Option<&'a Block>) -> Result<Self> {
        let mut attributes = Attributes::new(snapshot, Overlay::new())?;
        let repository = snapshot.repository.as_ref();
        let stores_large_files = repository.is_some_and(|one| one.stores_large_files);
        let outside = match block {
            Some(block) => without_block(held, block),
            None => held.to_vec(),
        };
        let edited = block
            .filter(|block| {
                let checksum = block.mark.as_ref().and_then(|mark| mark.checksum.as_ref());
                checksum != Some(&Mark::checksum_of(&block.lines))
            })
            .map(|block| {
                let lines = block.lines.iter();
                let lines = lines.filter(|line| split_line(line).is_some());
                (block, lines.cloned().collect())
            });
        let mut whole = Vec::new();
        if stores_large_files {
            let storage = Setting::text("filter", "lfs").value;
            for entry in snapshot.tree()?.in_state(State::Tracked) {
                let given = attributes.given(&entry.path);
                let is_stored = given
                    .get(BStr::new("filter"))
                    .is_some_and(|(value, _)| **value == storage);
                if !is_stored {
                    whole.push(entry.path.clone());
                }
            }
        }
        Ok(Self {
            own: AttributeFile::parse(&outside, ATTRIBUTE_FILE.into(), true, Case::Sensitive),
            attributes,
            stores_large_files,
            snapshot,
            whole,
            edited,
            written: block.into_iter().flat_map(|block| &block.lines).collect(),
            lines: Vec::new(),
            left_out: Vec::new(),
        })
    }

    /// Adds the lines of a template for projects at these places.
    fn add(&mut self, template: &'a Template, places: &[BString]) -> Result<()> {
        let mut attributes: Vec<&TemplateAttribute> = template.attribute.iter().collect();
        attributes.sort_by_key(|attribute| attribute.class);
        for attribute in attributes {
            for place in places {
                // A language is the same wherever its files are.
                let pattern = match attribute.class {
                    AttributeClass::Diff => attribute.pattern.as_str().into(),
                    _ => fit_to(&attribute.pattern, place.as_bstr()),
                };
                let text = attribute.line(pattern.as_bstr());
                let is_known = self.lines.iter().any(|line| line.text == text);
                if is_known || self.is_declared(&text) {
                    continue;
                }
                match self.why_not(template, attribute, &text)? {
                    Some(because) => self.left_out.push(LeftOutAttribute {
                        line: text,
                        because,
                    }),
                    None => self.lines.push(NewLine {
                        template,
                        attribute,
                        text,
                    }),
                }
            }
        }
        Ok(())
    }

    /// Whether a line of the person's has the same pattern and decides about all of it.
    fn is_declared(&self, line: &BString) -> bool {
        let Some((pattern, settings)) = split_line(line) else {
            return true;
        };
        let own = self.own.rules.iter();
        let mut same = own.filter(|rule| rule.rule.text == pattern);
        same.any(|rule| {
            let has = |name: &BString| {
                rule.settings.iter().any(|own| {
                    own.name == *name || own.name == "binary" && BINARY.contains(&name.as_slice())
                })
            };
            settings.iter().all(|setting| has(&setting.name))
        })
    }

    fn why_not(
        &self,
        template: &Template,
        attribute: &TemplateAttribute,
        line: &BString,
    ) -> Result<Option<WhyLeftOut>> {
        let Some((pattern, settings)) = split_line(line) else {
            return Ok(None);
        };
        if self.written.contains(line) {
            return Ok(None);
        }
        if attribute.class == AttributeClass::Large {
            if !self.stores_large_files {
                return Ok(Some(WhyLeftOut::NoStorage));
            }
            let rule = Rule::parse(&pattern, 1, Case::Sensitive);
            if self.holds_whole(&rule)? {
                return Ok(Some(WhyLeftOut::TrackedWhole));
            }
        }
        for setting in &settings {
            if self.attributes.unknown_driver(setting)?.is_some() {
                return Ok(Some(WhyLeftOut::NoDriver));
            }
        }
        let is_taken_out = self.is_taken_out(template, attribute, line, &settings);
        Ok(is_taken_out.then_some(WhyLeftOut::TakenOut))
    }

    /// Whether git holds a file that a rule matches, and no pointer in its place: a folder that
    /// moved away from its lines still has its pointers.
    fn holds_whole(&self, rule: &Rule) -> Result<bool> {
        let mut matched = self
            .whole
            .iter()
            .filter(|path| rule.matches(path, false))
            .peekable();
        let repository = self.snapshot.repository.as_ref();
        let Some(repository) = repository.filter(|_| matched.peek().is_some()) else {
            return Ok(false);
        };
        let index = self.snapshot.index()?;
        let mut blobs = repository.blobs().map_err(redshank_worktree::Error::from)?;
        for path in matched {
            let Some(tracked) = index.get(path.as_bstr()) else {
                continue;
            };
            let is_pointer = blobs.read(&tracked.blob(), |_, contents| {
                let mut start = [0; POINTER.len()];
                Ok(contents.read_exact(&mut start).is_ok() && start == *POINTER)
            });
            if !is_pointer.map_err(io_error_at(&self.snapshot.path(path)))? {
                return Ok(true);
            }
        }
        Ok(false)
    }

    /// Whether the block that is there once had a line and somebody took it out. One that needs a
    /// driver may never have been written: the driver came later.
    fn is_taken_out(
        &self,
        template: &Template,
        attribute: &TemplateAttribute,
        line: &BString,
        settings: &[Setting],
    ) -> bool {
        let Some((block, lines)) = &self.edited else {
            return false;
        };
        let since = attribute.since.unwrap_or(1);
        let is_older = revision_in(block, template).is_some_and(|known| since <= known);
        let mut drivers = settings.iter().filter(|setting| {
            let is_kind = setting.name == "filter" || setting.name == "merge";
            is_kind && matches!(setting.value, Value::Text(_))
        });
        is_older
            && !lines.contains(line)
            && drivers.all(|setting| {
                let mut written = lines.iter().filter_map(|line| split_line(line));
                written.any(|(_, known)| known.contains(setting))
            })
    }
}

/// What the macro of that name stands for (gitattributes(5)).
const BINARY: [&[u8]; 3] = [b"diff", b"merge", b"text"];

/// The revision of a template that a block has, by its marks.
fn revision_in(block: &Block, template: &Template) -> Option<u32> {
    let names = block.label.split_str(", ");
    let revisions = block.mark.iter().flat_map(|mark| &mark.revisions);
    let mut both = names.zip(revisions);
    let (_, revision) = both.find(|(name, _)| *name == template.name.as_bytes())?;
    Some(*revision)
}

fn without_block(held: &[u8], block: &Block) -> Vec<u8> {
    let lines = held.lines_with_terminator().enumerate();
    let kept = lines.filter(|(at, _)| !block.place.contains(at));
    kept.map(|(_, line)| line).collect::<Vec<_>>().concat()
}

/// The numbers, from 1, of those lines of the block that a template has for a folder that was
/// committed once and is no longer there.
fn lines_of_gone_folders(
    snapshot: &Snapshot,
    collection: &Collection,
    own: Option<&Block>,
) -> Result<HashSet<u32>> {
    let mut gone = HashSet::new();
    let mut known: BTreeMap<RepoPathBuf, bool> = BTreeMap::new();
    for (line, number) in own.into_iter().flat_map(|block| &block.lines).zip(1..) {
        let Some((pattern, _)) = split_line(line) else {
            continue;
        };
        let literal = pattern.find_byteset(b"*?[\\").unwrap_or(pattern.len());
        let slashes = pattern[..literal].find_iter("/").filter(|at| *at > 0);
        for end in slashes {
            let place = BStr::new(&pattern[..=end]);
            let folder: RepoPathBuf = RepoPath::new(&place[1..]).to_owned();
            let is_gone = match known.get(&folder) {
                Some(is_gone) => *is_gone,
                None => {
                    let is_there = snapshot.root.is_there(folder.bare());
                    let is_gone = !is_there && !is_to_come(snapshot, &folder)?;
                    *known.entry(folder).or_insert(is_gone)
                }
            };
            let attributes = collection.iter().flat_map(|template| &template.attribute);
            let mut written = attributes
                .map(|attribute| attribute.line(fit_to(&attribute.pattern, place).as_bstr()));
            if is_gone && written.any(|written| written == *line) {
                gone.insert(number);
            }
        }
    }
    Ok(gone)
}

/// The file with the lines in the block: in its place if it is there, else at the top. Every line
/// that is in it stays, but for those of folders that are gone, and what is new comes last.
fn with_block(held: &[u8], own: Option<&Block>, gone: &HashSet<u32>, new: &[NewLine]) -> Vec<u8> {
    let unchanged = own.is_some_and(|block| {
        let checksum = block.mark.as_ref().and_then(|mark| mark.checksum.clone());
        checksum == Some(Mark::checksum_of(&block.lines))
    });
    let mut revisions: Vec<(BString, u32)> = Vec::new();
    if let Some(block) = own {
        let names = block.label.split_str(", ").map(BString::from);
        let known = block.mark.iter().flat_map(|mark| mark.revisions.clone());
        revisions.extend(names.zip(known));
    }
    let before = revisions.clone();
    for line in new {
        let (name, revision) = (
            BString::from(line.template.name.as_str()),
            line.template.revision,
        );
        match revisions.iter_mut().find(|(known, _)| *known == name) {
            Some(known) => known.1 = revision,
            None => revisions.push((name, revision)),
        }
    }
    // A line stays that a colleague could not write, or that is of a project to come: nothing that
    // is in the block goes by itself.
    let kept = own.map_or(&[][..], |block| &block.lines);
    let more = new.iter().filter(|line| !kept.contains(&line.text));
    let more = comments_and_lines(more);
    let kept = without_lines(&bstr::join("\n", kept), gone);
    if own.is_some() && more.is_empty() && gone.is_empty() && revisions == before {
        return held.to_vec();
    }
    let lines: Vec<BString> = kept.lines().map(BString::from).chain(more).collect();
    let is_ours = own.is_none() || unchanged;
    let checksum = is_ours.then(|| Mark::checksum_of(&lines));
    let mark = Mark {
        revisions: revisions.iter().map(|(_, revision)| *revision).collect(),
        checksum,
    };
    let section = Section {
        label: bstr::join(", ", revisions.iter().map(|(name, _)| name))
            .to_str_lossy()
            .into_owned(),
        lines,
    };
    let mut text = section.text();
    text.pop();
    text.push(mark.text().into());
    let end = line_end(held);
    let block: Vec<u8> = text
        .iter()
        .flat_map(|line| [line.as_slice(), end].concat())
        .collect();
    match own {
        Some(own) => {
            let mut lines = held.lines_with_terminator();
            let above: Vec<&[u8]> = lines.by_ref().take(own.place.start).collect();
            let below: Vec<&[u8]> = lines.skip(own.place.len()).collect();
            [above.concat(), block, below.concat()].concat()
        }
        None => {
            let (mark, rest) = without_mark(held);
            let gap = if rest.is_empty() { &b""[..] } else { end };
            [mark, &block, gap, rest].concat()
        }
    }
}

/// Lines with the reason above those that share it.
fn comments_and_lines<'n>(new: impl IntoIterator<Item = &'n NewLine<'n>>) -> Vec<BString> {
    let mut lines: Vec<BString> = Vec::new();
    let mut above = "";
    for line in new {
        if line.attribute.reason != above {
            above = &line.attribute.reason;
            lines.push(format!("# {above}").into());
        }
        lines.push(line.text.clone());
    }
    lines
}
