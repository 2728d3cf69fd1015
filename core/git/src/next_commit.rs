//! What a clone of the next commit would hold, laid out by git itself, without a commit and without
//! a change to the repository.

#![allow(
    clippy::disallowed_methods,
    reason = "git's own folder, by the paths that git tells"
)]

use crate::layout::single_path;
use crate::{Error, Git, Repository, Result};
use bstr::{BString, ByteSlice};
use std::ffi::OsString;
use std::path::Path;

impl Repository {
    /// Lays out in the empty folder `into` what a clone of the next commit would hold: links, modes
    /// and line endings as git writes them. The next commit is what is staged; with `everything`,
    /// all that `git add --all` would stage, too.
    ///
    /// `into` becomes a repository that tracks these files. What git writes on the way is in the
    /// folder `scratch`, which must stay as long as `into` is used.
    ///
    /// # Errors
    /// If git refuses or the disk does.
    pub fn lay_out_next(&self, scratch: &Path, into: &Path, everything: bool) -> Result<()> {
        let (index, objects) = (scratch.join("index"), scratch.join("objects"));
        let own = self.index_file()?;
        if own.exists() {
            std::fs::copy(&own, &index).map_err(io_error_at(&index))?;
            self.make_whole(&index)?;
        }
        std::fs::create_dir_all(&objects).map_err(io_error_at(&objects))?;
        let known = self
            .git()
            .args([
                "rev-parse",
                "--path-format=absolute",
                "--git-path",
                "objects",
            ])
            .output()?;
        let known = quoted(&single_path(&known));
        let beside = |git: Git| {
            git.env("GIT_INDEX_FILE", &index)
                .env("GIT_OBJECT_DIRECTORY", &objects)
                .env("GIT_ALTERNATE_OBJECT_DIRECTORIES", known.to_os_str_lossy())
        };
        if everything {
            // What is here outside of a sparse checkout's folders is a part of it, too.
            let sparse: &[&str] = if self.is_sparse { &["--sparse"] } else { &[] };
            beside(self.git())
                .args(["-c", "advice.addEmbeddedRepo=false", "add", "--all"])
                .args(sparse)
                .output()?;
        }
        std::fs::create_dir_all(into).map_err(io_error_at(into))?;
        let mut prefix = OsString::from("--prefix=");
        prefix.push(into);
        prefix.push("/");
        beside(self.git())
            .args(["checkout-index", "--all", "--quiet"])
            .args([prefix])
            .output()?;
        self.make_repository(into, &index, &[quoted(&objects), known])
    }

    /// Lays out the next commit in the empty folder `into` as [`Self::lay_out_next`] does, and makes
    /// it a repository of its own with one commit, by the person, which holds the same; returns
    /// the commit's name. Nothing of this repository's history, settings or objects is in it.
    ///
    /// # Errors
    /// If git or the disk refuses, or the copy would not be the same: with submodules.
    pub fn export_next(
        &self,
        scratch: &Path,
        into: &Path,
        everything: bool,
        message: &str,
    ) -> Result<String> {
        self.lay_out_next(scratch, into, everything)?;
        let own = ["GIT_DIR", "GIT_WORK_TREE", "GIT_INDEX_FILE", "GIT_PREFIX"];
        let git = |words: &[&str]| {
            let quiet = ["-c", "core.hooksPath=/dev/null"];
            let said = Git::at(into)
                .without(own)
                .args(quiet)
                .args(words)
                .output()?;
            Ok::<String, Error>(said.to_str_lossy().trim().to_owned())
        };
        let wanted = git(&["write-tree"])?;
        let borrowed = into.join(".git");
        std::fs::remove_dir_all(&borrowed).map_err(io_error_at(&borrowed))?;
        let format = self.object_format_option();
        git(&["init", "--quiet", "--template=", format, "."])?;
        // What is tracked although a rule ignores it is part of the commit.
        git(&["add", "--all", "--force"])?;
        if git(&["write-tree"])? != wanted {
            return Err(Error::ExportDiffers(into.to_owned()));
        }
        git(&["commit", "--quiet", "--no-verify", "--message", message])?;
        git(&["rev-parse", "HEAD"])
    }

    fn object_format_option(&self) -> &'static str {
        if self.uses_sha256() {
            "--object-format=sha256"
        } else {
            "--object-format=sha1"
        }
    }

    /// Makes a folder a repository that tracks what the index says.
    fn make_repository(&self, into: &Path, index: &Path, objects: &[BString]) -> Result<()> {
        let format = self.object_format_option();
        // A clone is no part of the repository that a hook may have named to us.
        let git =
            || Git::at(into).without(["GIT_DIR", "GIT_WORK_TREE", "GIT_INDEX_FILE", "GIT_PREFIX"]);
        git()
            .args(["init", "--quiet", "--template=", format, "."])
            .output()?;
        if index.exists() {
            let copy = into.join(".git").join("index");
            std::fs::copy(index, &copy).map_err(io_error_at(&copy))?;
        }
        let alternates = into
            .join(".git")
            .join("objects")
            .join("info")
            .join("alternates");
        let folder = alternates.parent().unwrap_or(into);
        std::fs::create_dir_all(folder).map_err(io_error_at(folder))?;
        std::fs::write(&alternates, bstr::join("\n", objects)).map_err(io_error_at(&alternates))?;
        // Where these files lie now, and when they were written, is news to the index.
        git()
            .args(["update-index", "-q", "--really-refresh"])
            .output()
            .map(drop)
            .or(Ok(()))
    }
}

/// A path as git reads it where several are together: in double quotes, with back-slashes as in C
/// (git(1), `GIT_ALTERNATE_OBJECT_DIRECTORIES`; gitrepository-layout(5),
/// `objects/info/alternates`).
fn quoted(path: &Path) -> BString {
    let mut text = BString::from("\"");
    for byte in redshank_files::path_bytes(path).iter() {
        match byte {
            b'"' | b'\\' => text.extend([b'\\', *byte]),
            0..0x20 | 0x7f.. => text.extend(format!("\\{byte:03o}").bytes()),
            plain => text.push(*plain),
        }
    }
    text.push(b'"');
    text
}

fn io_error_at(path: &Path) -> impl FnOnce(std::io::Error) -> Error {
    let path = path.to_owned();
    move |cause| Error::Disk { path, cause }
}
