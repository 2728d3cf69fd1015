//! Attributes of paths, and the lines that give them (gitattributes(5)).
//!
//! What a path's attributes are, git itself is asked; which line gives each, is read here, in git's
//! order: this clone's file first, then the files in the path's folders from the nearest to the top,
//! then the person's own and the system's; in each the last line first.

use crate::{Purpose, Result, Snapshot};
use bstr::{BStr, BString, ByteSlice};
use redshank_rules::{RepoPath, RepoPathBuf, Rule};
use std::collections::{BTreeMap, HashMap};
use std::path::Path;

/// A line of an attribute file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AttributeLine {
    /// The file: relative to the top inside it, else its whole path.
    pub source: BString,
    /// Line number, from 1.
    pub line: u32,
    /// The line as it stands there.
    pub text: BString,
}

/// The attributes of a path, each with its value in git's words and the line that gives it, as far as
/// that was found.
pub type PathAttributes = BTreeMap<BString, (BString, Option<AttributeLine>)>;

/// The name of the files.
const FILE: &str = ".gitattributes";

/// git reads no longer line (attr.h, since 2.39).
const LONGEST_LINE: usize = 2048;

/// A file is read up to this size, in bytes.
const LARGEST_FILE: u64 = 4 << 20;

/// What starts a line that defines a macro.
const MACRO: &[u8] = b"[attr]";

/// One line, ready to be matched.
struct Row {
    rule: Rule,
    /// The names in the line, from left to right, each with whether it is set to true.
    names: Vec<(BString, bool)>,
    line: AttributeLine,
}

/// A file's lines, and the macros that it defines.
#[derive(Default)]
struct AttributeFile {
    rows: Vec<Row>,
    macros: Vec<(BString, Vec<(BString, bool)>)>,
}

/// All files that may give a path attributes, each read once.
pub struct Attributes<'a> {
    snapshot: &'a Snapshot,
    /// This clone's, then the person's own and the system's.
    clone: AttributeFile,
    outside: Vec<AttributeFile>,
    folders: HashMap<RepoPathBuf, AttributeFile>,
    macros: HashMap<BString, Vec<(BString, bool)>>,
}

impl<'a> Attributes<'a> {
    /// Reads the files that hold everywhere.
    ///
    /// # Errors
    /// If there is no repository or git refuses.
    pub fn new(snapshot: &'a Snapshot) -> Result<Self> {
        let repository = snapshot.needs_repository(Purpose::Attributes)?;
        let trusted = |path: &Path| {
            let held = redshank_files::read_trusted(path, LARGEST_FILE).unwrap_or_default();
            let shown = path.strip_prefix(&snapshot.top).unwrap_or(path);
            AttributeFile::parse(&held, &shown.to_string_lossy(), snapshot)
        };
        let outside = repository.attribute_files()?;
        let mut all = Self {
            snapshot,
            clone: trusted(&repository.common_folder.join("info/attributes")),
            outside: outside.iter().map(|path| trusted(path)).collect(),
            folders: HashMap::new(),
            macros: HashMap::new(),
        };
        all.load(RepoPath::top());
        // The nearer definition of a macro wins; one is built in.
        let binary = ["diff", "merge", "text"].map(|name| (BString::from(name), false));
        all.macros.insert("binary".into(), binary.to_vec());
        let top = all.folders.get(RepoPath::top()).into_iter();
        let files = all.outside.iter().rev().chain(top).chain([&all.clone]);
        let defined: Vec<_> = files.flat_map(|file| file.macros.iter().cloned()).collect();
        all.macros.extend(defined);
        Ok(all)
    }

    fn load(&mut self, folder: &RepoPath) {
        if self.folders.contains_key(folder) {
            return;
        }
        let path = folder.join(FILE);
        // git reads none through a link.
        let held = self.snapshot.root.file(&path).ok().and_then(|file| {
            let mut held = Vec::new();
            let mut file = std::io::Read::take(file, LARGEST_FILE);
            std::io::Read::read_to_end(&mut file, &mut held).ok()?;
            Some(held)
        });
        let shown = path.to_str_lossy();
        let file = AttributeFile::parse(&held.unwrap_or_default(), &shown, self.snapshot);
        self.folders.insert(folder.to_owned(), file);
    }

    /// The attributes of these paths, in their order.
    ///
    /// # Errors
    /// If git refuses.
    pub fn of(&mut self, paths: &[RepoPathBuf]) -> Result<Vec<PathAttributes>> {
        let repository = self.snapshot.needs_repository(Purpose::Attributes)?;
        let asked: Vec<&BStr> = paths.iter().map(|path| path.as_bstr()).collect();
        let said = repository.all_attributes(&asked)?;
        let mut answers = Vec::new();
        for (path, said) in paths.iter().zip(said) {
            for folder in path.folders_above() {
                self.load(folder);
            }
            let lines = self.lines(path);
            let of_line = |(name, value): (BString, BString)| {
                let line = lines.get(&name).cloned();
                (name, (value, line))
            };
            answers.push(said.into_iter().map(of_line).collect());
        }
        Ok(answers)
    }

