//! What a change of attribute files does to the files that are here.

use super::{Attributes, Given};
use crate::{Overlay, Result, Snapshot};
use bstr::BString;
use redshank_rules::RepoPathBuf;
use redshank_rules::attribute_file::Value;
use std::collections::BTreeMap;

/// One attribute that changes in the same way for several files.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AttributeChange {
    /// The attribute.
    pub name: BString,
    /// What it is now; `None` where no line says anything of it.
    pub before: Option<Value>,
    /// What it would be.
    pub after: Option<Value>,
    /// The files, sorted.
    pub paths: Vec<RepoPathBuf>,
}

/// What a change does: attributes by name, and how they change.
#[derive(Debug, Default)]
pub struct AttributeEffect {
    /// Sorted by name.
    pub changes: Vec<AttributeChange>,
}

impl AttributeEffect {
    /// The effect on the files that are tracked or would be, if attribute files held this.
    ///
    /// # Errors
    /// If there is no repository, the tree can't be walked, or git refuses.
    pub fn compute(snapshot: &Snapshot, overlay: Overlay) -> Result<Self> {
        Self::between(snapshot, Overlay::new(), overlay)
    }

    /// The difference that it makes to the same files whether attribute files hold one or the other.
    ///
    /// # Errors
    /// As [`Self::compute`].
    pub fn between(snapshot: &Snapshot, before: Overlay, after: Overlay) -> Result<Self> {
        let mut before = Attributes::new(snapshot, before)?;
        let mut after = Attributes::new(snapshot, after)?;
        let mut changes: BTreeMap<_, Vec<RepoPathBuf>> = BTreeMap::new();
        for entry in snapshot.tree()?.to_commit_files() {
            let (was, is) = (before.given(&entry.path), after.given(&entry.path));
            let names = was.keys().chain(is.keys());
            let mut names: Vec<_> = names.copied().collect();
            names.sort_unstable();
            names.dedup();
            for name in names {
                let value = |given: &Given| {
                    let value = given.get(name).map(|(value, _)| (*value).clone());
                    value.filter(|value| *value != Value::Unspecified)
                };
                let (was, is) = (value(&was), value(&is));
                if was != is {
                    let paths = changes.entry((name.to_owned(), was, is)).or_default();
                    paths.push(entry.path.clone());
                }
            }
        }
        let changes = changes
            .into_iter()
            .map(|((name, before, after), paths)| AttributeChange {
                name,
                before,
                after,
                paths,
            });
        Ok(Self {
            changes: changes.collect(),
        })
    }

    /// The changes of what somebody declared: an attribute that a file has would be another one, or
    /// gone.
    pub fn of_declared(&self) -> impl Iterator<Item = &AttributeChange> {
        self.changes.iter().filter(|change| change.before.is_some())
    }
}
