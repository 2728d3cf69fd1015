//! Files of another repository, at one revision.

use crate::{Error, Git, Result};
use bstr::{BString, ByteSlice};
use std::ffi::OsStr;
use std::path::Path;

/// What was fetched.
#[derive(Debug)]
pub struct Fetched {
    /// The commit that the files are of.
    pub commit: String,
    /// Paths relative to the top, with their contents; sorted by path.
    pub files: Vec<(BString, Vec<u8>)>,
}

/// The transports that nobody can change a file on, and that start no program of the address's.
const TRANSPORTS: &str = "file:https:ssh";

/// No file that is fetched is larger than this, in bytes.
const LARGEST: u64 = 4 << 20;

/// git in a folder of no repository, with the person's configuration alone, allowed to talk to
/// others.
pub(crate) fn outside(scratch: &Path) -> Git {
    let own = ["GIT_DIR", "GIT_WORK_TREE", "GIT_INDEX_FILE", "GIT_PREFIX"];
    Git::at(scratch)
        .as_a_person_would()
        .env("GIT_ALLOW_PROTOCOL", TRANSPORTS)
        .without(own)
        .args(["-c", "transfer.fsckObjects=true"])
}

/// Fetches the regular files of a repository for which `is_wanted`, at a branch, a tag or a commit,
/// or at its usual branch. Nothing is checked out, so no filter and no hook of that repository
/// runs; `scratch` is an empty folder, which becomes a repository.
///
/// Only for an address that the person named: git asks for what it needs (a password, a host's
/// key), with the person's own configuration, and with none of any repository's.
///
/// # Errors
/// If git can't reach it, or the revision isn't there, or a file is larger than 4 MiB.
pub fn fetch_files(
    scratch: &Path,
    address: &OsStr,
    revision: Option<&str>,
    is_wanted: &dyn Fn(&[u8]) -> bool,
) -> Result<Fetched> {
    let git = |words: &[&OsStr]| outside(scratch).args(words).output();
    let line = |words: &[&str]| {
        let words: Vec<&OsStr> = words.iter().map(OsStr::new).collect();
        Ok::<String, Error>(git(&words)?.trim().to_str_lossy().into_owned())
    };
    line(&["init", "--quiet", "--bare", "--template=", "."])?;
    let fetch = |specs: &[&str], depth: &[&str]| {
        let before = ["fetch", "--quiet", "--no-tags", "--no-recurse-submodules"];
        let words = before.iter().chain(depth).map(OsStr::new);
        let words = words.chain([OsStr::new("--"), address]);
        let words: Vec<&OsStr> = words.chain(specs.iter().map(OsStr::new)).collect();
        git(&words).map(drop)
    };
    let wanted = revision.unwrap_or("HEAD");
    let commit = match fetch(&[wanted], &["--depth=1"]) {
        Ok(()) => line(&["rev-parse", "--verify", "FETCH_HEAD^{commit}"])?,
        // A host needn't give a commit by its name, nor by a short one.
        Err(first) => {
            let all = ["+refs/heads/*:refs/heads/*", "+refs/tags/*:refs/tags/*"];
            fetch(&all, &[]).map_err(|_| first)?;
            let named = format!("{wanted}^{{commit}}");
            let asked = ["rev-parse", "--verify", "--end-of-options", &named];
            line(&asked).map_err(|_| Error::NoCommit(wanted.to_owned()))?
        }
    };
    // `mode type object size` TAB `path` (git-ls-tree(1)).
    let listed = git(&["ls-tree", "-r", "-z", "-l", &commit].map(OsStr::new))?;
    let mut files = Vec::new();
    for entry in listed.split(|byte| *byte == 0) {
        let Some((head, path)) = entry.split_once_str("\t") else {
            continue;
        };
        let head = head.to_str_lossy();
        let mut words = head.split_ascii_whitespace();
        let is_regular = words.next().is_some_and(|mode| mode.starts_with("100"));
        let (object, size) = (words.nth(1), words.next());
        let (true, Some(object)) = (is_regular && is_wanted(path), object) else {
            continue;
        };
        let size: u64 = size.and_then(|size| size.parse().ok()).unwrap_or_default();
        if size > LARGEST {
            return Err(Error::Disk {
                path: path.to_path_lossy().into_owned(),
                cause: std::io::ErrorKind::FileTooLarge.into(),
            });
        }
        let contents = git(&["cat-file", "blob", object].map(OsStr::new))?;
        files.push((path.into(), contents));
    }
    files.sort();
    Ok(Fetched { commit, files })
}
