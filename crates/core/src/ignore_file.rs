//! The text of an ignore file: our blocks in it, and adding to it without touching another line.

use bstr::{BStr, BString, ByteSlice, ByteVec};

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
        let again = self.remake.as_ref().map_or(String::new(), |command| format!("; made again by: {command}"));
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
const END: &str = "# redshank: end ";

impl Section {
    /// A section with rules, each below a comment with its reason; a reason shared by neighbours stands once.
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

    /// The label of a template's section. `folder` is empty or ends in a slash.
    pub fn label_of(template: &str, folder: &BStr) -> String {
        match folder.strip_suffix(b"/") {
            Some(folder) => format!("{template}@{}", one_line(&folder.to_str_lossy())),
            None => template.to_owned(),
        }
    }
}

/// Text that stays on its line.
fn one_line(text: &str) -> String {
    text.chars().map(|c| if c.is_control() { '?' } else { c }).collect()
}

/// The labels of the sections in a file, without revisions.
pub fn labels(contents: &[u8]) -> Vec<BString> {
    let marks = contents.lines().filter_map(|line| line.strip_prefix(BEGIN.as_bytes()));
    marks.map(|mark| mark.rsplit_once_str(" (revision ").map_or(mark, |(label, _)| label).into()).collect()
}

/// The file's contents with a section at its end; if the last section there has the same label, that one grows. Every
/// line that was there stays as it was, and the new lines end as those do.
pub fn with_section(contents: &[u8], section: &Section, revision: Option<u32>) -> Vec<u8> {
    let end: &[u8] = if contents.contains_str("\r\n") { b"\r\n" } else { b"\n" };
    let closing = [END.as_bytes(), section.label.as_bytes()].concat();
    let mut text = contents.to_vec();
    let last = contents.trim_end();
    let grows = last.ends_with(&closing) && last.lines().next_back().is_some_and(|line| line == closing);
    let mut put = |line: &[u8]| {
        text.push_str(line);
        text.push_str(end);
    };
    if grows {
        let kept = last.len() - closing.len();
        text.truncate(kept);
    } else {
        if !contents.is_empty() {
            if !contents.ends_with(b"\n") {
                put(b"");
            }
            put(b"");
        }
        let revision = revision.map_or(String::new(), |number| format!(" (revision {number})"));
        put(format!("{BEGIN}{}{revision}", section.label).as_bytes());
    }
    for line in &section.lines {
        text.push_str(line);
        text.push_str(end);
    }
    text.push_str(&closing);
    text.push_str(end);
    text
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
    (1..).zip(contents.lines_with_terminator()).map(|(number, whole)| {
        let bare = whole.trim_end_with(|c| c == '\n' || c == '\r');
        // Spaces at the end count only behind a back-slash.
        let spaces = bare.len() - bare.trim_end_with(|c| c == ' ').len();
        let text = match &bare[..bare.len() - spaces] {
            kept if spaces > 0 && kept.ends_with(b"\\") => &bare[..kept.len() + 1],
            kept => kept,
        };
        TextLine { number, whole, text: text.as_bstr() }
    })
}
