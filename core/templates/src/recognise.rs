//! Which project types live in a tree, where, and by what evidence.

use super::{Confidence, FolderMark, Marker, Output, Template, TemplateMatches, outputs};
use bstr::ByteSlice;
use rayon::prelude::*;
use redshank_files::FileKind;
use redshank_origin::{Judgement, Judgements, Strength, Surroundings, is_in_hidden};
use redshank_progress::Phase;
use redshank_rules::{Case, Rule};
use redshank_rules::{RepoPath, RepoPathBuf, common_folder};
use redshank_rules::{RuleList, Source};
use redshank_worktree::tree::{Entry, EntryKind, Tree};
use redshank_worktree::{Class, Snapshot};
use std::collections::HashMap;
use std::io::Read;
use std::sync::Arc;

/// A project found in a tree.
#[derive(Clone)]
pub struct Project<'a> {
    /// The template that it is about.
    pub template: &'a Template,
    /// The folder, relative to the repository's top.
    pub folder: RepoPathBuf,
    /// The file by which it was recognised.
    pub evidence: RepoPathBuf,
    /// How much that proves.
    pub confidence: Confidence,
    /// Whether it only comes along with another one, and by that one's evidence.
    pub(crate) comes_along: bool,
    /// Whether only files tell it that may be anywhere in a project.
    pub(crate) is_gathered: bool,
    spans: bool,
}

impl<'a> Project<'a> {
    /// A project that nobody recognised but somebody asked for.
    pub(crate) fn asked_for(template: &'a Template, folder: RepoPathBuf) -> Self {
        Self {
            template,
            folder,
            evidence: RepoPathBuf::default(),
            confidence: Confidence::Sure,
            comes_along: false,
            is_gathered: false,
            spans: false,
        }
    }

    /// The folder that its template's rules are relative to.
    pub fn rules_folder(&self) -> RepoPathBuf {
        if self.template.group.everywhere() {
            RepoPathBuf::default()
        } else {
            self.folder.clone()
        }
    }

    fn is_of(&self, template: &Template) -> bool {
        self.template.name == template.name
    }

    fn covers(&self, other: &Self) -> bool {
        self.is_of(other.template)
            && (self.folder == other.folder || self.spans && other.folder.is_within(&self.folder))
    }

    /// Whether it makes a project of that template in the same folder say nothing new.
    fn outranks(&self, other: &Template) -> bool {
        self.template.outranks.contains(&other.name)
    }

    fn outranks_beside(&self, other: &Self) -> bool {
        self.folder == other.folder && self.outranks(other.template)
    }
}

/// A folder known by what is in it, or a file or folder that the project's own settings name.
#[derive(Clone)]
pub struct KnownPlace<'a> {
    /// Path relative to the repository's top.
    pub path: RepoPathBuf,
    /// The name of the template that knows it.
    pub template: &'a str,
    /// Class of what is there.
    pub class: Class,
    /// What it is and why it doesn't belong.
    pub reason: &'a str,
    /// The command that makes it again.
    pub remake: Option<&'a str>,
    /// The file that tells.
    pub evidence: RepoPathBuf,
    /// Files directly in it that somebody wrote: where it is a part of a folder in which people
    /// work, too.
    pub own: Vec<RepoPathBuf>,
}

/// All that was recognised.
#[derive(Default)]
pub struct Survey<'a> {
    /// Projects, those nearest to the top first.
    pub projects: Vec<Project<'a>>,
    /// Places known by what is in them or by the project's settings.
    pub known: Vec<KnownPlace<'a>>,
    /// What the templates of all these say of each path.
    pub matches: TemplateMatches<'a>,
    /// What tells where a file comes from.
    pub around: Option<Arc<Surroundings<'a>>>,
    /// Projects that a person left out.
    pub(crate) left_out: Vec<Project<'a>>,
    /// All templates that projects were recognised by.
    pub templates: &'a [Template],
}

impl Survey<'_> {
    /// Where a file comes from by itself, with what templates say of it.
    pub fn origin(&self, path: &RepoPath) -> Option<Judgement> {
        let claim = self.matches.claim(path);
        Some(self.around.as_ref()?.judge(path, claim.as_ref()))
    }

    /// Where files of the tree come from: what they show, what templates say of them, and what is
    /// beside them.
    pub fn judge<'t>(&self, files: &[&'t Entry]) -> Judgements<'t> {
        let Some(around) = &self.around else {
            return Judgements::default();
        };
        let claimed = files.iter();
        let claimed = claimed.map(|entry| (*entry, self.matches.claim(&entry.path)));
        Judgements::gather(around, claimed.collect())
    }

    /// Leaves the projects and the places of a template out.
    pub fn leave_out(&mut self, template: &str) {
        let projects = &mut self.projects;
        self.left_out
            .extend(projects.extract_if(.., |project| project.template.name == template));
        self.known.retain(|known| known.template != template);
    }
}

