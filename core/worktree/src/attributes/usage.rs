//! Every line of the attribute files: what it decides, and what is wrong with it.

use super::Attributes;
use crate::tree::Unread;
use crate::{FileStats, Overlay, Result, Snapshot};
use bstr::{BStr, BString, ByteSlice};
use redshank_git::Drivers;
use redshank_rules::ATTRIBUTE_FILE;
use redshank_rules::attribute_file::{
    AttributeFault, AttributeFile, AttributeLine, Setting, Value,
};
use std::collections::{BTreeSet, HashMap};

/// What a line amounts to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum AttributeStatus {
    /// It decides about something, or defines a macro.
    Works,
    /// Nothing here matches it.
    MatchesNothing,
    /// All that it says is decided by other lines.
    Overridden {
        /// One of them.
        by: AttributeLine,
    },
    /// git drops it, or it can't match.
    Faulty(AttributeFault),
    /// A name that git doesn't know, a slip away from one that it knows.
    Misspelt {
        /// What is written.
        name: BString,
        /// What may have been meant.
        meant: &'static str,
    },
    /// A value that git ignores.
    BadValue {
        /// The setting.
        setting: Setting,
        /// What it takes, in words.
        expected: &'static str,
    },
    /// It names a driver that isn't configured here, so that git does what it always does.
    NoDriver {
        /// `diff`, `merge` or `filter`.
        kind: &'static str,
        /// The driver's name.
        name: BString,
    },
}

/// A line with what it does.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AttributeUsage {
    /// Where it is.
    pub line: AttributeLine,
    /// The files that it decides about.
    pub decides: FileStats,
    /// What it amounts to.
    pub status: AttributeStatus,
}

/// The attributes that git itself reads (gitattributes(5)), those that large-file storage and
/// several hosts read, and the macro that is built in; each with what it is for.
pub const KNOWN_ATTRIBUTES: &[(&str, &str)] = &[
    (
        "text",
        "line endings are normalized; `text=auto` where it looks like text",
    ),
    ("eol", "`lf` or `crlf` in the working tree"),
    (
        "binary",
        "no differences, no merge, no line endings: -diff -merge -text",
    ),
    ("diff", "how differences are shown; a driver's name"),
    ("merge", "how versions are merged; `union` keeps both sides"),
    ("filter", "a program on the way in and out, such as `lfs`"),
    ("export-ignore", "not in an exported archive"),
    (
        "export-subst",
        "placeholders are filled in an exported archive",
    ),
    (
        "working-tree-encoding",
        "the encoding here, such as `UTF-16LE`",
    ),
    ("encoding", "the encoding that viewers show it in"),
    ("whitespace", "what counts as an error of white space"),
    ("ident", "`$Id$` is replaced"),
    ("delta", "whether packs store differences"),
    (
        "conflict-marker-size",
        "how long the marks of a conflict are",
    ),
    ("crlf", "the old name of `text`"),
    (
        "lockable",
        "one person at a time changes it, with large-file storage",
    ),
    ("linguist-generated", "hosts fold it in reviews"),
    ("linguist-vendored", "hosts don't count it as yours"),
    ("linguist-documentation", "hosts count it as documentation"),
    ("linguist-detectable", "hosts count it"),
    ("linguist-language", "the language that hosts show"),
];

/// The drivers of `diff` that git has itself (userdiff.c).
const DIFF_DRIVERS: &[&str] = &[
    "ada", "bash", "bibtex", "cpp", "csharp", "css", "default", "dts", "elixir", "fortran",
    "fountain", "golang", "html", "ini", "java", "kotlin", "markdown", "matlab", "objc", "pascal",
    "perl", "php", "python", "r", "ruby", "rust", "scheme", "tex",
];

/// The drivers of `merge` that git has itself (ll-merge.c).
const MERGE_DRIVERS: &[&str] = &["text", "binary", "union"];

/// Every line, and what could not be read.
pub struct AttributeReport {
    /// The lines, file by file: the tree's from the top down, this clone's, those outside.
    pub lines: Vec<AttributeUsage>,
    /// Attribute files that could not be read.
    pub unread: Vec<Unread>,
}

