//! Which project types live in a tree, where, and by what evidence.

use super::{Confidence, FolderMark, Marker, Output, Template, TemplateMatches, outputs};
use bstr::{BStr, BString, ByteSlice};
use rayon::prelude::*;
use redshank_pattern::{Case, Rule};
use redshank_worktree::Class;
use redshank_worktree::Snapshot;
use redshank_worktree::tree::{Entry, EntryKind, State, Tree};
use std::collections::HashMap;
use std::io::Read;

/// A project found in a tree.
#[derive(Clone)]
pub struct Project<'a> {
    /// Its type.
    pub template: &'a Template,
    /// Its folder: empty, or with a slash at its end.
    pub folder: BString,
    /// The file by which it was recognised.
    pub evidence: BString,
    /// How much that proves.
    pub confidence: Confidence,
    spans: bool,
}

impl<'a> Project<'a> {
    /// A project that nobody recognised but somebody asked for.
    pub fn asked_for(template: &'a Template, folder: BString) -> Self {
        Self {
            template,
            folder,
            evidence: BString::default(),
            confidence: Confidence::Sure,
            spans: false,
        }
    }

    /// The folder that its template's rules are relative to.
    pub fn rules_folder(&self) -> BString {
        if self.template.group.everywhere() {
            BString::default()
        } else {
            self.folder.clone()
        }
    }
}

/// A folder known by what lies in it, or a file or folder that the project's own settings name.
#[derive(Clone)]
pub struct KnownPlace<'a> {
    /// A folder's ends in a slash.
    pub path: BString,
    /// The name of the template that knows it.
    pub template: &'a str,
    /// MarkerKind is there.
    pub class: Class,
    /// MarkerKind it is and why it doesn't belong.
    pub reason: &'a str,
    /// The command that makes it again.
    pub remake: Option<&'a str>,
    /// The file that tells.
    pub evidence: BString,
}

/// All that was recognised.
#[derive(Default)]
pub struct Survey<'a> {
    /// Projects, those nearest to the top first.
    pub projects: Vec<Project<'a>>,
    /// Places known by what lies in them or by the project's settings.
    pub known: Vec<KnownPlace<'a>>,
    /// MarkerKind the templates of all these say of each path.
    pub matches: TemplateMatches<'a>,
}

/// A marker found in the tree.
struct MarkerHit<'a> {
    folder: BString,
    evidence: &'a BStr,
    template: &'a Template,
    what: MarkerKind<'a>,
}

