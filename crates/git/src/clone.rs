//! What a clone of the next commit would hold, laid out by git itself, without a commit and without a change to the
//! repository.

use crate::{Error, Git, Repository, Result};
use bstr::ByteSlice;
use std::ffi::OsString;
use std::path::{Path, PathBuf};

impl Repository {
    /// Lays out in the empty folder `into` what a clone of the next commit would hold: links, modes and line ends as git
    /// writes them. The next commit is what is staged; with `everything`, all that `git add --all` would stage, too.
    ///
    /// `into` becomes a repository that tracks these files. What git writes on the way lies in the folder `scratch`, which
    /// must stay as long as `into` is used.
    ///
    /// # Errors
    /// If git refuses or the disk does.
    pub fn lay_out_next(&self, scratch: &Path, into: &Path, everything: bool) -> Result<()> {
        let (index, objects) = (scratch.join("index"), scratch.join("objects"));
        let own = self.index_file()?;
        if own.exists() {
            std::fs::copy(&own, &index).map_err(refused(&index))?;
        }
        std::fs::create_dir_all(&objects).map_err(refused(&objects))?;
        let known = self.git().words(["rev-parse", "--path-format=absolute", "--git-path", "objects"]).output()?;
        let known = known.trim_end_with(|c| c == '\n').to_path_lossy().into_owned();
        let beside = |git: Git| {
            git.setting("GIT_INDEX_FILE", &index)
                .setting("GIT_OBJECT_DIRECTORY", &objects)
                .setting("GIT_ALTERNATE_OBJECT_DIRECTORIES", &known)
        };
        if everything {
            beside(self.git()).words(["-c", "advice.addEmbeddedRepo=false", "add", "--all"]).output()?;
        }
        std::fs::create_dir_all(into).map_err(refused(into))?;
        let mut prefix = OsString::from("--prefix=");
        prefix.push(into);
        prefix.push("/");
        beside(self.git()).words(["checkout-index", "--all", "--quiet"]).words([prefix]).output()?;
        self.found(into, &index, &[&objects, &known])
    }

    /// Makes a folder a repository that tracks what the index says.
    fn found(&self, into: &Path, index: &Path, objects: &[&PathBuf]) -> Result<()> {
        let format = if self.uses_sha256() { "--object-format=sha256" } else { "--object-format=sha1" };
        // A clone is no part of the repository that a hook may have named to us.
        let git = || Git::at(into).without(["GIT_DIR", "GIT_WORK_TREE", "GIT_INDEX_FILE", "GIT_PREFIX"]);
        git().words(["init", "--quiet", "--template=", format, "."]).output()?;
        if index.exists() {
            let copy = into.join(".git").join("index");
            std::fs::copy(index, &copy).map_err(refused(&copy))?;
        }
        let alternates = into.join(".git").join("objects").join("info").join("alternates");
        let lines: Vec<String> = objects.iter().map(|path| format!("{}\n", path.display())).collect();
        let folder = alternates.parent().unwrap_or(into);
        std::fs::create_dir_all(folder).map_err(refused(folder))?;
        std::fs::write(&alternates, lines.concat()).map_err(refused(&alternates))?;
        // Where these files lie now, and when they were written, is news to the index.
        git().words(["update-index", "-q", "--really-refresh"]).output().map(drop).or(Ok(()))
    }

    /// The tracked files whose contents on disk are not those in the index.
    ///
    /// # Errors
    /// If git refuses.
    pub fn changed_since_staged(&self) -> Result<Vec<bstr::BString>> {
        let listed = self.git().words(["diff-files", "--name-only", "-z"]).output()?;
        Ok(listed.split(|byte| *byte == 0).filter(|name| !name.is_empty()).map(Into::into).collect())
    }
}

fn refused(path: &Path) -> impl FnOnce(std::io::Error) -> Error {
    let path = path.to_owned();
    move |cause| Error::Disk { path, cause }
}
