//! The text of an ignore file: our blocks in it, and adding to it without touching another line.

use crate::IGNORE_FILE;
use crate::RepoPath;
use base64::Engine;
use base64::engine::general_purpose::URL_SAFE;
use bstr::{BStr, BString, ByteSlice, ByteVec};
use std::collections::BTreeSet;
use std::ops::Range;

/// A rule to be written, with what is in the comment above it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NewRule {
    /// The pattern, as it is written in the file.
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
    /// What the first mark says: templates and their places, or the command that wrote it.
    pub label: String,
    /// Lines without their ends: patterns, and comments that say why.
    pub lines: Vec<BString>,
}

const BEGIN: &str = "# redshank: begin ";
const END: &str = "# redshank: end";
/// In blocks of the first form: what was ever written into them.
const WROTE: &str = "# redshank: wrote ";

/// The labels of sections that hold no template's rules.
pub const TIDY: &str = "tidy";
/// See [`TIDY`]; exceptions for files that a clone needs.
pub const NEEDED: &str = "needed";
/// See [`TIDY`]; exceptions for work that a template's rule would ignore.
pub const KEPT: &str = "kept anyway";
/// See [`TIDY`]; what is here, was made, and no template names.
pub const MADE_HERE: &str = "made here";
/// How the labels of sections start that hold places known by what is there.
pub const MADE_BY: &str = "made by ";

impl Section {
    /// A section with rules, each below a comment with its reason; a reason shared by neighbours
    /// is written once.
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

    /// Its lines with the marks around them.
    pub fn text(&self) -> Vec<BString> {
        let begin = BString::from(format!("{BEGIN}{}", self.label));
        let inner = self.lines.iter().cloned();
        std::iter::once(begin)
            .chain(inner)
            .chain([END.into()])
            .collect()
    }
}

/// Text that stays on its line.
fn one_line(text: &str) -> String {
    text.chars()
        .map(|c| if c.is_control() { '?' } else { c })
        .collect()
}

/// A few bits of a line's hash, by which a block of the first form remembered what was written
/// into it.
type Trace = [u8; 3];

fn trace(line: &[u8]) -> Trace {
    let hash = blake3::hash(line);
    let [a, b, c, ..] = *hash.as_bytes();
    [a, b, c]
}

/// A section as it is in a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Block {
    /// What its first mark says.
    pub label: BString,
    /// The lines between the marks, without their ends.
    pub lines: Vec<BString>,
    /// Where it is: the numbers of its lines from 0, marks included.
    pub place: Range<usize>,
    /// What its last mark says of how it was written.
    pub mark: Option<Mark>,
    /// What a block of the first form says of itself.
    pub first_form: Option<FirstForm>,
}

/// What the last mark of a template block says: `# redshank: end (revision 4, checksum 5f2a91c3)`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Mark {
    /// The revision of each template, in the order of the label.
    pub revisions: Vec<u32>,
    /// Checksum of the lines as they were written; `None` once the block holds lines of a person.
    pub checksum: Option<String>,
}

impl Mark {
    /// The checksum of a block's lines: the first 32 bits of their BLAKE3 hash, in hexadecimal.
    pub fn checksum_of(lines: &[BString]) -> String {
        let hash = blake3::hash(&bstr::join("\n", lines));
        hash.to_hex()[..8].to_owned()
    }

    fn parse(line: &[u8]) -> Option<Self> {
        let inner = line.strip_prefix(END.as_bytes())?.strip_prefix(b" (")?;
        let inner = inner.strip_suffix(b")")?.to_str().ok()?;
        let (revisions, checksum) = match inner.split_once(", checksum ") {
            Some((revisions, checksum)) => (revisions, Some(checksum.to_owned())),
            None => (inner, None),
        };
        let mut words = revisions.split(' ');
        words.next().filter(|word| word.starts_with("revision"))?;
        let revisions = words.map(|word| word.parse().ok()).collect::<Option<_>>()?;
        Some(Self {
            revisions,
            checksum,
        })
    }

    /// The mark as it is written.
    pub fn text(&self) -> String {
        let noun = if self.revisions.len() == 1 {
            "revision"
        } else {
            "revisions"
        };
        let revisions = self.revisions.iter().map(u32::to_string);
        let revisions = revisions.collect::<Vec<_>>().join(" ");
        let checksum = self.checksum.iter().map(|sum| format!(", checksum {sum}"));
        format!("{END} ({noun} {revisions}{})", checksum.collect::<String>())
    }
}

/// A template's block as it was written at first: one for each project, with its memory in it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FirstForm {
    /// Revision of the block's template.
    pub revision: u32,
    /// Of what was ever written into it; `None` if somebody took that line out.
    wrote: Option<BTreeSet<Trace>>,
}

impl FirstForm {
    /// Whether a line was written into it; `None` where its memory is lost.
    pub fn wrote(&self, line: &[u8]) -> Option<bool> {
        let wrote = self.wrote.as_ref();
        wrote.map(|wrote| wrote.contains(&trace(line)))
    }

    /// The label that such a block had.
    pub fn label_of(template: &str, folder: &RepoPath) -> String {
        if folder.is_top() {
            template.to_owned()
        } else {
            format!("{template}@{}", one_line(&folder.bare().to_str_lossy()))
        }
    }
}

