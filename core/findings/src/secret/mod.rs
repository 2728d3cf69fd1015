//! Credentials: by the form of their value, and files that are secret by nature.

mod assignment;
mod formats;
mod keywords;
mod mild;
mod names;
mod proof;
mod randomness;
mod scan;
mod tables;
mod utf_32;
mod value;
mod written;

pub use mild::Mild;
pub(crate) use mild::{is_given, of_place as mild_place};

use crate::{ByHand, Cause, Evidence, Finding, Level, Result};
use bstr::{BString, ByteSlice};
use formats::{FileCategory, FileRow, Formats, Kinds};
use redshank_rules::RepoPath;
use redshank_rules::exactly;
use redshank_worktree::Class;
use redshank_worktree::size::Bytes;
use redshank_worktree::tree::{Entry, EntryKind, State};
use std::collections::{HashMap, HashSet};
use std::fmt;
use std::io::Read;
use std::ops::Range;

/// A secret value. However it is printed, only its start and its length show.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Secret(BString);

impl Secret {
    /// Keeps a value from being shown.
    pub fn new(value: &[u8]) -> Self {
        Self(value.into())
    }

    /// Sixteen bits of a hash: enough to tell that a value was replaced, too little to try guesses
    /// on.
    fn trace(&self) -> [u8; 2] {
        let hash = blake3::hash(&self.0);
        [hash.as_bytes()[0], hash.as_bytes()[1]]
    }
}

impl fmt::Display for Secret {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let length = self.0.chars().count();
        let shown = if length >= 20 { 4 } else { 0 };
        let start: String = self
            .0
            .chars()
            .take(shown)
            .filter(|c| c.is_ascii_graphic())
            .collect();
        write!(f, "{start}… ({length} characters)")
    }
}

impl fmt::Debug for Secret {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(self, f)
    }
}

/// A credential, and its value where there is one, by which the same one is known elsewhere.
pub(crate) struct SecretFinding {
    pub(crate) finding: Finding,
    pub(crate) value: Option<Secret>,
}

/// Whether a file is an environment file, by its name; a sample of one is none.
pub fn is_environment(path: &RepoPath) -> bool {
    Formats::get().is_ok_and(|formats| Kinds::of(formats, path).has(FileCategory::Environment))
}

/// A text in which no credential is shown whole, for whatever is echoed of other people's files:
/// settings, rules, targets of links.
pub fn masked(text: &str) -> String {
    let (mut masked, mut from) = (String::with_capacity(text.len()), 0);
    for (span, shown) in secrets_in(text) {
        masked += &text[from..span.start];
        masked += &shown;
        from = span.end;
    }
    masked + &text[from..]
}

/// Where credentials stand in a text, in order, and how each may be shown.
pub fn secrets_in(text: &str) -> Vec<(Range<usize>, String)> {
    let Ok(formats) = Formats::get() else {
        return Vec::new();
    };
    let mut spans = scan::spans(text.as_bytes(), formats);
    spans.sort_by_key(|span| span.start);
    let mut from = 0;
    let mut is_next = |span: &Range<usize>| {
        let fits = span.start >= from
            && text.is_char_boundary(span.start)
            && text.is_char_boundary(span.end);
        from = if fits { span.end } else { from };
        fits
    };
    spans.retain(|span| is_next(span));
    spans
        .into_iter()
        .map(|span| {
            (
                span.clone(),
                Secret::new(&text.as_bytes()[span]).to_string(),
            )
        })
        .collect()
}

/// Gets the table of credentials ready; that it can't be read is told by whoever uses it.
pub(crate) fn get_ready() {
    let _ = Formats::get();
}

/// Looks into one file: its credentials, and how many a comment on their line accepts.
pub(crate) fn look_into(
    entry: &Entry,
    file: &mut dyn Read,
) -> Result<std::io::Result<(Vec<SecretFinding>, usize)>> {
    let formats = Formats::get()?;
    let kinds = Kinds::of(formats, &entry.path);
    let nature = formats.by_nature(&entry.path);
    Ok(scan::contents(file, formats, &entry.path, &kinds)
        .map(|hits| findings(entry, &kinds, nature, hits)))
}

