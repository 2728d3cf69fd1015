//! Attributes of paths, and the lines that give them (gitattributes(5)).
//!
//! git's order: this clone's file first, then the files in the path's folders from the nearest to
//! the top, then the person's own and the system's; in each the last line first.

mod effect;
mod usage;

pub use effect::{AttributeChange, AttributeEffect};
pub use usage::{
    AttributeReport, AttributeStatus, AttributeUsage, KNOWN_ATTRIBUTES, attribute_faults,
    attribute_usage,
};

use crate::tree::{Unread, UnreadReason};
use crate::{Overlay, Purpose, Result, Snapshot};
use bstr::{BStr, BString, ByteSlice};
use once_cell::unsync::OnceCell;
use redshank_git::Drivers;
use redshank_rules::attribute_file::{AttributeFile, AttributeLine, AttributeRule, Setting, Value};
use redshank_rules::{ATTRIBUTE_FILE, RepoPath, RepoPathBuf};
use std::collections::{BTreeMap, HashMap};
use std::path::Path;

/// The attributes of a path, by name.
pub type PathAttributes = BTreeMap<BString, PathAttribute>;

/// An attribute of a path.
#[derive(Debug, Clone)]
pub struct PathAttribute {
    /// Its value, in git's words.
    pub value: BString,
    /// The line that gives it, as far as that was found.
    pub line: Option<AttributeLine>,
    /// The lines that say something else of it and don't decide; the one that would be next comes
    /// first.
    pub overridden: Vec<AttributeLine>,
}

/// What lines give a path: for each attribute its value and the line. [`Value::Unspecified`] is
/// among them where a line says so.
pub type Given<'a> = BTreeMap<&'a BStr, (&'a Value, &'a AttributeLine)>;

/// A file is read up to this size, in bytes.
const LARGEST_FILE: u64 = 4 << 20;

/// All files that may give a path attributes, each read once.
pub struct Attributes<'a> {
    snapshot: &'a Snapshot,
    overlay: Overlay,
    /// This clone's, then the person's own and the system's.
    clone: AttributeFile,
    outside: Vec<AttributeFile>,
    folders: HashMap<RepoPathBuf, AttributeFile>,
    macros: HashMap<BString, Vec<Setting>>,
    drivers: OnceCell<Drivers>,
    /// The attribute files that could not be read.
    unread: Vec<Unread>,
}

impl<'a> Attributes<'a> {
    /// Reads the files that hold everywhere; those in the overlay are taken as if they held that.
    ///
    /// # Errors
    /// If there is no repository or git refuses.
    pub fn new(snapshot: &'a Snapshot, overlay: Overlay) -> Result<Self> {
        let repository = snapshot.needs_repository(Purpose::Attributes)?;
        let read = |path: &Path| {
            let shown = path.strip_prefix(&snapshot.top).unwrap_or(path);
            let shown = BString::from(redshank_files::path_bytes(shown).into_owned());
            let held = overlay.get(&shown).cloned();
            let held = held
                .or_else(|| redshank_files::read_trusted(path, LARGEST_FILE).ok())
                .unwrap_or_default();
            AttributeFile::parse(&held, shown.as_bstr(), true, snapshot.case())
        };
        let outside = repository.attribute_files()?;
        let mut all = Self {
            snapshot,
            clone: read(&repository.common_folder.join("info/attributes")),
            outside: outside.iter().map(|path| read(path)).collect(),
            overlay,
            folders: HashMap::new(),
            macros: HashMap::new(),
            drivers: OnceCell::new(),
            unread: Vec::new(),
        };
        all.load(RepoPath::top());
        all.define_macros();
        Ok(all)
    }

    /// Takes the macros of the files that may define some; the nearer definition wins.
    fn define_macros(&mut self) {
        let binary = ["diff", "merge", "text"].map(|name| Setting {
            name: name.into(),
            value: Value::Unset,
        });
        let top = self.folders.get(RepoPath::top()).into_iter();
        let files = self.outside.iter().rev().chain(top).chain([&self.clone]);
        let defined = files.flat_map(|file| &file.macros);
        let defined = defined.map(|one| (one.name.clone(), one.settings.clone()));
        let built_in = std::iter::once(("binary".into(), binary.to_vec()));
        self.macros = built_in.chain(defined).collect();
    }

    /// The same without what only this clone or this person has.
    ///
    /// # Errors
    /// As [`Self::new`].
    pub fn of_everyone(snapshot: &'a Snapshot, overlay: Overlay) -> Result<Self> {
        let mut all = Self::new(snapshot, overlay)?;
        all.clone = AttributeFile::default();
        all.outside.clear();
        all.define_macros();
        Ok(all)
    }

