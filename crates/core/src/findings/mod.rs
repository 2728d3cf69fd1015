//! Findings: what should be tracked and isn't, or is (or would be) and shouldn't.
//!
//! A finder takes the tree with its verdicts and gives findings as plain data. It prints nothing
//! and changes nothing. A new finder is one file here and one line in [`find`].

mod accepted;
mod by_content;
mod by_name;
mod by_text;
mod claimed;
mod companions;
mod contents;
mod derived;
mod exposure;
mod finding;
mod grouped;
mod hidden;
mod history;
mod idle_rules;
mod inside;
mod links;
mod names;
pub mod needed;
mod nested;
mod oversized;
mod reserved;
mod script_ends;
mod secret;
mod tracked_anyway;

pub use accepted::{Acceptance, accepting, today};
pub use contents::Contents;
pub use finding::{Class, Exposure, Finding, Level, Past, Remedy};
pub use oversized::NOT_STORED;
pub use secret::{Secret, is_environment, masked, secrets_in};

use crate::settings::Settings;
use crate::size::Bytes;
use crate::templates::{Collection, Survey, Template, recognise};
use crate::tree::{Depth, Entry, Oracle, Overlay, Place, Scope, State, Tree, Unread};
use crate::{Error, Result};
use bstr::{BString, ByteSlice};
use claimed::Claimed;
use std::cmp::Reverse;
use std::collections::{HashMap, HashSet};

/// What the finders look at.
pub struct Look<'a> {
    /// Where.
    pub place: &'a Place,
    /// The tree, with sizes.
    pub tree: &'a Tree,
    /// The projects in it.
    pub survey: &'a Survey<'a>,
    /// The repository's settings.
    pub settings: &'a Settings,
    /// Verdicts on single paths.
    pub oracle: &'a Oracle<'a>,
    /// What the files hold.
    pub contents: Contents<'a>,
    /// Ignored files are looked into, too.
    pub ignored: bool,
}

impl<'a> Look<'a> {
    /// The entries whose contents are looked into.
    fn files(&self) -> impl Iterator<Item = &'a Entry> {
        let ignored = self.ignored;
        self.tree
            .entries
            .iter()
            .filter(move |entry| ignored || entry.state != State::Ignored)
    }
}

/// What the finders found.
#[derive(Default)]
pub struct Found {
    /// Sorted by what to do first.
    pub findings: Vec<Finding>,
    /// What could not be read, and so was not looked into.
    pub unread: Vec<Unread>,
    /// How many findings are left out because somebody accepted them.
    pub accepted: usize,
}

impl Found {
    /// Takes over what another finder found.
    fn take(&mut self, other: Found) {
        self.findings.extend(other.findings);
        self.unread.extend(other.unread);
        self.accepted += other.accepted;
    }
}

/// What is to be looked at, and which findings are asked for.
pub struct Ask<'a> {
    /// The staged contents instead of those on disk.
    pub staged: bool,
    /// Ignored files, too.
    pub ignored: bool,
    /// Only what concerns these paths; a folder's ends in a slash. All if empty.
    pub paths: Vec<BString>,
    /// Only these classes; all if empty.
    pub classes: Vec<Class>,
    /// Only this level and worse ones.
    pub level: Option<Level>,
    /// Every version that the history holds, too.
    pub history: bool,
    /// Told how many of them have been looked into so far.
    pub progress: &'a dyn Fn(u64),
}

impl Default for Ask<'_> {
    fn default() -> Self {
        Self {
            staged: false,
            ignored: false,
            paths: Vec::new(),
            classes: Vec::new(),
            level: None,
            history: false,
            progress: &|_| {},
        }
    }
}

impl Ask<'_> {
    fn is_for(&self, finding: &Finding) -> bool {
        let concerns = |path: &BString| {
            let below = |inner: &BString, outer: &BString| {
                outer.ends_with(b"/") && inner.starts_with(outer)
            };
            let is_at = |at: &BString| at == path || below(at, path) || below(path, at);
            path.is_empty() || finding.places().any(|place| is_at(&place.path))
        };
        (self.paths.is_empty() || self.paths.iter().any(concerns))
            && (self.classes.is_empty() || self.classes.contains(&finding.class))
            && self.level.is_none_or(|level| finding.level <= level)
    }

    /// Whether all findings there are, are asked for.
    fn is_for_all(&self) -> bool {
        !self.staged && self.paths.is_empty() && self.classes.is_empty() && self.level.is_none()
    }
}

/// Runs every finder on a place, with the templates that count there.
///
/// # Errors
/// If the tree, the settings, a template or the index can't be read.
pub fn find_in(place: &Place, ask: &Ask) -> Result<Found> {
    let settings = Settings::read(place)?;
    if ask.staged {
        return find_staged(place, &settings, ask);
    }
    let depth = if ask.ignored {
        Depth::IntoIgnored
    } else {
        Depth::StopAtIgnored
    };
    let tree = Tree::walk(
        place,
        &Scope {
            depth,
            ..Scope::default()
        },
    )?;
    let templates = Collection::of(place)?.chosen(&settings.draft)?;
    let survey = recognise(place, &tree, &templates);
    find_on_disk(place, &tree, &survey, &settings, ask)
}