/// Recognises projects among the tracked paths and candidates of a tree. What is in a folder that
/// a project already recognised would ignore (dependencies, build output) is not a project.
pub fn recognise<'a>(
    snapshot: &'a Snapshot,
    tree: &'a Tree,
    templates: &'a [Template],
) -> Survey<'a> {
    let phase = Phase::Recognise.begin();
    let markers = Markers::collect(templates, snapshot.case());
    let files = tree
        .to_commit()
        .filter(|entry| entry.kind == EntryKind::File);
    let files: Vec<&Entry> = files.collect();
    let hits = files
        .into_par_iter()
        .flat_map_iter(|entry| markers.hits(entry));
    let mut hits: Vec<MarkerHit> = hits.collect();
    let around = Arc::new(Surroundings::new(snapshot, tree));
    hits.retain(|hit| !around.is_released(&hit.folder));
    hits.sort_by_cached_key(MarkerHit::order);
    let (gathered, hits) = hits.into_iter().partition(MarkerHit::gathers);
    let mut recogniser = Recogniser {
        snapshot,
        templates,
        markers: &markers,
        found: FoundProjects::default(),
        survey: Survey {
            matches: TemplateMatches::among(Arc::clone(&around)),
            templates,
            ..Survey::default()
        },
        around,
        matched: HashMap::new(),
    };
    recogniser.take_all(hits);
    let together = recogniser.taken_together(gathered);
    recogniser.take_all(together);
    let projects = recogniser.found.in_order();
    phase.seen(projects.len() as u64, 0);
    Survey {
        projects,
        around: Some(recogniser.around),
        ..recogniser.survey
    }
}

/// The projects found so far, by their folders, each with its place in the order of finding.
#[derive(Default)]
struct FoundProjects<'a> {
    here: HashMap<RepoPathBuf, Vec<(usize, Project<'a>)>>,
    count: usize,
}

impl<'a> FoundProjects<'a> {
    fn add(&mut self, project: Project<'a>) {
        let here = self.here.entry(project.folder.clone()).or_default();
        here.push((self.count, project));
        self.count += 1;
    }

    /// Those in a folder and in the folders above it.
    fn around(&self, folder: &RepoPath) -> impl Iterator<Item = &Project<'a>> {
        let above = folder.folders_above().chain([folder]);
        let below_top = above.filter(|part| !part.is_top());
        let places = std::iter::once(RepoPath::top()).chain(below_top);
        let found = places.filter_map(|place| self.here.get(place)).flatten();
        found.map(|(_, project)| project)
    }

    /// What came along with another project has a marker of its own.
    fn confirm(&mut self, own: &Project<'a>) {
        let here = self.here.get_mut(&own.folder).into_iter().flatten();
        for known in here
            .map(|(_, known)| known)
            .filter(|known| known.comes_along && known.is_of(own.template))
        {
            known.comes_along = false;
            known.evidence.clone_from(&own.evidence);
            known.spans |= own.spans;
        }
    }

    /// Takes projects out again that are in a folder.
    fn forget(&mut self, folder: &RepoPath, which: impl Fn(&Project) -> bool) {
        if let Some(here) = self.here.get_mut(folder) {
            here.retain(|(_, project)| !which(project));
        }
    }

    fn in_order(self) -> Vec<Project<'a>> {
        let mut all: Vec<_> = self.here.into_values().flatten().collect();
        all.sort_by_key(|(nth, _)| *nth);
        all.into_iter().map(|(_, project)| project).collect()
    }
}

/// A marker found in the tree.
struct MarkerHit<'a> {
    folder: RepoPathBuf,
    evidence: &'a RepoPath,
    template: &'a Template,
    kind: MarkerKind<'a>,
}