/// The credentials in a text that is being written: what a file of that path would hold.
///
/// # Errors
/// If the table of credentials can't be used.
pub fn secrets_of(path: &RepoPath, text: &[u8]) -> Result<Vec<Finding>> {
    let entry = Entry {
        path: path.to_owned(),
        state: State::Candidate,
        kind: EntryKind::File,
        size: Bytes(text.len() as u64),
        ruling: None,
    };
    let seen = look_into(&entry, &mut &*text)?;
    // Memory can always be read.
    let (secrets, _) = seen.unwrap_or_default();
    Ok(secrets.into_iter().map(|secret| secret.finding).collect())
}

/// An environment file in which no secret was seen is a note, whatever its name says.
pub(crate) fn judge_environments(by_name: &mut [Finding], seen: &[Finding]) {
    let secrets = seen.iter().filter(|found| found.class() == Class::Secret);
    let holding: HashSet<&RepoPath> = secrets
        .flat_map(Finding::places)
        .map(|place| &*place.path)
        .collect();
    for found in by_name.iter_mut().filter(|found| {
        let is_environment = found.class() == Class::Secret && found.rule.name == "environment";
        is_environment && !found.path.is_folder() && !holding.contains(&*found.path)
    }) {
        found.level = Level::Note;
    }
}

/// The finding on a file that is secret as a whole, whatever it is called.
pub(crate) fn by_nature(entry: &Entry, name: &str, title: &str) -> Finding {
    told(entry, name, title, mild::of_place(&entry.path), true)
}

fn told(entry: &Entry, name: &str, title: &str, mild: Option<Mild>, whole_file: bool) -> Finding {
    // What a rule keeps out, harms nobody.
    let level = if entry.state == State::Ignored || mild.is_some() {
        Level::Note
    } else {
        Level::Error
    };
    let cause = Cause::Credential {
        title: title.to_owned(),
        mild,
        replace: None,
    };
    let found = Finding::on(entry, Class::Secret, name, level, cause);
    match () {
        () if entry.state == State::Ignored => found.by_hand(ByHand::NothingKeptOut),
        () if mild.is_some() => found.by_hand(ByHand::NothingIfMeant),
        () if whole_file => found.kept_out_by(
            exactly(&entry.path),
            "holds secrets of one installation",
            None,
        ),
        () => found.by_hand(ByHand::ReadFromEnvironment),
    }
}

fn findings(
    entry: &Entry,
    kinds: &Kinds,
    nature: Option<&FileRow>,
    mut hits: Vec<scan::Credential<'static>>,
) -> (Vec<SecretFinding>, usize) {
    let path = &entry.path;
    let accepted = hits.iter().filter(|hit| hit.accepted).count();
    hits.retain(|hit| !hit.accepted);
    let is_environment = !hits.is_empty() && kinds.has(FileCategory::Environment);
    let whole_file = is_environment || nature.is_some() || hits.iter().any(|hit| hit.is_the_file);
    let make = |name: &str, title: &str, mild| told(entry, name, title, mild, whole_file);
    if let (Some(row), true) = (nature, hits.is_empty()) {
        return (
            vec![SecretFinding {
                finding: make(&row.name, &row.title, mild::of_place(path)),
                value: None,
            }],
            accepted,
        );
    }
    let mut findings: Vec<SecretFinding> = Vec::new();
    let mut of_rule: HashMap<&str, u8> = HashMap::new();
    for hit in hits {
        // Values of one trace in one file are told apart by their order.
        let count = of_rule.entry(&hit.format.name).or_default();
        let same = *count;
        *count = count.wrapping_add(1);
        let cause = [&hit.secret.trace()[..], &[same]].concat();
        let found = make(&hit.format.name, &hit.format.title, hit.mild)
            .at_line(hit.line)
            .with_cause(&cause);
        let mut finding = found.with_evidence(Evidence::Secret(hit.secret.clone()));
        if let Cause::Credential { replace, .. } = &mut finding.cause {
            *replace = hit.format.replace.as_deref();
        }
        findings.push(SecretFinding {
            finding,
            value: Some(hit.secret),
        });
    }
    (findings, accepted)
}
