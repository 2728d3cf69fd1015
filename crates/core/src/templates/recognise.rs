//! Which project types live in a tree, where, and by what evidence.

use super::{Claims, FolderMark, Marker, Template};
use crate::tree::{Entry, Kind, Place, Tree};
use bstr::{BStr, BString, ByteSlice};
use redshank_pattern::{Case, Rule};
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
    spans: bool,
}

impl<'a> Project<'a> {
    /// A project that nobody recognised but somebody asked for.
    pub fn asked_for(template: &'a Template, folder: BString) -> Self {
        Self { template, folder, evidence: BString::default(), spans: false }
    }

    /// The folder that its template's rules are relative to.
    pub fn rules_folder(&self) -> BString {
        if self.template.group.everywhere() { BString::default() } else { self.folder.clone() }
    }
}

/// A folder found by a file in it.
pub struct MarkedFolder<'a> {
    /// With a slash at its end.
    pub folder: BString,
    /// The name of the template that knows the mark.
    pub template: &'a str,
    /// What the template says of it.
    pub mark: &'a FolderMark,
}

/// All that was recognised.
#[derive(Default)]
pub struct Survey<'a> {
    /// Projects, those nearest to the top first.
    pub projects: Vec<Project<'a>>,
    /// Folders known by what lies in them.
    pub folders: Vec<MarkedFolder<'a>>,
    /// What the templates of all these say of each path.
    pub claims: Claims<'a>,
}

/// A marker found in the tree.
struct Hit<'a> {
    folder: BString,
    evidence: &'a BStr,
    template: &'a Template,
    what: What<'a>,
}

#[derive(Clone, Copy)]
enum What<'a> {
    Folder(&'a FolderMark),
    Project(&'a Marker),
}

/// Recognises projects among the tracked paths and candidates of a tree. What lies in a folder that a project already
/// recognised would ignore (dependencies, build output) is not a project.
pub fn recognise<'a>(place: &Place, tree: &'a Tree, templates: &'a [Template]) -> Survey<'a> {
    let markers = Markers::of(templates, place.case());
    let files = tree.to_commit().filter(|entry| entry.kind == Kind::File);
    let mut hits: Vec<Hit> = files.flat_map(|entry| markers.hits(entry)).collect();
    // From the top down; what a folder is, before what lies in it; a marker that spans, before one that doesn't.
    hits.sort_by_key(|hit| {
        let (kind, weaker) = match &hit.what {
            What::Folder(_) => (0, false),
            What::Project(marker) => (1, !marker.spans),
        };
        (hit.folder.iter().filter(|byte| **byte == b'/').count(), hit.folder.clone(), kind, weaker)
    });
    let mut survey = Survey::default();
    let mut inside = HashMap::new();
    for hit in hits {
        survey.take(place, hit, &mut inside);
    }
    survey
}

impl<'a> Survey<'a> {
    fn take(&mut self, place: &Place, hit: Hit<'a>, inside: &mut HashMap<BString, bool>) {
        if self.is_claimed(hit.folder.as_bstr(), inside) {
            return;
        }
        let contains = match &hit.what {
            What::Folder(mark) => &mark.contains,
            What::Project(marker) => &marker.contains,
        };
        if contains.as_ref().is_some_and(|text| !holds_text(place, hit.evidence, text)) {
            return;
        }
        match hit.what {
            What::Folder(mark) => {
                self.claims.mark(hit.folder.clone(), &hit.template.name, mark);
                inside.insert(hit.folder.clone(), true);
                let (folder, template) = (hit.folder, hit.template.name.as_str());
                self.folders.push(MarkedFolder { folder, template, mark });
            }
            What::Project(marker) => {
                let found = Project {
                    template: hit.template,
                    folder: if hit.template.group.everywhere() { BString::default() } else { hit.folder },
                    evidence: hit.evidence.to_owned(),
                    spans: marker.spans,
                };
                if !self.projects.iter().any(|known| known.covers(&found)) {
                    self.claims.add(found.clone(), place.case());
                    self.projects.push(found);
                }
            }
        }
    }

    /// Whether a folder, or one above it, is claimed by what was recognised so far, further up.
    fn is_claimed(&self, folder: &BStr, known: &mut HashMap<BString, bool>) -> bool {
        let Some(bare) = folder.strip_suffix(b"/") else {
            return false;
        };
        if let Some(answer) = known.get(folder) {
            return *answer;
        }
        let above = bare.rfind_byte(b'/').map_or(b"".as_bstr(), |slash| bare[..=slash].as_bstr());
        let answer = self.is_claimed(above, known) || self.claims.on(folder).is_some();
        known.insert(folder.to_owned(), answer);
        answer
    }
}

impl Project<'_> {
    fn covers(&self, other: &Self) -> bool {
        self.template.name == other.template.name
            && (self.folder == other.folder || self.spans && other.folder.starts_with(&self.folder))
    }
}

/// All markers of a collection, by the name that a file must have.
struct Markers<'a> {
    named: HashMap<&'a [u8], Vec<Sought<'a>>>,
    other: Vec<Sought<'a>>,
}

struct Sought<'a> {
    template: &'a Template,
    what: What<'a>,
    rule: Rule,
    /// How many parts of a path lie between the project's folder and the end.
    parts: usize,
}

impl<'a> Markers<'a> {
    fn of(templates: &'a [Template], case: Case) -> Self {
        let mut markers = Self { named: HashMap::new(), other: Vec::new() };
        for template in templates {
            for mark in &template.folder {
                markers.seek(&mark.holds, template, What::Folder(mark), case);
            }
            for marker in &template.recognise {
                markers.seek(&marker.file, template, What::Project(marker), case);
            }
        }
        markers
    }

    fn seek(&mut self, file: &'a str, template: &'a Template, what: What<'a>, case: Case) {
        let anywhere = if file.contains('/') { format!("**/{file}") } else { file.to_owned() };
        let rule = Rule::parse(anywhere.as_bytes(), 1, case);
        let sought = Sought { template, what, rule, parts: file.split('/').count() };
        let name = file.rsplit('/').next().unwrap_or(file).as_bytes();
        if name.iter().any(|byte| b"*?[\\".contains(byte)) {
            self.other.push(sought);
        } else {
            self.named.entry(name).or_default().push(sought);
        }
    }

    fn hits(&self, entry: &'a Entry) -> impl Iterator<Item = Hit<'a>> {
        let path = entry.path.as_bstr();
        let name = path.rfind_byte(b'/').map_or(path.as_bytes(), |slash| &path[slash + 1..]);
        let sought = self.named.get(name).into_iter().flatten().chain(&self.other);
        sought.filter(move |sought| sought.rule.matches(path, false)).map(move |sought| {
            let slash = path.rfind_iter("/").nth(sought.parts - 1);
            let folder = slash.map_or(BString::default(), |slash| path[..=slash].into());
            Hit { folder, evidence: path, template: sought.template, what: sought.what }
        })
    }
}

/// How much of a marker file is looked at, in bytes.
const MARKER_READ: u64 = 64 << 10;

fn holds_text(place: &Place, path: &BStr, text: &str) -> bool {
    let mut start = Vec::new();
    let file = std::fs::File::open(place.path(path));
    file.is_ok_and(|file| file.take(MARKER_READ).read_to_end(&mut start).is_ok()) && start.contains_str(text)
}
