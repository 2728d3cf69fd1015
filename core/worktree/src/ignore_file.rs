//! The text of an ignore file: our blocks in it, and adding to it without touching another line.

use crate::RepoPath;
use crate::rules::IGNORE_FILE;
use base64::Engine;
use base64::engine::general_purpose::URL_SAFE;
use bstr::{BStr, BString, ByteSlice, ByteVec};
use std::collections::BTreeSet;
use std::ops::Range;

/// A rule to be written, with what stands in the comment above it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NewRule {
    /// The pattern.
    pub pattern: BString,
    /// Why, in one sentence.
    pub reason: String,
    /// The command that makes the files again.
    pub remake: Option<String>,
}

impl NewRule {
    fn comment(&self) -> String {
        let again = self.remake.as_ref().map_or(String::new(), |command| {
            format!("; made again by: {command}")
        });
        format!("# {}{}", one_line(&self.reason), one_line(&again))
    }
}

/// A group of rules that Redshank writes, marked at its start and end.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Section {
    /// What the marks say: a template and its folder, or the command that wrote it.
    pub label: String,
    /// Lines without their ends: patterns, and comments that say why.
    pub lines: Vec<BString>,
}

const BEGIN: &str = "# redshank: begin ";
const WROTE: &str = "# redshank: wrote ";
const END: &str = "# redshank: end ";

/// Whether a line is the one by which a section knows again what was written into it; a person
/// has no use for it.
pub fn is_trace_line(line: &[u8]) -> bool {
    line.starts_with(WROTE.as_bytes())
}

impl Section {
    /// A section with rules, each below a comment with its reason; a reason shared by neighbours
    /// stands once.
    pub fn new(label: String, rules: impl IntoIterator<Item = NewRule>) -> Self {
        let mut lines: Vec<BString> = Vec::new();
        let mut above = None;
        for rule in rules {
            let comment = rule.comment();
            if above.as_ref() != Some(&comment) {
                lines.push(comment.as_str().into());
                above = Some(comment);
            }
            lines.push(rule.pattern);
        }
        Self { label, lines }
    }

    /// The label of a template's section.
    pub fn label_of(template: &str, folder: &RepoPath) -> String {
        match folder.is_top() {
            true => template.to_owned(),
            false => format!("{template}@{}", one_line(&folder.bare().to_str_lossy())),
        }
    }
}

/// Text that stays on its line.
fn one_line(text: &str) -> String {
    text.chars()
        .map(|c| if c.is_control() { '?' } else { c })
        .collect()
}

/// A few bits of a line's hash, by which a block remembers the lines that were written into it.
pub type Trace = [u8; 3];

/// The trace of a line without its end.
pub fn trace(line: &[u8]) -> Trace {
    let hash = blake3::hash(line);
    let [a, b, c, ..] = *hash.as_bytes();
    [a, b, c]
}

/// A template's block as it stands in a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Block {
    /// The template, and its folder.
    pub label: BString,
    /// The template's revision.
    pub revision: u32,
    /// The lines between the marks, without their ends.
    pub lines: Vec<BString>,
    /// The traces of the lines that were ever written into it; `None` if somebody took that line
    /// out.
    pub wrote: Option<BTreeSet<Trace>>,
    /// Where it stands: the numbers of its lines from 0, marks included.
    pub place: Range<usize>,
}

/// The blocks of templates in a file. A block whose end is missing is none.
pub fn blocks(contents: &[u8]) -> Vec<Block> {
    let lines: Vec<&[u8]> = contents.lines().collect();
    let begin = |line: &[u8]| {
        let (label, rest) = line
            .strip_prefix(BEGIN.as_bytes())?
            .rsplit_once_str(" (revision ")?;
        Some((
            BString::from(label),
            rest.strip_suffix(b")")?
                .to_str()
                .ok()?
                .parse::<u32>()
                .ok()?,
        ))
    };
    let mut found = Vec::new();
    for (start, (label, revision)) in lines
        .iter()
        .enumerate()
        .filter_map(|(at, line)| Some((at, begin(line)?)))
    {
        let end = [END.as_bytes(), &label].concat();
        let rest = &lines[start + 1..];
        let length = rest
            .iter()
            .position(|line| *line == end || line.starts_with(BEGIN.as_bytes()));
        if let Some(length) = length.filter(|length| rest[*length] == end) {
            let (wrote, lines): (Vec<&[u8]>, Vec<&[u8]>) = rest[..length]
                .iter()
                .partition(|line| line.starts_with(WROTE.as_bytes()));
            let wrote = wrote
                .first()
                .and_then(|line| URL_SAFE.decode(&line[WROTE.len()..]).ok());
            let wrote = wrote.map(|bytes| {
                bytes
                    .chunks_exact(3)
                    .map(|bytes| [bytes[0], bytes[1], bytes[2]])
                    .collect()
            });
            let lines = lines.into_iter().map(BString::from).collect();
            found.push(Block {
                label,
                revision,
                lines,
                wrote,
                place: start..start + length + 2,
            });
        }
    }
    found
}

