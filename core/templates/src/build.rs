//! The commands that build the projects that are here, for a rehearsal in a fresh clone.

use crate::{Project, Sign};
use redshank_worktree::{Result, Snapshot};

/// The first command of each project that is known to build it, by its template; one a folder, the
/// surest first.
///
/// # Errors
/// If the tree can't be walked.
pub fn builds<'p, 'a>(
    snapshot: &Snapshot,
    projects: &'p [Project<'a>],
) -> Result<Vec<(&'p Project<'a>, &'a str)>> {
    let tree = snapshot.tree()?;
    let mut found: Vec<(&Project, &str)> = Vec::new();
    for project in projects {
        let shows = |sign: &Sign| sign.shows(snapshot, tree, &project.folder);
        let mut known = project.template.build.iter();
        let build = known.find(|build| {
            (build.when.is_empty() || build.when.iter().any(shows))
                && !build.unless.iter().any(shows)
        });
        let is_new = !found
            .iter()
            .any(|(other, _)| other.folder == project.folder);
        found.extend(
            build
                .filter(|_| is_new)
                .map(|build| (project, build.command.as_str())),
        );
    }
    Ok(found)
}