#[derive(Clone, Copy)]
enum MarkerKind<'a> {
    Folder(&'a FolderMark),
    Project(&'a Marker),
    Output(&'a Output),
}

impl MarkerHit<'_> {
    /// From the top down; what a folder is, before what is in it; a marker that spans, before one
    /// that doesn't; what proves more, before what proves less; a project before its settings.
    fn order(&self) -> impl Ord + use<> {
        let (kind, narrower, confidence) = match &self.kind {
            MarkerKind::Folder(_) => (0, false, Confidence::Sure),
            MarkerKind::Project(marker) => (1, !marker.spans, marker.confidence),
            MarkerKind::Output(_) => (2, false, Confidence::Sure),
        };
        let depth = self.folder.iter().filter(|byte| **byte == b'/').count();
        (depth, self.folder.clone(), kind, narrower, confidence)
    }

    /// Whether such files lie anywhere in a project, which its folder is to hold all of.
    fn gathers(&self) -> bool {
        matches!(self.kind, MarkerKind::Project(marker) if marker.gather)
    }

    /// Whether it is a project in a hidden folder, where a tool keeps copies.
    fn is_a_tools_copy(&self) -> bool {
        matches!(self.kind, MarkerKind::Project(_))
            && !self.template.group.everywhere()
            && is_in_hidden(&self.folder)
    }

    /// Text that the file must hold, too.
    fn wanted_text(&self) -> Option<&str> {
        match &self.kind {
            MarkerKind::Folder(mark) => mark.contains.as_deref(),
            MarkerKind::Project(marker) => marker.contains.as_deref(),
            MarkerKind::Output(_) => None,
        }
    }
}

/// Takes markers up, one by one.
struct Recogniser<'a, 's> {
    snapshot: &'a Snapshot,
    templates: &'a [Template],
    markers: &'s Markers<'a>,
    around: Arc<Surroundings<'a>>,
    found: FoundProjects<'a>,
    /// What was found, but for the projects.
    survey: Survey<'a>,
    /// For each folder that was asked about, whether what was recognised so far matches it.
    matched: HashMap<RepoPathBuf, bool>,
}

impl<'a> Recogniser<'a, '_> {
    fn take_all(&mut self, hits: Vec<MarkerHit<'a>>) {
        for hit in hits {
            let wanted = hit.wanted_text();
            if hit.is_a_tools_copy()
                || self.is_matched(&hit.folder)
                || !wanted
                    .is_none_or(|text| start_of(self.snapshot, hit.evidence).contains_str(text))
            {
                continue;
            }
            match hit.kind {
                MarkerKind::Folder(mark) => self.take_folder(&hit, mark),
                MarkerKind::Project(marker) => self.take_project(&hit, marker),
                MarkerKind::Output(output) => self.take_output(&hit, output),
            }
        }
    }

    /// Takes a folder that is known by what is in it: whole, or, where somebody works in it, the
    /// parts of it that the tool makes.
    fn take_folder(&mut self, hit: &MarkerHit<'a>, mark: &'a FolderMark) {
        let known = |path| KnownPlace {
            path,
            template: &hit.template.name,
            class: mark.class,
            reason: &mark.reason,
            remake: mark.remake.as_deref(),
            evidence: hit.evidence.to_owned(),
            own: Vec::new(),
        };
        if self.can_be_taken_whole(&hit.folder) {
            self.matched.insert(hit.folder.clone(), true);
            self.know(known(hit.folder.clone()));
            return;
        }
        for part in &mark.part {
            let path = hit.folder.join(&part.path);
            let witness = part.holds.as_ref().map(|holds| path.join(holds));
            let is_there = match &witness {
                Some(witness) => self.snapshot.root.is_there(witness),
                None => self.snapshot.root.is_there(path.bare()),
            };
            if is_there
                && part
                    .contains
                    .as_ref()
                    .is_none_or(|text| start_of(self.snapshot, &path).contains_str(text))
            {
                if path.is_folder() {
                    self.matched.insert(path.clone(), true);
                }
                let own = self.around.authored_in(&path, Strength::Likely);
                self.know(KnownPlace { own, ..known(path) });
            }
        }
    }

    /// Takes what comes along with a project, in the same folder, unless it is known further up.
    fn take_companions(&mut self, of: &Project<'a>) {
        for name in &of.template.with {
            let Some(template) = self.templates.iter().find(|one| one.name == *name) else {
                continue;
            };
            let found = Project {
                template,
                comes_along: true,
                ..of.clone()
            };
            self.take(found);
        }
    }

    fn take_project(&mut self, hit: &MarkerHit<'a>, marker: &Marker) {
        let found = Project {
            template: hit.template,
            folder: if hit.template.group.everywhere() {
                RepoPathBuf::default()
            } else {
                hit.folder.clone()
            },
            evidence: hit.evidence.to_owned(),
            confidence: marker.confidence,
            comes_along: false,
            is_gathered: marker.gather,
            spans: marker.spans,
        };
        if !found.is_gathered {
            self.found.confirm(&found);
        }
        self.take(found);
    }

    fn take(&mut self, found: Project<'a>) {
        if self.found.around(&found.folder).any(|known| {
            known.covers(&found)
                || known.outranks_beside(&found)
                || (found.comes_along && known.is_of(found.template))
        }) {
            return;
        }
        let gives_way = |known: &Project| found.outranks_beside(known);
        self.found.forget(&found.folder, gives_way);
        let matches = &mut self.survey.matches;
        matches.forget(&found.rules_folder(), gives_way);
        matches.add(found.clone(), self.snapshot.case());
        self.found.add(found.clone());
        self.take_companions(&found);
    }

    /// Takes what a setting names, if the settings file belongs to a project of the template and no
    /// sources are there.
    fn take_output(&mut self, hit: &MarkerHit<'a>, output: &'a Output) {
        if !self
            .found
            .around(&hit.folder)
            .any(|one| one.is_of(hit.template))
        {
            return;
        }
        let text = start_of(self.snapshot, hit.evidence);
        for path in outputs::named(output, &hit.folder, &text.to_str_lossy()) {
            let is_known = self.survey.matches.knows(&path);
            let has_work = !output.is_file && self.is_of_sources(&path);
            // A rule for a file would exclude a folder of that name as well.
            let is_missed = output.is_file
                && match self.snapshot.root.kind(path.bare()) {
                    Some(kind) => kind != FileKind::File,
                    None => output.once_there,
                };
            // Where pages are published from, they are built in order to be committed.
            let is_published = path.bare() == "docs";
            if is_published || is_known || has_work || is_missed || self.is_matched(&path) {
                continue;
            }
            self.matched.clear();
            self.know(KnownPlace {
                path,
                template: &hit.template.name,
                class: Class::Generated,
                reason: &output.reason,
                remake: output.remake.as_deref(),
                evidence: hit.evidence.to_owned(),
                own: Vec::new(),
            });
        }
    }

    fn know(&mut self, known: KnownPlace<'a>) {
        self.survey.matches.know(known.clone());
        self.survey.known.push(known);
    }

    /// Whether a folder, or one above it, is matched by what was recognised so far, further up.
    fn is_matched(&mut self, folder: &RepoPath) -> bool {
        if folder.is_top() || !folder.is_folder() {
            return false;
        }
        if let Some(answer) = self.matched.get(folder) {
            return *answer;
        }
        let answer = self.is_matched(folder.folder()) || self.survey.matches.on(folder).is_some();
        self.matched.insert(folder.to_owned(), answer);
        answer
    }

    /// Of the markers that are anywhere in a project, one for each template: in the folder that
    /// holds them all. What a real project holds, is its own.
    fn taken_together(&mut self, hits: Vec<MarkerHit<'a>>) -> Vec<MarkerHit<'a>> {
        let mut together: Vec<MarkerHit> = Vec::new();
        let mut looked = HashMap::new();
        for hit in hits {
            let is_taken = self
                .found
                .around(&hit.folder)
                .any(|one| one.is_of(hit.template) || one.outranks(hit.template));
            if is_taken || self.is_matched(&hit.folder) || self.is_made(&hit, &mut looked) {
                continue;
            }
            let mut known = together.iter_mut();
            match known.find(|known| known.template.name == hit.template.name) {
                Some(known) => {
                    let both = [&*known.folder, &*hit.folder];
                    known.folder = common_folder(both).to_owned();
                }
                None => together.push(hit),
            }
        }
        for hit in &mut together {
            self.widen(hit);
        }
        together
    }

    /// Whether a file by which a project would be recognised says that a tool wrote it; only the
    /// first few for each template are looked at.
    fn is_made(&self, hit: &MarkerHit<'a>, looked: &mut HashMap<&'a str, usize>) -> bool {
        let count = looked.entry(hit.template.name.as_str()).or_default();
        *count += 1;
        *count <= LOOKED_AT && self.around.is_marked(hit.evidence)
    }

    /// Whether a folder that is known by what is in it can be taken whole: no manifest and no
    /// source is right in it. That git tracks it, by mistake, is no reason not to.
    fn can_be_taken_whole(&self, folder: &RepoPath) -> bool {
        let mut direct = self
            .around
            .tree()
            .below(folder)
            .filter(|entry| entry.path.folder() == folder);
        !folder.is_top()
            && !direct.any(|entry| self.markers.has_project(&entry.path))
            && self.around.authored_in(folder, Strength::Strong).is_empty()
    }

    /// Whether most of a folder that the project's own settings call output is authored.
    fn is_of_sources(&self, folder: &RepoPath) -> bool {
        let share = self.around.share(folder);
        share.authored.len() as u64 > share.made + share.unknown
    }

    /// What a tool makes of such files may land beside the folder of the sources: take in all up to
    /// there.
    fn widen(&self, hit: &mut MarkerHit) {
        let around = self.found.around(&hit.folder);
        let around = around.map(|project| &*project.folder);
        let around = around.max_by_key(|folder| folder.len());
        let around = around.unwrap_or(RepoPath::top());
        let sources = hit.folder.parts().find(|part| {
            part.len() > around.len() && SOURCES.iter().any(|name| part.name() == name)
        });
        if let Some(project) = sources.map(|sources| sources.folder().to_owned()) {
            hit.folder = project;
        }
    }
}

/// At most this many files of one type are opened to see whether a tool wrote them.
const LOOKED_AT: usize = 16;

/// Folders of sources inside a project's own; the last ones start packages of Java and its kin.
const SOURCES: [&str; 14] = [
    "src", "source", "sources", "include", "lib", "app", "code", "scripts", "main", "org", "com",
    "net", "io", "edu",
];

/// All markers of a collection, as rules of one list.
struct Markers<'a> {
    sought: Vec<Sought<'a>>,
    rules: RuleList,
}