#[derive(Clone, Copy)]
enum MarkerKind<'a> {
    Folder(&'a FolderMark),
    Project(&'a Marker),
    Output(&'a Output),
}

/// Recognises projects among the tracked paths and candidates of a tree. MarkerKind lies in a folder that
/// a project already recognised would ignore (dependencies, build output) is not a project.
pub fn recognise<'a>(snapshot: &Snapshot, tree: &'a Tree, templates: &'a [Template]) -> Survey<'a> {
    let markers = Markers::of(templates, snapshot.case());
    let files: Vec<&Entry> = tree
        .to_commit()
        .filter(|entry| entry.kind == EntryKind::File)
        .collect();
    let mut hits: Vec<MarkerHit> = files
        .into_par_iter()
        .flat_map_iter(|entry| markers.hits(entry))
        .collect();
    // From the top down; what a folder is, before what lies in it; a marker that spans, before one
    // that doesn't; what proves more, before what proves less; a project before its settings.
    hits.sort_by_key(|hit| {
        let (kind, narrower, confidence) = match &hit.what {
            MarkerKind::Folder(_) => (0, false, Confidence::Sure),
            MarkerKind::Project(marker) => (1, !marker.spans, marker.confidence),
            MarkerKind::Output(_) => (2, false, Confidence::Sure),
        };
        (
            hit.folder.iter().filter(|byte| **byte == b'/').count(),
            hit.folder.clone(),
            kind,
            narrower,
            confidence,
        )
    });
    let mut survey = Survey::default();
    let mut in_match = HashMap::new();
    let (gathered, hits): (Vec<MarkerHit>, Vec<MarkerHit>) =
        hits.into_iter().partition(|hit| hit.gathers());
    for hit in hits {
        survey.take(snapshot, tree, hit, &mut in_match);
    }
    // MarkerKind a real project holds, is its own.
    let mut together: Vec<MarkerHit> = Vec::new();
    for hit in gathered {
        let has_it = |project: &Project| {
            let same = project.template.name == hit.template.name || project.outranks(hit.template);
            same && hit.folder.starts_with(&project.folder)
        };
        if survey.is_matched(hit.folder.as_bstr(), &mut in_match)
            || survey.projects.iter().any(has_it)
        {
            continue;
        }
        match together
            .iter_mut()
            .find(|known| known.template.name == hit.template.name)
        {
            Some(known) => known.folder = common(&known.folder, &hit.folder),
            None => together.push(hit),
        }
    }
    for mut hit in together {
        // MarkerKind they make may land beside the folder they lie in: take in all up to the project
        // around it.
        let around = survey
            .projects
            .iter()
            .filter(|project| hit.folder.starts_with(&project.folder));
        let around = around
            .map(|project| project.folder.len())
            .max()
            .unwrap_or(0);
        let end = hit.folder[around..]
            .find_byte(b'/')
            .map_or(hit.folder.len(), |slash| around + slash + 1);
        hit.folder.truncate(end);
        survey.take(snapshot, tree, hit, &mut in_match);
    }
    survey
}

/// The deepest folder that both lie in.
fn common(a: &[u8], b: &[u8]) -> BString {
    let same = a.iter().zip(b).take_while(|(a, b)| a == b).count();
    a[..same]
        .rfind_byte(b'/')
        .map_or(BString::default(), |slash| a[..=slash].into())
}

impl MarkerHit<'_> {
    fn gathers(&self) -> bool {
        matches!(self.what, MarkerKind::Project(marker) if marker.gather)
    }
}

impl<'a> Survey<'a> {
    fn take(
        &mut self,
        snapshot: &Snapshot,
        tree: &Tree,
        hit: MarkerHit<'a>,
        in_match: &mut HashMap<BString, bool>,
    ) {
        if self.is_matched(hit.folder.as_bstr(), in_match) {
            return;
        }
        let contains = match &hit.what {
            MarkerKind::Folder(mark) => &mark.contains,
            MarkerKind::Project(marker) => &marker.contains,
            MarkerKind::Output(_) => &None,
        };
        if contains
            .as_ref()
            .is_some_and(|text| !holds_text(snapshot, hit.evidence, text))
        {
            return;
        }
        match hit.what {
            MarkerKind::Folder(mark) => {
                in_match.insert(hit.folder.clone(), true);
                let remake = mark.remake.as_deref();
                self.know(
                    hit.folder,
                    hit.template,
                    (mark.class, &mark.reason, remake),
                    hit.evidence,
                );
            }
            MarkerKind::Project(marker) => {
                let found = Project {
                    template: hit.template,
                    folder: if hit.template.group.everywhere() {
                        BString::default()
                    } else {
                        hit.folder
                    },
                    evidence: hit.evidence.to_owned(),
                    confidence: marker.confidence,
                    spans: marker.spans,
                };
                let outranks = |one: &Project, other: &Project| {
                    one.folder == other.folder && one.outranks(other.template)
                };
                if !self
                    .projects
                    .iter()
                    .any(|known| known.covers(&found) || outranks(known, &found))
                {
                    self.projects.retain(|known| !outranks(&found, known));
                    self.matches.forget(|known| outranks(&found, known));
                    self.matches.add(found.clone(), snapshot.case());
                    self.projects.push(found);
                }
            }
            MarkerKind::Output(output) => self.take_output(snapshot, tree, &hit, output, in_match),
        }
    }

    /// Takes what a setting names, if the settings file belongs to a project of the template and
    /// nothing there is tracked.
    fn take_output(
        &mut self,
        snapshot: &Snapshot,
        tree: &Tree,
        hit: &MarkerHit<'a>,
        output: &'a Output,
        in_match: &mut HashMap<BString, bool>,
    ) {
        let of_template = |project: &Project| {
            project.template.name == hit.template.name && hit.folder.starts_with(&project.folder)
        };
        if !self.projects.iter().any(of_template) {
            return;
        }
        let text = start_of(snapshot, hit.evidence);
        for path in outputs::named(output, hit.folder.as_bstr(), &text.to_str_lossy()) {
            let has_tracked = tree
                .below(path.as_bstr())
                .any(|entry| entry.state == State::Tracked);
            let known = self.known.iter().any(|known| known.path == path)
                || self.is_matched(path.as_bstr(), in_match);
            if !has_tracked && !known {
                let remake = output.remake.as_deref();
                in_match.clear();
                self.know(
                    path,
                    hit.template,
                    (Class::Generated, &output.reason, remake),
                    hit.evidence,
                );
            }
        }
    }

    fn know(
        &mut self,
        path: BString,
        template: &'a Template,
        (class, reason, remake): (Class, &'a str, Option<&'a str>),
        evidence: &BStr,
    ) {
        let known = KnownPlace {
            path,
            template: &template.name,
            class,
            reason,
            remake,
            evidence: evidence.to_owned(),
        };
        self.matches.know(known.clone());
        self.known.push(known);
    }

    /// Whether a folder, or one above it, is claimed by what was recognised so far, further up.
    fn is_matched(&self, folder: &BStr, known: &mut HashMap<BString, bool>) -> bool {
        let Some(bare) = folder.strip_suffix(b"/") else {
            return false;
        };
        if let Some(answer) = known.get(folder) {
            return *answer;
        }
        let above = bare
            .rfind_byte(b'/')
            .map_or(b"".as_bstr(), |slash| bare[..=slash].as_bstr());
        let answer = self.is_matched(above, known) || self.matches.on(folder).is_some();
        known.insert(folder.to_owned(), answer);
        answer
    }
}

impl Project<'_> {
    fn covers(&self, other: &Self) -> bool {
        self.template.name == other.template.name
            && (self.folder == other.folder || self.spans && other.folder.starts_with(&self.folder))
    }

    fn outranks(&self, other: &Template) -> bool {
        self.template.outranks.contains(&other.name)
    }
}

