//! Paths in a repository.
//!
//! A path is relative to the top, in bytes, with `/` between its parts, as git writes it. A folder
//! ends in a slash; the top is the empty path.

use bstr::{BStr, BString, ByteSlice, ByteVec};
use ref_cast::RefCast;
use std::borrow::Borrow;
use std::fmt;
use std::ops::Deref;

/// A path in a repository, borrowed.
///
/// ```
/// use redshank_rules::RepoPath;
///
/// let path = RepoPath::new("gateway/src/uplink.rs");
/// assert_eq!(path.name(), "uplink.rs");
/// assert_eq!(path.folder(), RepoPath::new("gateway/src/"));
/// assert_eq!(path.extension().unwrap(), ".rs");
/// assert!(path.is_within(RepoPath::new("gateway/")));
/// let folders: Vec<_> = path.folders_above().collect();
/// assert_eq!(folders, [RepoPath::new("gateway/"), RepoPath::new("gateway/src/")]);
/// ```
#[derive(RefCast, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[repr(transparent)]
pub struct RepoPath(BStr);

/// A path in a repository, owned.
#[derive(Clone, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct RepoPathBuf(BString);

impl RepoPath {
    /// Takes bytes for a path as they are.
    pub fn new<P: AsRef<[u8]> + ?Sized>(path: &P) -> &Self {
        Self::ref_cast(path.as_ref().as_bstr())
    }

    /// The top folder: an empty path.
    pub fn top() -> &'static Self {
        Self::new("")
    }

    /// Whether it is the top folder.
    pub fn is_top(&self) -> bool {
        self.0.is_empty()
    }

    /// Whether it is a folder: the top, or with a slash at its end.
    pub fn is_folder(&self) -> bool {
        self.0.is_empty() || self.0.ends_with(b"/")
    }

    /// The same without a slash at its end.
    pub fn bare(&self) -> &Self {
        Self::new(self.0.strip_suffix(b"/").unwrap_or(&self.0))
    }

    /// The same as a folder.
    pub fn as_folder(&self) -> RepoPathBuf {
        let mut folder = self.0.to_owned();
        if !self.is_folder() {
            folder.push(b'/');
        }
        RepoPathBuf(folder)
    }

    /// Where its last part starts.
    pub fn name_at(&self) -> usize {
        let bare = self.bare();
        bare.rfind_byte(b'/').map_or(0, |slash| slash + 1)
    }

    /// Its last part, without a slash at its end; empty for the top.
    pub fn name(&self) -> &BStr {
        self.bare()[self.name_at()..].as_bstr()
    }

    /// How its name ends, with the dot: none for a name without a dot, or with one at its start
    /// only.
    pub fn extension(&self) -> Option<&BStr> {
        let name = self.name();
        let dot = name.rfind_byte(b'.').filter(|dot| *dot > 0)?;
        Some(name[dot..].as_bstr())
    }

    /// The folder that it is in; of the top, itself.
    pub fn folder(&self) -> &Self {
        Self::new(&self.0[..self.name_at()])
    }

    /// The folders above it, from the top down, without the top.
    pub fn folders_above(&self) -> impl DoubleEndedIterator<Item = &Self> {
        let bare = self.bare();
        let slashes = memchr::memchr_iter(b'/', &bare.0);
        slashes.map(|slash| Self::new(&self.0[..=slash]))
    }

    /// The folders above it, from the top down, and itself.
    pub fn parts(&self) -> impl Iterator<Item = &Self> {
        self.folders_above().chain([self])
    }

    /// The first folder on the way to it; the top for what is there.
    pub fn top_folder(&self) -> &Self {
        let end = self.0.find_byte(b'/').map_or(0, |slash| slash + 1);
        Self::new(&self.0[..end])
    }

    /// Whether it is a folder, or is in it.
    pub fn is_within(&self, folder: &Self) -> bool {
        folder.is_folder() && self.0.starts_with(&folder.0)
    }

    /// The rest of it below a folder.
    pub fn below(&self, folder: &Self) -> Option<&Self> {
        let below = self.0.strip_prefix(folder.0.as_bytes())?;
        folder.is_folder().then(|| Self::new(below))
    }

    /// A path below this folder.
    pub fn join(&self, below: impl AsRef<[u8]>) -> RepoPathBuf {
        let mut path = self.as_folder();
        path.0.push_str(below);
        path
    }

    /// Where a path with `.` and `..` in it leads from this folder, without a slash at its end;
    /// nothing if that is outside the repository.
    ///
    /// ```
    /// # use redshank_rules::RepoPath;
    /// let folder = RepoPath::new("gateway/src/");
    /// assert_eq!(folder.resolve("../keys/./x".into()).unwrap().to_string(), "gateway/keys/x");
    /// assert!(folder.resolve("../../..".into()).is_none());
    /// ```
    pub fn resolve(&self, relative: &BStr) -> Option<RepoPathBuf> {
        let own = self.0.split_str("/").filter(|part| !part.is_empty());
        let mut parts: Vec<&[u8]> = own.collect();
        for part in relative.split_str("/") {
            match part {
                b"" | b"." => {}
                b".." => drop(parts.pop()?),
                part => parts.push(part),
            }
        }
        Some(RepoPathBuf(bstr::join("/", parts).into()))
    }
}