/// The labels of the templates' blocks in a file.
pub fn labels(contents: &[u8]) -> Vec<BString> {
    blocks(contents)
        .into_iter()
        .map(|block| block.label)
        .collect()
}

/// The file's contents with a block in the place of the one it was read from. All other lines stay
/// as they are, and the new ones end as those do.
pub fn with_block(contents: &[u8], block: &Block) -> Vec<u8> {
    let end = line_end(contents);
    let mut text = Vec::new();
    for (at, line) in contents.lines_with_terminator().enumerate() {
        if at == block.place.start {
            block
                .text()
                .iter()
                .for_each(|line| text.extend([line.as_slice(), end].concat()));
        }
        if !block.place.contains(&at) {
            text.push_str(line);
        }
    }
    text
}

impl Block {
    /// Its lines with the marks around them.
    fn text(&self) -> Vec<BString> {
        let traces: Vec<Trace> = self.wrote.iter().flatten().copied().collect();
        let mut text = vec![BString::from(format!(
            "{BEGIN}{} (revision {})",
            self.label, self.revision
        ))];
        text.extend(self.lines.iter().cloned());
        text.push(format!("{WROTE}{}", URL_SAFE.encode(traces.concat())).into());
        text.push([END.as_bytes(), &self.label].concat().into());
        text
    }
}

/// How the lines of a file end.
pub fn line_end(contents: &[u8]) -> &'static [u8] {
    if contents.contains_str("\r\n") {
        b"\r\n"
    } else {
        b"\n"
    }
}

/// The file's contents with a section at its end, as [`add_section`] puts it.
pub fn with_section(contents: &[u8], section: &Section, revision: Option<u32>) -> Vec<u8> {
    let mut text = contents.to_vec();
    add_section(&mut text, section, revision);
    text
}

/// Puts a section at the end of a file; if the last section there has the same label, that one
/// grows. Every line that was there stays as it was, and the new lines end as those do. With a
/// template's revision, the section is a block that remembers what was written into it.
pub fn add_section(text: &mut Vec<u8>, section: &Section, revision: Option<u32>) {
    let end = line_end(text);
    let closing = [END.as_bytes(), section.label.as_bytes()].concat();
    let last = text.trim_end();
    let grows =
        last.ends_with(&closing) && last.lines().next_back().is_some_and(|line| line == closing);
    let kept = last.len() - if grows { closing.len() } else { 0 };
    let mut lines: Vec<BString> = Vec::new();
    if grows {
        text.truncate(kept);
    } else if !text.is_empty() {
        if !text.ends_with(b"\n") {
            text.push_str(end);
        }
        text.push_str(end);
    }
    match revision.filter(|_| !grows) {
        Some(revision) => {
            let wrote = section.lines.iter().map(|line| trace(line)).collect();
            let block = Block {
                label: section.label.as_str().into(),
                revision,
                lines: section.lines.clone(),
                wrote: Some(wrote),
                place: 0..0,
            };
            lines.extend(block.text());
        }
        None => {
            lines.extend((!grows).then(|| format!("{BEGIN}{}", section.label).into()));
            lines.extend(section.lines.iter().cloned());
            lines.push(closing.into());
        }
    }
    for line in lines {
        text.push_str(line);
        text.push_str(end);
    }
}

/// A line of an ignore file as it stands.
pub struct TextLine<'a> {
    /// From 1.
    pub number: u32,
    /// The whole of it, with its end.
    pub whole: &'a [u8],
    /// What git takes for the pattern; also of a comment.
    pub text: &'a BStr,
}

/// The lines of an ignore file, byte for byte.
pub fn lines_of(contents: &[u8]) -> impl Iterator<Item = TextLine<'_>> {
    (1..)
        .zip(contents.lines_with_terminator())
        .map(|(number, whole)| {
            let bare = whole.trim_end_with(|c| c == '\n' || c == '\r');
            // Spaces at the end count only behind a back-slash.
            let spaces = bare.len() - bare.trim_end_with(|c| c == ' ').len();
            let text = match &bare[..bare.len() - spaces] {
                kept if spaces > 0 && kept.ends_with(b"\\") => &bare[..kept.len() + 1],
                kept => kept,
            };
            TextLine {
                number,
                whole,
                text: text.as_bstr(),
            }
        })
}

/// Whether a file is UTF-16, which git does not read as rules.
pub fn is_utf16(contents: &[u8]) -> bool {
    contents.starts_with(b"\xff\xfe") || contents.starts_with(b"\xfe\xff")
}

/// The rules that keep a folder and drop what is in it, for an ignore file in that folder:
/// everything, but the ignore file itself.
pub fn contents_only() -> Vec<BString> {
    vec!["*".into(), format!("!{IGNORE_FILE}").into()]
}