    /// The line that decides about each attribute of a path.
    fn lines(&self, path: &RepoPath) -> HashMap<BString, AttributeLine> {
        let mut found = HashMap::new();
        let top = RepoPath::top();
        self.take(&self.clone, top, path, &mut found);
        let above: Vec<&RepoPath> = path.folders_above().collect();
        for folder in above.into_iter().rev().chain([top]) {
            if let Some(file) = self.folders.get(folder) {
                self.take(file, folder, path, &mut found);
            }
        }
        for file in &self.outside {
            self.take(file, top, path, &mut found);
        }
        found
    }

    fn take(
        &self,
        file: &AttributeFile,
        folder: &RepoPath,
        path: &RepoPath,
        found: &mut HashMap<BString, AttributeLine>,
    ) {
        let Some(below) = path.below(folder) else {
            return;
        };
        for row in file.rows.iter().rev() {
            if row.rule.matches(below.bare(), below.is_folder()) {
                self.give(&row.names, &row.line, found);
            }
        }
    }

    /// What a line gives, from right to left; a macro that is set gives what it stands for at once.
    fn give(
        &self,
        names: &[(BString, bool)],
        line: &AttributeLine,
        found: &mut HashMap<BString, AttributeLine>,
    ) {
        for (name, is_set) in names.iter().rev() {
            if found.contains_key(name) {
                continue;
            }
            found.insert(name.clone(), line.clone());
            if let (true, Some(others)) = (is_set, self.macros.get(name)) {
                self.give(others, line, found);
            }
        }
    }
}

impl AttributeFile {
    fn parse(text: &[u8], shown: &str, snapshot: &Snapshot) -> Self {
        let text = text.strip_prefix(b"\xef\xbb\xbf").unwrap_or(text);
        let mut file = Self::default();
        for (nth, line) in text.split(|byte| *byte == b'\n').enumerate() {
            let whole = line;
            let line = line.trim_start_with(|sign| " \t\r".contains(sign));
            if line.is_empty() || line.starts_with(b"#") || whole.len() >= LONGEST_LINE {
                continue;
            }
            let Some((pattern, rest)) = pattern(line) else {
                continue;
            };
            let Some(names) = names(rest) else {
                continue;
            };
            if let Some(name) = pattern.strip_prefix(MACRO) {
                let name = name.trim_with(|sign| " \t".contains(sign));
                let name = if name.is_empty() { None } else { Some(name) };
                if let Some(name) = name.filter(|name| is_name(name)) {
                    file.macros.push((name.into(), names));
                }
                continue;
            }
            // A pattern that takes something out is none here.
            if pattern.starts_with(b"!") {
                continue;
            }
            let number = nth as u32 + 1;
            file.rows.push(Row {
                rule: Rule::parse(&pattern, number, snapshot.case()),
                names,
                line: AttributeLine {
                    source: shown.into(),
                    line: number,
                    text: whole.trim_end_with(|sign| sign == '\r').into(),
                },
            });
        }
        file
    }
}

/// A line's pattern, and what is behind it. One in quotes is written as in C.
fn pattern(line: &[u8]) -> Option<(BString, &[u8])> {
    if let Some(quoted) = line.strip_prefix(b"\"")
        && let Some((pattern, used)) = unquoted(quoted)
    {
        return Some((pattern, &quoted[used..]));
    }
    let end = line.find_byteset(b" \t\r\n").unwrap_or(line.len());
    // A macro's name may be set apart.
    Some((line[..end].into(), &line[end..]))
}

/// A text in C's quotes, and how much it takes up to the closing quote.
fn unquoted(text: &[u8]) -> Option<(BString, usize)> {
    let mut pattern = BString::default();
    let mut at = 0;
    loop {
        match *text.get(at)? {
            b'"' => return Some((pattern, at + 1)),
            b'\\' => {
                at += 1;
                let sign = *text.get(at)?;
                let known = b"abfnrtv\\\"".iter().position(|known| *known == sign);
                match (known, sign) {
                    (Some(nth), _) => pattern.push(b"\x07\x08\x0c\n\r\t\x0b\\\""[nth]),
                    (None, b'0'..=b'3') => {
                        let digits = text.get(at..at + 3)?.to_str().ok()?;
                        pattern.push(u8::from_str_radix(digits, 8).ok()?);
                        at += 2;
                    }
                    (None, _) => return None,
                }
            }
            sign => pattern.push(sign),
        }
        at += 1;
    }
}

/// The attributes of a line; none if git would not take the line for one.
fn names(text: &[u8]) -> Option<Vec<(BString, bool)>> {
    let mut names = Vec::new();
    for word in text.split(|byte| b" \t\r".contains(byte)) {
        if word.is_empty() {
            continue;
        }
        let (is_bare, rest) = match word.first() {
            Some(b'-' | b'!') => (false, &word[1..]),
            _ => (true, word),
        };
        let name = rest.split(|byte| *byte == b'=').next().unwrap_or_default();
        if !is_name(name) {
            return None;
        }
        names.push((name.into(), is_bare && name.len() == rest.len()));
    }
    Some(names)
}

/// Whether an attribute may be called so.
fn is_name(name: &[u8]) -> bool {
    let is_part = |byte: &u8| byte.is_ascii_alphanumeric() || b"-_.".contains(byte);
    !name.is_empty()
        && !name.starts_with(b"-")
        && name.iter().all(is_part)
        && !name.starts_with(b"builtin_")
}
