//! Other repositories in this one (gitmodules(5)).

#![allow(
    clippy::disallowed_methods,
    reason = "git's own folder, by the paths that git tells"
)]

use crate::{Git, Repository, Result};
use bstr::{BStr, BString, ByteSlice};
use std::collections::BTreeMap;
use std::path::PathBuf;

/// What `.gitmodules` says of a submodule.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Submodule {
    /// Its name there.
    pub name: BString,
    /// Where it is fetched from, as it is written.
    pub address: Option<String>,
}

impl Repository {
    /// What `.gitmodules` says, by the submodules' paths.
    ///
    /// # Errors
    /// If git refuses to read the file.
    pub fn submodules(&self) -> Result<BTreeMap<BString, Submodule>> {
        if !self.top.join(".gitmodules").exists() {
            return Ok(BTreeMap::new());
        }
        let list = ["config", "--file", ".gitmodules", "--list", "-z"];
        let listed = self.git().args(list).output()?;
        // `submodule.NAME.KEY` LF VALUE NUL.
        let mut of_name: BTreeMap<&[u8], (Option<BString>, Submodule)> = BTreeMap::new();
        for entry in listed.split(|byte| *byte == 0) {
            let Some((key, value)) = entry.split_once_str("\n") else {
                continue;
            };
            let named = key.strip_prefix(b"submodule.");
            let Some((name, key)) = named.and_then(|named| named.rsplit_once_str(".")) else {
                continue;
            };
            let (path, known) = of_name.entry(name).or_default();
            known.name = name.into();
            match key {
                b"path" => *path = Some(value.into()),
                b"url" => known.address = Some(value.to_str_lossy().into_owned()),
                _ => {}
            }
        }
        let known = of_name.into_values();
        Ok(known
            .filter_map(|(path, known)| Some((path?, known)))
            .collect())
    }

    /// The submodules that a commit holds: their paths and their commits.
    ///
    /// # Errors
    /// If git refuses.
    pub fn submodule_commits(&self, commit: &str) -> Result<Vec<(BString, String)>> {
        let list = ["ls-tree", "-r", "-z", "--full-tree", commit];
        let listed = self.git().args(list).output()?;
        // MODE SP TYPE SP OBJECT TAB PATH
        let rows = listed.split(|byte| *byte == 0).filter_map(|row| {
            let (head, path) = row.split_once_str("\t")?;
            let commit = head.strip_prefix(b"160000 commit ")?;
            Some((path.into(), commit.to_str_lossy().into_owned()))
        });
        Ok(rows.collect())
    }

    /// Whether a remote of a submodule has a commit, as far as this clone knows; `None` where the
    /// submodule was never fetched into this repository.
    pub fn is_on_submodules_remote(&self, submodule: &Submodule, commit: &str) -> Option<bool> {
        let folder = self.folder_of_submodule(submodule.name.as_bstr())?;
        let list = ["for-each-ref", "--count=1", "--format=x", "--contains"];
        let inside = Git::at(&self.top).without(["GIT_DIR", "GIT_WORK_TREE", "GIT_INDEX_FILE"]);
        let inside = inside.args(["--git-dir".into(), folder.into_os_string()]);
        let reached = inside.args(list).args([commit, "refs/remotes"]).output();
        // A commit that isn't here was fetched by nobody here.
        Some(reached.is_ok_and(|reached| !reached.is_empty()))
    }

    /// The git folder of a submodule within this repository's own (gitrepository-layout(5),
    /// `modules`).
    fn folder_of_submodule(&self, name: &BStr) -> Option<PathBuf> {
        let is_within = !name.is_empty() && name.split_str("/").all(|part| part != b"..");
        let folder = self
            .common_folder
            .join("modules")
            .join(name.to_path().ok()?);
        (is_within && !name.starts_with(b"/") && folder.is_dir()).then_some(folder)
    }
}
