//! What may be moved out of the way as a whole: nothing with a repository of any kind in it, or
//! with a disk mounted in it.

use crate::Result;
use crate::disk::io_error_at;
use bstr::{BStr, BString, ByteSlice};
use redshank_files::{FileKind, Root};

/// Why something may not be moved out of the way.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Obstacle {
    /// That folder in it is a repository.
    Repository(BString),
    /// Another file system is mounted there in it.
    Mount(BString),
    /// git tracks that file in it.
    Tracked(BString),
}

impl std::fmt::Display for Obstacle {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Repository(folder) => write!(f, "{folder} is a repository"),
            Self::Mount(path) => write!(f, "another file system is mounted on {path}"),
            Self::Tracked(path) => write!(f, "git tracks {path}"),
        }
    }
}

/// Why something must stay where it is; nothing if it may go.
///
/// # Errors
/// If a folder in it can't be listed.
pub(crate) fn keeps(root: &Root, path: &BStr) -> Result<Option<Obstacle>> {
    let bare = path.strip_suffix(b"/").unwrap_or(path).as_bstr();
    let disk = |at: &BStr| io_error_at(&root.path().join(at.to_path_lossy()));
    let mut waiting = vec![bare.to_owned()];
    while let Some(folder) = waiting.pop() {
        if root.kind(folder.as_bstr()) != Some(FileKind::Folder) {
            continue;
        }
        let names = root
            .list(folder.as_bstr())
            .map_err(disk(folder.as_bstr()))?;
        if is_repository(&names) {
            return Ok(Some(Obstacle::Repository(folder)));
        }
        let inner = names
            .into_iter()
            .filter(|(_, kind)| *kind == FileKind::Folder);
        waiting.extend(
            inner.map(|(name, _)| BString::from([folder.as_slice(), b"/", &name].concat())),
        );
    }
    let mounts = root.mounts(bare).map_err(disk(bare))?;
    Ok(mounts.first().map(|mount| Obstacle::Mount(mount.clone())))
}

/// Whether a folder with these names is a repository: one with a `.git`, or a git folder itself, as
/// a bare one is (gitrepository-layout(5)).
fn is_repository(names: &[(BString, FileKind)]) -> bool {
    let has = |wanted: &str| {
        names
            .iter()
            .any(|(name, _)| name.eq_ignore_ascii_case(wanted.as_bytes()))
    };
    has(".git") || ["HEAD", "objects", "refs"].iter().all(|wanted| has(wanted))
}
