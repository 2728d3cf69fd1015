//! Where the projects of one type are, in as few patterns as tell it: a repository of sixty
//! packages needs no longer a file than one of three.

use bstr::{BStr, BString, ByteVec};
use redshank_rules::{Case, Rule, quote};
use redshank_rules::{RepoPath, RepoPathBuf, common_folder};
use std::collections::BTreeMap;

/// So many folders are named one by one.
const NAMED: usize = 2;

/// Patterns for these folders, which are relative to the folder of the ignore file; each starts and
/// ends in a slash. `/packages/*/` stands for every folder in one, `/packages/**/` for all below
/// it.
pub(crate) fn places(folders: &[RepoPathBuf]) -> Vec<BString> {
    let common = common_folder(folders.iter().map(|folder| &**folder)).to_owned();
    let (root, rest): (Vec<&RepoPathBuf>, Vec<_>) =
        folders.iter().partition(|folder| **folder == common);
    let mut places: Vec<BString> = root.into_iter().take(1).map(|root| exactly(root)).collect();
    let mut by_parent: BTreeMap<&RepoPath, Vec<&RepoPathBuf>> = BTreeMap::new();
    for folder in &rest {
        by_parent.entry(folder.folder()).or_default().push(folder);
    }
    if by_parent.len() > NAMED
        || by_parent
            .iter()
            .any(|(parent, folders)| parent.is_top() && folders.len() > NAMED)
    {
        return vec![spread(&common, "**/")];
    }
    // A workspace gets more of what it has two of.
    let many = if places.is_empty() { NAMED + 1 } else { NAMED };
    for (parent, folders) in by_parent {
        if folders.len() >= many && !parent.is_top() {
            places.push(spread(parent, "*/"));
        } else {
            places.extend(folders.into_iter().map(|folder| exactly(folder)));
        }
    }
    if places.len() > NAMED + 1 {
        vec![spread(&common, "**/")]
    } else {
        places
    }
}

fn exactly(folder: &RepoPath) -> BString {
    spread(folder, "")
}

fn spread(folder: &RepoPath, rest: &str) -> BString {
    let mut place = BString::from("/");
    if !folder.is_top() {
        place.push_str(quote(folder.bare()));
        place.push(b'/');
    }
    place.push_str(rest);
    place
}

/// Whether a folder is one of those that a place stands for.
pub(crate) fn is_at(place: &str, folder: &RepoPath) -> bool {
    let root = place
        .strip_prefix('/')
        .and_then(|place| place.strip_suffix("**/"));
    match root {
        _ if place == "/" => folder.is_top(),
        Some("") => true,
        Some(root) if *folder == *RepoPath::new(root) => true,
        _ if folder.is_top() => false,
        _ => Rule::parse(place.as_bytes(), 1, Case::Sensitive).matches(folder.bare(), true),
    }
}

/// Whether a folder is below the one that a place names; not for a place with a wildcard.
pub(crate) fn is_below(place: &str, folder: &RepoPath) -> bool {
    let named = place.trim_start_matches('/');
    !named.contains(['*', '\\']) && folder.starts_with(named.as_bytes())
}

/// A template's pattern as it reads in the ignore file for projects at a place.
pub(crate) fn fit_to(pattern: &str, place: &BStr) -> BString {
    if place == "/" {
        return pattern.into();
    }
    let (bang, body) = pattern
        .strip_prefix('!')
        .map_or(("", pattern), |body| ("!", body));
    let is_anchored = body.strip_suffix('/').unwrap_or(body).contains('/');
    let body = body.strip_prefix('/').unwrap_or(body);
    let mut fitted = BString::from(bang);
    match (place.strip_suffix(b"**/"), is_anchored) {
        // Below any folder.
        (Some(b"/"), true) if !body.trim_end_matches('/').contains('/') => fitted.push_str(body),
        (Some(b"/"), true) if body.starts_with("**/") => fitted.push_str(body),
        (Some(b"/"), true) => fitted.push_str(format!("**/{body}")),
        (Some(b"/"), false) => fitted.push_str(body),
        (Some(_), _) | (None, true) => {
            fitted.push_str(place);
            fitted.push_str(body);
        }
        // `*/**/` says no more than `**/` where nothing else can lie.
        (None, false) => {
            fitted.push_str(place.strip_suffix(b"*/").unwrap_or(place));
            fitted.push_str("**/");
            fitted.push_str(body);
        }
    }
    fitted
}

#[cfg(test)]
mod tests {
    use super::*;

    fn patterns_of(folders: &[&str]) -> Vec<String> {
        let folders: Vec<RepoPathBuf> = folders
            .iter()
            .map(|folder| RepoPath::new(folder).to_owned())
            .collect();
        places(&folders).iter().map(ToString::to_string).collect()
    }

    #[test]
    fn many_folders_are_told_in_few_patterns() {
        assert_eq!(patterns_of(&["", "web/"]), ["/", "/web/"]);
        assert_eq!(patterns_of(&["a/", "b [x]/"]), ["/a/", r"/b \[x]/"]);
        assert_eq!(patterns_of(&["", "p/a/", "p/b/", "p/c/"]), ["/", "/p/*/"]);
        assert_eq!(patterns_of(&["n/", "n/p/a/", "n/p/b/"]), ["/n/", "/n/p/*/"]);
        assert_eq!(
            patterns_of(&["p/a/", "p/b/", "p/c/", "q/c/"]),
            ["/p/*/", "/q/c/"]
        );
        assert_eq!(patterns_of(&["p/a/", "p/b/", "q/c/", "r/d/"]), ["/**/"]);
        assert_eq!(
            patterns_of(&["p/a/", "p/x/b/", "p/y/c/", "p/z/d/e/"]),
            ["/p/**/"]
        );
        assert_eq!(
            patterns_of(&["p/", "p/x/b/", "p/y/c/", "p/z/d/e/"]),
            ["/p/**/"]
        );
        assert_eq!(patterns_of(&["a/", "b/", "c/"]), ["/**/"]);
        assert!(
            is_at("/p/*/", "p/a/".into())
                && !is_at("/p/*/", "p/a/b/".into())
                && !is_at("/p/*/", "".into())
        );
        assert!(is_at("/p/**/", "p/a/b/".into()) && is_at("/", "".into()));
    }

    #[test]
    fn a_pattern_is_fitted_to_a_place() {
        for (pattern, place, fitted) in [
            ("/build/", "/p/*/", "/p/*/build/"),
            ("*.log", "/p/*/", "/p/**/*.log"),
            ("*.log", "/p/**/", "/p/**/*.log"),
            ("/build/", "/**/", "build/"),
            ("/a/b/", "/**/", "**/a/b/"),
            ("!*.env", "/web/", "!/web/**/*.env"),
            ("**/.vscode/*", "/", "**/.vscode/*"),
        ] {
            assert_eq!(
                fit_to(pattern, place.into()),
                fitted,
                "{pattern} at {place}"
            );
        }
    }
}
