//! What the program must remember of the blocks it wrote, so that it can tell a person's changes
//! from its own lines: a small file beside the team's templates, that people can read.

use super::places::{is_at, is_below};
use crate::{Error, Result, Template};
use bstr::{BStr, BString, ByteSlice};
use redshank_rules::RepoPath;
use redshank_worktree::{Snapshot, io_error_at, toml_file};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::path::Path;

/// The file, relative to the repository's top.
pub const MEMORY_FILE: &str = ".redshank/drafted.toml";

/// No memory is larger than this, in bytes.
const LARGEST: u64 = 16 << 20;

const HEAD: &str = "\
# What `redshank draft` wrote into ignore files: with it, `draft --refresh` tells your changes from
# its own lines. Commit it together with them.
";

/// All blocks that were written.
#[derive(Debug, Clone, Default, PartialEq, Eq, Deserialize, Serialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct Memory {
    #[serde(default)]
    pub(crate) block: Vec<Remembered>,
}

/// A block that was written.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize, Serialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct Remembered {
    pub(crate) file: String,
    /// What its first mark says.
    pub(crate) label: String,
    /// Its templates, with the revision of each.
    pub(crate) templates: BTreeMap<String, u32>,
    /// Patterns for the folders of its projects, from the ignore file's folder.
    pub(crate) places: Vec<String>,
    /// Lines that were written into it, at any time.
    pub(crate) lines: Vec<String>,
}

impl Remembered {
    pub(crate) fn wrote(&self, line: &BStr) -> bool {
        self.lines.iter().any(|known| *known == line.to_str_lossy())
    }
}

impl Memory {
    /// Reads it, with its text; nothing where it isn't there.
    ///
    /// # Errors
    /// If it can't be read, is elsewhere, or is not in the format.
    pub(crate) fn read(snapshot: &Snapshot) -> Result<(Self, Option<Vec<u8>>)> {
        let path = snapshot.path(MEMORY_FILE.into());
        let text = match snapshot.root.read_if_there(MEMORY_FILE.into(), LARGEST) {
            Err(error) if redshank_files::is_link_on_the_way(&error) => {
                return Err(Error::TemplateLink(path));
            }
            read => read.map_err(io_error_at(&path))?,
        };
        let Some(bytes) = text else {
            return Ok((Self::default(), None));
        };
        let text = toml_file::text(bytes.clone(), &path)?;
        let memory = match toml_file::conflict_mark(&text) {
            None => toml_file::read(&text, &path)?,
            Some(_) => Self::of_both_sides(&text, &path)?,
        };
        Ok((memory, Some(bytes)))
    }

    /// What both sides of a merge remember: each wrote its blocks. Drafting writes it again without
    /// the marks.
    fn of_both_sides(text: &str, path: &Path) -> Result<Self> {
        let mut side = [String::new(), String::new()];
        let mut here = None;
        for line in text.lines() {
            match line.split(' ').next() {
                Some("<<<<<<<") => here = Some(0),
                Some("|||||||") => here = Some(2),
                Some("=======") => here = Some(1),
                Some(">>>>>>>") => here = None,
                _ => {
                    for (nth, text) in side.iter_mut().enumerate() {
                        if here.is_none_or(|here| here == nth) {
                            *text += line;
                            text.push('\n');
                        }
                    }
                }
            }
        }
        let [ours, theirs] = side.map(|text| toml_file::read::<Self>(&text, path));
        let mut both = ours?;
        for block in theirs?.block {
            let known = both.get(
                block.file.as_bytes().as_bstr(),
                block.label.as_bytes().as_bstr(),
            );
            let lines = known.map_or(Vec::new(), |known| known.lines.clone());
            let new = block
                .lines
                .iter()
                .filter(|line| !lines.contains(line))
                .cloned();
            let lines = lines.iter().cloned().chain(new).collect();
            both.put(Remembered { lines, ..block });
        }
        Ok(both)
    }

    /// As the file holds it.
    #[allow(
        clippy::expect_used,
        reason = "a memory is text and numbers; nothing in it can't be TOML"
    )]
    pub(crate) fn text(&self) -> Vec<u8> {
        let body = toml::to_string_pretty(self).expect("a memory of text and numbers");
        format!("{HEAD}\n{body}").into_bytes()
    }

    /// The block with that label in an ignore file.
    pub(crate) fn get(&self, file: &BStr, label: &BStr) -> Option<&Remembered> {
        self.block
            .iter()
            .find(|block| block.file == file.to_str_lossy() && block.label == label.to_str_lossy())
    }

    /// Takes a block in, in the place of the one with that label.
    pub(crate) fn put(&mut self, block: Remembered) {
        match self
            .block
            .iter_mut()
            .find(|known| known.file == block.file && known.label == block.label)
        {
            Some(known) => *known = block,
            None => self.block.push(block),
        }
    }

    /// The block that was written for a template in a folder, in the ignore file of a folder. Rules
    /// without a slash hold below the place that they were written for, too.
    pub(crate) fn covers(
        &self,
        file: &BStr,
        template: &Template,
        below: &RepoPath,
    ) -> Option<&Remembered> {
        let holds_below = template.rule.iter().all(|rule| {
            let body = rule.pattern.trim_start_matches('!');
            !body.trim_end_matches('/').contains('/')
        });
        self.block
            .iter()
            .filter(|block| {
                block.file == file.to_str_lossy() && block.templates.contains_key(&template.name)
            })
            .find(|block| {
                let mut places = block.places.iter();
                places.any(|place| is_at(place, below) || holds_below && is_below(place, below))
            })
    }
}

/// Lines as they are remembered.
pub(crate) fn remembered<'l>(lines: impl IntoIterator<Item = &'l BString>) -> Vec<String> {
    lines
        .into_iter()
        .map(|line| line.to_str_lossy().into_owned())
        .collect()
}