impl Block {
    /// Whether it holds rules of templates.
    pub fn is_of_templates(&self) -> bool {
        let label = &self.label;
        let others = [TIDY, NEEDED, KEPT, MADE_HERE];
        let is_other = others.iter().any(|other| label == other) || label.starts_with_str(MADE_BY);
        self.first_form.is_some() || !is_other && !label.ends_with_str(" places")
    }
}

/// The sections in a file. One whose end is missing is none.
pub fn blocks(contents: &[u8]) -> Vec<Block> {
    let lines: Vec<&[u8]> = contents.lines().collect();
    let mut found = Vec::new();
    for (start, line) in lines.iter().enumerate() {
        let Some(begin) = line.strip_prefix(BEGIN.as_bytes()) else {
            continue;
        };
        let (label, revision) = with_revision(begin);
        let rest = &lines[start + 1..];
        let long_end = [END.as_bytes(), b" ", label].concat();
        let is_end = |line: &&[u8]| {
            **line == *END.as_bytes() || **line == *long_end || Mark::parse(line).is_some()
        };
        let length = rest
            .iter()
            .position(|line| is_end(line) || line.starts_with(BEGIN.as_bytes()));
        let Some(length) = length.filter(|length| is_end(&rest[*length])) else {
            continue;
        };
        let (wrote, lines): (Vec<&[u8]>, Vec<&[u8]>) = rest[..length]
            .iter()
            .partition(|line| line.starts_with(WROTE.as_bytes()));
        found.push(Block {
            label: label.into(),
            lines: lines.into_iter().map(BString::from).collect(),
            place: start..start + length + 2,
            mark: Mark::parse(rest[length]),
            first_form: revision.map(|revision| FirstForm {
                revision,
                wrote: wrote.first().and_then(|line| traces(line)),
            }),
        });
    }
    found
}

/// The revision behind a label of the first form.
fn with_revision(begin: &[u8]) -> (&[u8], Option<u32>) {
    let read = || {
        let (label, rest) = begin.rsplit_once_str(" (revision ")?;
        let revision = rest.strip_suffix(b")")?.to_str().ok()?.parse().ok()?;
        Some((label, Some(revision)))
    };
    read().unwrap_or((begin, None))
}

fn traces(line: &[u8]) -> Option<BTreeSet<Trace>> {
    let bytes = URL_SAFE.decode(&line[WROTE.len()..]).ok()?;
    let three = bytes.chunks_exact(3);
    Some(three.map(|bytes| [bytes[0], bytes[1], bytes[2]]).collect())
}

/// The labels of the templates' blocks in a file.
pub fn labels(contents: &[u8]) -> Vec<BString> {
    let of_templates = blocks(contents).into_iter().filter(Block::is_of_templates);
    of_templates.map(|block| block.label).collect()
}

/// The file's contents with other lines in the place of a block, marks included. All lines around
/// it stay as they are, and the new ones end as those do.
pub fn with_block(contents: &[u8], place: &Range<usize>, instead: &[BString]) -> Vec<u8> {
    let end = line_end(contents);
    let mut text = Vec::new();
    for (at, line) in contents.lines_with_terminator().enumerate() {
        if at == place.start {
            for line in instead {
                text.extend([line.as_slice(), end].concat());
            }
        }
        if !place.contains(&at) {
            text.push_str(line);
        }
    }
    text
}

/// The file's contents with another last mark of a block.
pub fn with_mark(contents: &[u8], block: &Block, mark: &Mark) -> Vec<u8> {
    let last = block.place.end - 1;
    with_block(contents, &(last..last + 1), &[mark.text().into()])
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
pub fn with_section(contents: &[u8], section: &Section) -> Vec<u8> {
    let mut text = contents.to_vec();
    add_section(&mut text, section);
    text
}

/// Puts a section at the end of a file; if the last section there has the same label and nothing
/// is behind it, that one grows. Every line that was there stays as it was, and the new lines
/// end as those do.
pub fn add_section(text: &mut Vec<u8>, section: &Section) {
    let end = line_end(text);
    let mut lines = section.text();
    match growing(text, &section.label) {
        Some(kept) => {
            text.truncate(kept);
            lines.remove(0);
        }
        None if text.is_empty() => {}
        None => {
            if !text.ends_with(b"\n") {
                text.push_str(end);
            }
            text.push_str(end);
        }
    }
    for line in lines {
        text.push_str(line);
        text.push_str(end);
    }
}

/// Where the last mark of a file starts, if it ends a section with that label.
fn growing(text: &[u8], label: &str) -> Option<usize> {
    let last = text.trim_end();
    let start = last.rfind_byte(b'\n').map_or(0, |at| at + 1);
    if !last[start..].starts_with(END.as_bytes()) {
        return None;
    }
    let begin = last[..start].rfind(BEGIN)?;
    let line = last[begin..].lines().next()?;
    (line == [BEGIN.as_bytes(), label.as_bytes()].concat()).then_some(start)
}

/// A line of an ignore file as it is.
pub struct TextLine<'a> {
    /// Line number, from 1.
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