/// Every line of every attribute file that holds here.
///
/// # Errors
/// If there is no repository, the tree can't be walked, or git refuses.
pub fn attribute_usage(snapshot: &Snapshot, overlay: Overlay) -> Result<AttributeReport> {
    let mut attributes = Attributes::new(snapshot, overlay)?;
    let counts = Counts::take(snapshot, &mut attributes)?;
    let mut lines = Vec::new();
    for file in attributes.files() {
        let mut of_file = rows_of(file, &attributes, &counts)?;
        of_file.sort_by_key(|row: &AttributeUsage| row.line.line);
        lines.append(&mut of_file);
    }
    Ok(AttributeReport {
        lines,
        unread: attributes.unread,
    })
}

/// The lines of the tree's attribute files that git drops or ignores a part of, whatever they match.
///
/// # Errors
/// If there is no repository, the tree can't be walked, or git refuses.
pub fn attribute_faults(snapshot: &Snapshot) -> Result<Vec<AttributeUsage>> {
    let files = snapshot.tree()?.to_commit_files();
    let mut files = files
        .filter(|entry| entry.path.name() == ATTRIBUTE_FILE)
        .peekable();
    if files.peek().is_none() {
        return Ok(Vec::new());
    }
    let mut attributes = Attributes::new(snapshot, Overlay::new())?;
    for file in files {
        attributes.load(file.path.folder());
    }
    let nothing = Counts::default();
    let mut rows = Vec::new();
    for file in attributes.folders.values() {
        rows.extend(rows_of(file, &attributes, &nothing)?);
    }
    rows.retain(|usage| {
        matches!(
            usage.status,
            AttributeStatus::Faulty(_)
                | AttributeStatus::Misspelt { .. }
                | AttributeStatus::BadValue { .. }
        )
    });
    Ok(rows)
}

/// Which line: its file and its number.
type LineId = (BString, u32);

fn id(line: &AttributeLine) -> LineId {
    (line.source.clone(), line.line)
}

/// What lines do, over all files.
#[derive(Default)]
struct Counts {
    decides: HashMap<LineId, FileStats>,
    /// Of a line that matches and decides nothing so far: one that decides in its place.
    overridden: HashMap<LineId, AttributeLine>,
}

impl Counts {
    fn take(snapshot: &Snapshot, attributes: &mut Attributes) -> Result<Self> {
        let mut counts = Self::default();
        for entry in snapshot.tree()?.to_commit_files() {
            attributes.load_above(&entry.path);
            let given = attributes.given_as_read(&entry.path);
            let decisive: BTreeSet<LineId> = given.values().map(|(_, line)| id(line)).collect();
            for id in &decisive {
                *counts.decides.entry(id.clone()).or_default() += entry.stats();
            }
            attributes.visit(&entry.path, &mut |rule| {
                let line = id(&rule.line);
                if decisive.contains(&line) || counts.overridden.contains_key(&line) {
                    return;
                }
                let mut names = rule.settings.iter().map(|one| one.name.as_bstr());
                if let Some((_, by)) = names.find_map(|name| given.get(name)) {
                    counts.overridden.insert(line, (*by).clone());
                }
            });
        }
        Ok(counts)
    }
}

fn rows_of(
    file: &AttributeFile,
    attributes: &Attributes,
    counts: &Counts,
) -> Result<Vec<AttributeUsage>> {
    let mut rows = Vec::new();
    let faulty: HashMap<u32, &AttributeFault> = file
        .faulty
        .iter()
        .map(|faulty| (faulty.line.line, &faulty.fault))
        .collect();
    for rule in &file.rules {
        let decides = counts.decides.get(&id(&rule.line)).copied();
        let status = match faulty.get(&rule.line.line) {
            Some(fault) => AttributeStatus::Faulty((*fault).clone()),
            None => status(&rule.settings, attributes)?.unwrap_or_else(|| {
                match (decides, counts.overridden.get(&id(&rule.line))) {
                    (Some(_), _) => AttributeStatus::Works,
                    (None, Some(by)) => AttributeStatus::Overridden { by: by.clone() },
                    (None, None) => AttributeStatus::MatchesNothing,
                }
            }),
        };
        rows.push(AttributeUsage {
            line: rule.line.clone(),
            decides: decides.unwrap_or_default(),
            status,
        });
    }
    for defined in &file.macros {
        rows.push(AttributeUsage {
            line: defined.line.clone(),
            decides: FileStats::default(),
            status: status(&defined.settings, attributes)?.unwrap_or(AttributeStatus::Works),
        });
    }
    let dropped = file.faulty.iter();
    rows.extend(
        dropped
            .filter(|faulty| faulty.fault != AttributeFault::Folder)
            .map(|faulty| AttributeUsage {
                line: faulty.line.clone(),
                decides: FileStats::default(),
                status: AttributeStatus::Faulty(faulty.fault.clone()),
            }),
    );
    Ok(rows)
}