    /// The kind and the name of the driver that a setting names, if neither git itself nor its
    /// configuration here has it.
    ///
    /// # Errors
    /// If git refuses.
    pub fn unknown_driver<'s>(
        &self,
        setting: &'s Setting,
    ) -> Result<Option<(&'static str, &'s BStr)>> {
        let drivers = self.drivers.get_or_try_init(|| {
            let repository = self.snapshot.needs_repository(Purpose::Attributes)?;
            Ok::<_, crate::Error>(repository.drivers()?)
        })?;
        Ok(usage::unknown_driver(setting, drivers))
    }

    /// Whether a name stands for several attributes.
    pub fn is_macro(&self, name: &BStr) -> bool {
        self.macros.contains_key(name)
    }

    fn load(&mut self, folder: &RepoPath) {
        if self.folders.contains_key(folder) {
            return;
        }
        let path = folder.join(ATTRIBUTE_FILE);
        let held = match self.overlay.get(path.as_bstr()) {
            Some(held) => Ok(held.clone()),
            None => self.snapshot.root.read(&path, LARGEST_FILE),
        };
        let held = held.unwrap_or_else(|error| {
            // git reads none through a link.
            let is_none = redshank_files::is_absence(&error)
                || redshank_files::is_link_on_the_way(&error)
                || redshank_files::is_not_regular(&error);
            self.unread.extend((!is_none).then(|| Unread {
                path: path.clone(),
                reason: UnreadReason::Refused(error.to_string()),
            }));
            Vec::new()
        });
        let file =
            AttributeFile::parse(&held, path.as_bstr(), folder.is_top(), self.snapshot.case());
        self.folders.insert(folder.to_owned(), file);
    }

    /// The attributes of these paths, in their order, with git's own words for the values.
    ///
    /// # Errors
    /// If git refuses.
    pub fn of(&mut self, paths: &[RepoPathBuf]) -> Result<Vec<PathAttributes>> {
        let repository = self.snapshot.needs_repository(Purpose::Attributes)?;
        let asked: Vec<&BStr> = paths.iter().map(|path| path.as_bstr()).collect();
        let values = repository.all_attributes(&asked)?;
        let mut answers = Vec::new();
        for (path, values) in paths.iter().zip(values) {
            self.load_above(path);
            let given = self.given_as_read(path);
            let answer = values.into_iter().map(|(name, value)| {
                let line = given.get(name.as_bstr());
                let line = line.map(|(_, line)| (*line).to_owned());
                let attribute = PathAttribute {
                    overridden: self.overridden(path, name.as_bstr(), line.as_ref()),
                    value,
                    line,
                };
                (name, attribute)
            });
            answers.push(answer.collect());
        }
        Ok(answers)
    }

    /// The lines that match a path, say something of an attribute, and don't decide about it.
    fn overridden(
        &self,
        path: &RepoPath,
        name: &BStr,
        decides: Option<&AttributeLine>,
    ) -> Vec<AttributeLine> {
        let mut found = Vec::new();
        self.visit(path, &mut |rule| {
            if Some(&rule.line) != decides
                && rule.settings.iter().any(|setting| {
                    let stands_for = self.macros.get(&setting.name);
                    let mut others = stands_for.into_iter().flatten();
                    setting.name == name || others.any(|other| other.name == name)
                })
            {
                found.push(rule.line.clone());
            }
        });
        found
    }

    /// What lines give a path.
    pub fn given(&mut self, path: &RepoPath) -> Given<'_> {
        self.load_above(path);
        self.given_as_read(path)
    }

    /// Reads the files that may say something of a path.
    fn load_above(&mut self, path: &RepoPath) {
        for folder in path.folders_above() {
            self.load(folder);
        }
    }

    /// What lines give a path whose files are read.
    fn given_as_read(&self, path: &RepoPath) -> Given<'_> {
        let mut found = Given::new();
        self.visit(path, &mut |rule| {
            self.give(&rule.settings, &rule.line, &mut found);
        });
        found
    }

    /// Goes over the lines whose pattern matches a path, whose folders' files are read; the one that
    /// wins comes first.
    fn visit<'s>(&'s self, path: &RepoPath, visitor: &mut dyn FnMut(&'s AttributeRule)) {
        let top = RepoPath::top();
        let above: Vec<&RepoPath> = path.folders_above().collect();
        let inside = above.into_iter().rev().chain([top]);
        let inside = inside.filter_map(|folder| Some((folder, self.folders.get(folder)?)));
        let outside = self.outside.iter().map(|file| (top, file));
        let files = std::iter::once((top, &self.clone))
            .chain(inside)
            .chain(outside);
        for (folder, file) in files {
            let Some(below) = path.below(folder) else {
                continue;
            };
            let rules = file.rules.iter().rev();
            for rule in rules.filter(|rule| rule.matches(below)) {
                visitor(rule);
            }
        }
    }

    /// Takes what a line gives, from right to left; a macro that is set gives what it stands for at
    /// once.
    fn give<'s>(&'s self, settings: &'s [Setting], line: &'s AttributeLine, found: &mut Given<'s>) {
        for setting in settings.iter().rev() {
            if found.contains_key(setting.name.as_bstr()) {
                continue;
            }
            found.insert(setting.name.as_bstr(), (&setting.value, line));
            if setting.value == Value::Set
                && let Some(others) = self.macros.get(&setting.name)
            {
                self.give(others, line, found);
            }
        }
    }
}