/// Runs every finder on a tree that was walked already.
///
/// # Errors
/// If the index can't be read.
pub fn find(place: &Place, tree: &Tree, survey: &Survey, settings: &Settings) -> Result<Found> {
    find_on_disk(place, tree, survey, settings, &Ask::default())
}

fn find_on_disk(
    place: &Place,
    tree: &Tree,
    survey: &Survey,
    settings: &Settings,
    ask: &Ask,
) -> Result<Found> {
    let oracle = Oracle::new(place, Overlay::new())?;
    let (contents, ignored) = (Contents::Disk(place), ask.ignored);
    run(
        &Look {
            place,
            tree,
            survey,
            settings,
            oracle: &oracle,
            contents,
            ignored,
        },
        ask,
    )
}

/// Looks at the staged contents. What they belong to is told from what lies around them: walking
/// the whole tree, or reading the whole index, would take longer than the commit that waits.
fn find_staged(place: &Place, settings: &Settings, ask: &Ask) -> Result<Found> {
    let Some(repository) = &place.repository else {
        return Err(Error::NoRepository {
            top: place.top.clone(),
            what: "nothing can be staged",
        });
    };
    let oracle = Oracle::of_rules(place)?;
    // The tables take as long to get ready as git to answer.
    let tables = || {
        rayon::join(
            || Collection::of(place)?.chosen(&settings.draft),
            secret::get_ready,
        )
    };
    let (staged, (templates, ())) = rayon::join(|| repository.staged(), tables);
    let (staged, templates) = (staged?, templates?);
    let markers: HashSet<&[u8]> = templates
        .iter()
        .flat_map(Template::marker_folders)
        .collect();
    let paths = staged.iter().map(|staged| staged.path.as_bstr());
    let around = Tree::around(place, paths, &|name| markers.contains(name));
    let survey = recognise(place, &around, &templates);
    let (tree, contents) = contents::staged(repository, staged)?;
    run(
        &Look {
            place,
            tree: &tree,
            survey: &survey,
            settings,
            oracle: &oracle,
            contents,
            ignored: false,
        },
        ask,
    )
}

fn run(look: &Look, ask: &Ask) -> Result<Found> {
    let (place, settings, staged) = (look.place, look.settings, ask.staged);
    let mut found = Found {
        unread: look.tree.unread.clone(),
        ..Found::default()
    };
    let claimed = claimed::find(look, &mut found)?;
    // Reading what files hold takes the longest; meanwhile, names and links are looked at.
    let (inside, around) = rayon::join(
        || inside::find(look, &claimed),
        || find_around(look, &claimed, !staged),
    );
    let (seen, inside) = inside?;
    found.take(seen);
    by_name::find(look, &claimed, &mut found);
    grouped::group(look, &claimed, &mut found);
    oversized::find(look, &claimed, &inside, &mut found)?;
    script_ends::find(look, &claimed, &inside, &mut found)?;
    found.take(around?);
    tracked_anyway::find(look, &claimed, &mut found)?;
    exposure::fill_in(place, &mut found)?;
    if ask.history {
        history::find(look, ask, &mut found)?;
    }
    accepted::leave_out(settings, ask, &mut found);
    found.findings.retain(|finding| ask.is_for(finding));
    sort(&mut found.findings);
    Ok(found)
}

/// What shows without looking into files. What only the working tree can tell is left out for
/// staged contents.
fn find_around(look: &Look, claimed: &Claimed, on_disk: bool) -> Result<Found> {
    let mut found = Found::default();
    reserved::find(look, &mut found);
    names::find(look, &mut found);
    if on_disk {
        needed::find(look, &mut found)?;
        companions::find(look, &mut found);
        derived::find(look, claimed, &mut found);
        links::find(look, &mut found)?;
        nested::find(look, &mut found)?;
        idle_rules::find(look, &mut found)?;
        hidden::find(look, &mut found)?;
    }
    Ok(found)
}

/// What to do first comes first: by level, class and how far it got; within a class the rule with
/// most bytes, whose findings stay together.
fn sort(findings: &mut [Finding]) {
    let mut weights: HashMap<String, Bytes> = HashMap::new();
    for finding in findings.iter() {
        *weights.entry(finding.rule.clone()).or_default() += finding.size.unwrap_or_default();
    }
    findings.sort_by(|a, b| {
        let key = |f: &Finding| {
            (
                f.level,
                f.class,
                Reverse(f.exposure),
                Reverse(weights.get(&f.rule).copied()),
            )
        };
        let within = |f: &Finding| (f.rule.clone(), Reverse(f.size), f.path.clone(), f.line);
        key(a).cmp(&key(b)).then_with(|| within(a).cmp(&within(b)))
    });
}