struct Sought<'a> {
    template: &'a Template,
    kind: MarkerKind<'a>,
    /// How many parts of a path are between the project's folder and the end.
    parts: usize,
}

impl<'a> Markers<'a> {
    fn collect(templates: &'a [Template], case: Case) -> Self {
        let mut sought = Vec::new();
        let mut rules = Vec::new();
        for template in templates {
            let folders = template.folder.iter();
            let folders = folders.map(|mark| (&mark.holds, MarkerKind::Folder(mark)));
            let projects = template.recognise.iter();
            let projects = projects.map(|marker| (&marker.file, MarkerKind::Project(marker)));
            let outputs = template.output.iter();
            let outputs = outputs.map(|output| (&output.file, MarkerKind::Output(output)));
            for (file, kind) in folders.chain(projects).chain(outputs) {
                let anywhere = if file.contains('/') {
                    format!("**/{file}")
                } else {
                    file.to_owned()
                };
                rules.push(Rule::parse(anywhere.as_bytes(), 1, case));
                sought.push(Sought {
                    template,
                    kind,
                    parts: file.split('/').count(),
                });
            }
        }
        let source = Source::of_folder(RepoPathBuf::default());
        Self {
            sought,
            rules: RuleList::from_rules(source, rules, case),
        }
    }