/// All markers of a collection, by the name that a file must have.
struct Markers<'a> {
    named: HashMap<&'a [u8], Vec<Sought<'a>>>,
    other: Vec<Sought<'a>>,
}

struct Sought<'a> {
    template: &'a Template,
    what: MarkerKind<'a>,
    rule: Rule,
    /// How many parts of a path lie between the project's folder and the end.
    parts: usize,
}

impl<'a> Markers<'a> {
    fn of(templates: &'a [Template], case: Case) -> Self {
        let mut markers = Self {
            named: HashMap::new(),
            other: Vec::new(),
        };
        for template in templates {
            for mark in &template.folder {
                markers.seek(&mark.holds, template, MarkerKind::Folder(mark), case);
            }
            for marker in &template.recognise {
                markers.seek(&marker.file, template, MarkerKind::Project(marker), case);
            }
            for output in &template.output {
                markers.seek(&output.file, template, MarkerKind::Output(output), case);
            }
        }
        markers
    }

    fn seek(&mut self, file: &'a str, template: &'a Template, what: MarkerKind<'a>, case: Case) {
        let anywhere = if file.contains('/') {
            format!("**/{file}")
        } else {
            file.to_owned()
        };
        let rule = Rule::parse(anywhere.as_bytes(), 1, case);
        let sought = Sought {
            template,
            what,
            rule,
            parts: file.split('/').count(),
        };
        let name = file.rsplit('/').next().unwrap_or(file).as_bytes();
        if name.iter().any(|byte| b"*?[\\".contains(byte)) {
            self.other.push(sought);
        } else {
            self.named.entry(name).or_default().push(sought);
        }
    }

    fn hits(&self, entry: &'a Entry) -> impl Iterator<Item = MarkerHit<'a>> {
        let path = entry.path.as_bstr();
        let name = path
            .rfind_byte(b'/')
            .map_or(path.as_bytes(), |slash| &path[slash + 1..]);
        let sought = self
            .named
            .get(name)
            .into_iter()
            .flatten()
            .chain(&self.other);
        sought
            .filter(move |sought| sought.rule.matches(path, false))
            .map(move |sought| {
                let slash = path.rfind_iter("/").nth(sought.parts - 1);
                let folder = slash.map_or(BString::default(), |slash| path[..=slash].into());
                MarkerHit {
                    folder,
                    evidence: path,
                    template: sought.template,
                    what: sought.what,
                }
            })
    }
}

/// How much of a marker file is looked at, in bytes.
const MARKER_READ: u64 = 64 << 10;

fn holds_text(snapshot: &Snapshot, path: &BStr, text: &str) -> bool {
    start_of(snapshot, path).contains_str(text)
}

/// The start of a file; nothing if it can't be read.
fn start_of(snapshot: &Snapshot, path: &BStr) -> Vec<u8> {
    let mut start = Vec::new();
    let read = snapshot
        .root
        .file(path)
        .and_then(|file| file.take(MARKER_READ).read_to_end(&mut start));
    if read.is_ok() { start } else { Vec::new() }
}