/// The deepest folder that holds all of these; the top for none.
pub fn common_folder<'p>(paths: impl IntoIterator<Item = &'p RepoPath>) -> &'p RepoPath {
    let mut paths = paths.into_iter();
    let first = paths.next().map_or(RepoPath::top(), |first| {
        if first.is_folder() {
            first
        } else {
            first.folder()
        }
    });
    paths.fold(first, |a, b| {
        let same = a.iter().zip(b.iter()).take_while(|(a, b)| a == b).count();
        let end = a[..same].rfind_byte(b'/').map_or(0, |slash| slash + 1);
        RepoPath::new(&a[..end])
    })
}

impl Deref for RepoPath {
    type Target = BStr;

    fn deref(&self) -> &BStr {
        &self.0
    }
}

impl AsRef<[u8]> for RepoPath {
    fn as_ref(&self) -> &[u8] {
        &self.0
    }
}

impl AsRef<RepoPath> for RepoPath {
    fn as_ref(&self) -> &RepoPath {
        self
    }
}

impl ToOwned for RepoPath {
    type Owned = RepoPathBuf;

    fn to_owned(&self) -> RepoPathBuf {
        RepoPathBuf(self.0.to_owned())
    }
}

impl fmt::Display for RepoPath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(&self.0, f)
    }
}

impl fmt::Debug for RepoPath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Debug::fmt(&self.0, f)
    }
}

impl<'p> From<&'p str> for &'p RepoPath {
    fn from(path: &'p str) -> Self {
        RepoPath::new(path)
    }
}

impl<'p> From<&'p BStr> for &'p RepoPath {
    fn from(path: &'p BStr) -> Self {
        RepoPath::ref_cast(path)
    }
}

impl Deref for RepoPathBuf {
    type Target = RepoPath;

    fn deref(&self) -> &RepoPath {
        RepoPath::ref_cast(self.0.as_bstr())
    }
}

impl Borrow<RepoPath> for RepoPathBuf {
    fn borrow(&self) -> &RepoPath {
        self
    }
}

impl AsRef<[u8]> for RepoPathBuf {
    fn as_ref(&self) -> &[u8] {
        &self.0
    }
}

impl AsRef<RepoPath> for RepoPathBuf {
    fn as_ref(&self) -> &RepoPath {
        self
    }
}

impl fmt::Display for RepoPathBuf {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(&self.0, f)
    }
}

impl fmt::Debug for RepoPathBuf {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Debug::fmt(&self.0, f)
    }
}

impl From<BString> for RepoPathBuf {
    fn from(path: BString) -> Self {
        Self(path)
    }
}

impl From<Vec<u8>> for RepoPathBuf {
    fn from(path: Vec<u8>) -> Self {
        Self(path.into())
    }
}

impl From<&str> for RepoPathBuf {
    fn from(path: &str) -> Self {
        Self(path.into())
    }
}

impl From<&BStr> for RepoPathBuf {
    fn from(path: &BStr) -> Self {
        Self(path.to_owned())
    }
}

impl From<RepoPathBuf> for BString {
    fn from(path: RepoPathBuf) -> Self {
        path.0
    }
}

impl PartialEq<str> for RepoPathBuf {
    fn eq(&self, other: &str) -> bool {
        self.0 == other
    }
}

impl PartialEq<&str> for RepoPathBuf {
    fn eq(&self, other: &&str) -> bool {
        self.0 == *other
    }
}

impl PartialEq<&RepoPath> for RepoPathBuf {
    fn eq(&self, other: &&RepoPath) -> bool {
        self.0 == other.0
    }
}

impl PartialEq<str> for RepoPath {
    fn eq(&self, other: &str) -> bool {
        self.0 == *other
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_top_is_a_folder_without_a_name() {
        let top = RepoPath::top();
        assert!(top.is_folder() && top.is_top() && top.name().is_empty());
        assert_eq!(top.folder(), top);
        assert_eq!(top.join("a"), "a");
        assert_eq!(top.folders_above().count(), 0);
    }

    #[test]
    fn a_folder_keeps_its_slash_and_has_a_name_without() {
        let folder = RepoPath::new("exhibit/Lagoon/");
        assert_eq!(
            (folder.name(), folder.folder()),
            ("Lagoon".into(), RepoPath::new("exhibit/"))
        );
        assert_eq!(folder.join("x/"), "exhibit/Lagoon/x/");
        let parts: Vec<_> = folder.parts().map(ToString::to_string).collect();
        assert_eq!(parts, ["exhibit/", "exhibit/Lagoon/"]);
        assert_eq!(
            folder.below(RepoPath::new("exhibit/")),
            Some(RepoPath::new("Lagoon/"))
        );
        assert_eq!(folder.below(RepoPath::new("exhibit/Lag")), None);
    }

    #[test]
    fn relative_paths_lead_from_where_they_stand() {
        let leads = |folder: &str, target: &str| {
            let found = RepoPath::new(folder).resolve(target.into());
            found.map(|path| path.to_string())
        };
        assert_eq!(leads("a/b/", "../c/./d"), Some("a/c/d".into()));
        assert_eq!(leads("", "a//b/"), Some("a/b".into()));
        assert_eq!(leads("a/", "../../out"), None);
    }

    #[test]
    fn what_several_paths_lie_in_is_found() {
        let of = |paths: &[&'static str]| {
            common_folder(paths.iter().map(|path| RepoPath::new(*path))).to_string()
        };
        assert_eq!(of(&["a/b/x", "a/b/c/y", "a/bc/z"]), "a/");
        assert_eq!(of(&["a/x"]), "a/");
        assert_eq!(of(&["a/b/", "a/b/c"]), "a/b/");
        assert_eq!(of(&[]), "");
    }
}