/// What is wrong with what a line says, whatever it matches.
fn status(settings: &[Setting], attributes: &Attributes) -> Result<Option<AttributeStatus>> {
    for setting in settings {
        let name = setting.name.as_bstr();
        if let Some(expected) = refused_value(setting) {
            let setting = setting.clone();
            return Ok(Some(AttributeStatus::BadValue { setting, expected }));
        }
        if let Some((kind, driver)) = attributes.unknown_driver(setting)? {
            let name = driver.to_owned();
            return Ok(Some(AttributeStatus::NoDriver { kind, name }));
        }
        let is_own =
            KNOWN_ATTRIBUTES.iter().any(|(known, _)| *known == name) || attributes.is_macro(name);
        if let Some(meant) = near_name(name).filter(|_| !is_own) {
            let name = name.to_owned();
            return Ok(Some(AttributeStatus::Misspelt { name, meant }));
        }
    }
    Ok(None)
}

/// A name of git's that is a slip away.
fn near_name(name: &BStr) -> Option<&'static str> {
    let name = name.to_str().ok()?.to_lowercase();
    let known = KNOWN_ATTRIBUTES.iter().map(|(known, _)| *known);
    let near = known.map(|known| (strsim::damerau_levenshtein(&name, known), known));
    let slips = if name.len() < 6 { 1 } else { 2 };
    let near = near.filter(|(slips_away, _)| *slips_away <= slips);
    near.min().map(|(_, known)| known)
}

/// What an attribute takes, if git ignores the value that is given.
fn refused_value(setting: &Setting) -> Option<&'static str> {
    let text = match &setting.value {
        Value::Text(text) => Some(text.as_slice()),
        _ => None,
    };
    let is_set = setting.value == Value::Set;
    match setting.name.as_slice() {
        b"text" => {
            let is_known = text.is_none_or(|text| text == b"auto" || text == b"input");
            (!is_known).then_some("`text`, `-text` or `text=auto`")
        }
        b"eol" => {
            let is_known = matches!(text, Some(b"lf" | b"crlf"));
            (is_set || text.is_some() && !is_known).then_some("`eol=lf` or `eol=crlf`")
        }
        b"working-tree-encoding" => is_set.then_some("the name of an encoding, such as `UTF-16LE`"),
        b"filter" => is_set.then_some("the name of a filter, such as `filter=lfs`"),
        b"conflict-marker-size" => {
            let is_number = text.is_some_and(|text| text.iter().all(u8::is_ascii_digit));
            (is_set || text.is_some() && !is_number).then_some("a number")
        }
        b"export-ignore" | b"export-subst" | b"ident" | b"delta" => {
            text.is_some().then_some("no value: the name by itself")
        }
        _ => None,
    }
}

/// The driver that a setting names, if neither git nor its configuration here has it.
pub(super) fn unknown_driver<'s>(
    setting: &'s Setting,
    drivers: &Drivers,
) -> Option<(&'static str, &'s BStr)> {
    let Value::Text(name) = &setting.value else {
        return None;
    };
    let (kind, built_in): (&'static str, &[&str]) = match setting.name.as_slice() {
        b"diff" => ("diff", DIFF_DRIVERS),
        b"merge" => ("merge", MERGE_DRIVERS),
        b"filter" => ("filter", &[]),
        _ => return None,
    };
    let is_known =
        built_in.iter().any(|known| *known == *name) || drivers.has(kind, name.as_bstr());
    // What large-file storage names is set by its own installation, all of it or nothing.
    let is_of_storage = name == "lfs" && kind != "filter";
    (!is_known && !is_of_storage).then_some((kind, name.as_bstr()))
}

impl Attributes<'_> {
    /// The files that were read, in the order of `git check-attr`'s answers from the top down.
    fn files(&self) -> impl Iterator<Item = &AttributeFile> {
        let mut folders: Vec<_> = self.folders.iter().collect();
        folders.sort_unstable_by_key(|(folder, _)| *folder);
        let folders = folders.into_iter().map(|(_, file)| file);
        folders.chain([&self.clone]).chain(&self.outside)
    }
}