    /// Whether a project would be recognised by a file of that name.
    fn has_project(&self, path: &RepoPath) -> bool {
        let found = self.rules.all_matches(path, false).into_iter();
        found.map(|at| &self.sought[at as usize]).any(|sought| {
            matches!(sought.kind, MarkerKind::Project(marker) if !marker.gather)
                && sought.parts == 1
        })
    }

    fn hits(&self, entry: &'a Entry) -> impl Iterator<Item = MarkerHit<'a>> {
        let path: &RepoPath = &entry.path;
        let found = self.rules.all_matches(path, false).into_iter();
        found.map(move |at| {
            let sought = &self.sought[at as usize];
            let mut folders = std::iter::successors(Some(path), |path| Some(path.folder()));
            let folder = folders.nth(sought.parts).unwrap_or(RepoPath::top());
            MarkerHit {
                folder: folder.to_owned(),
                evidence: path,
                template: sought.template,
                kind: sought.kind,
            }
        })
    }
}

/// How much of a marker file is looked at, in bytes.
const MARKER_READ: u64 = 64 << 10;

/// The start of a file; nothing if it can't be read.
fn start_of(snapshot: &Snapshot, path: &RepoPath) -> Vec<u8> {
    let mut start = Vec::new();
    let file = snapshot.root.file(path);
    let read = file.and_then(|file| file.take(MARKER_READ).read_to_end(&mut start));
    if read.is_ok() { start } else { Vec::new() }
}
