//! From a path to what it names, beneath a root and through no link.

use crate::meta::{FileKind, Meta};
use crate::system::{self, Handle, Purpose};
use crate::{Root, if_there};
use bstr::{BStr, BString, ByteSlice};
use std::io::{Error, ErrorKind, Result};
use std::sync::Arc;

/// The path without the slash at its end, if each of its parts is a name.
pub(crate) fn plain(path: &BStr) -> Result<&[u8]> {
    let bare = path.strip_suffix(b"/").unwrap_or(path);
    if bare.is_empty() && path.is_empty()
        || bare
            .split_str("/")
            .all(|part| !part.is_empty() && part != b"." && part != b"..")
            && !bare.contains(&0)
    {
        return Ok(bare);
    }
    Err(Error::new(
        ErrorKind::InvalidInput,
        "the path leads outside, or isn't one",
    ))
}

/// The last part of a path.
pub(crate) fn name(path: &BStr) -> &BStr {
    let bare = path.strip_suffix(b"/").unwrap_or(path);
    bare[bare.rfind_byte(b'/').map_or(0, |slash| slash + 1)..].as_bstr()
}

/// All but the last part of a path.
fn parent(path: &BStr) -> &BStr {
    let bare = path.strip_suffix(b"/").unwrap_or(path);
    bare[..bare.rfind_byte(b'/').unwrap_or(0)].as_bstr()
}

/// A symbolic link in the place of a file, or of a folder on the way to it.
#[derive(Debug)]
pub(crate) struct OnTheWay;

impl std::error::Error for OnTheWay {}

impl std::fmt::Display for OnTheWay {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("it is a symbolic link, or behind one, and is not followed")
    }
}

/// Whether an error says that a link was in the place of a file or of a folder on the way.
pub fn is_link_on_the_way(error: &Error) -> bool {
    error.get_ref().is_some_and(|inner| inner.is::<OnTheWay>())
}

/// A folder that is open, to ask about several names in it.
#[derive(Debug)]
pub struct Folder(Held);

#[derive(Debug)]
enum Held {
    Root(Arc<Handle>),
    Own(Handle),
}

impl Folder {
    /// That folder; the empty path for the root itself.
    ///
    /// # Errors
    /// If it isn't there, is not a folder, or a link is on the way.
    pub fn at(root: &Root, path: &BStr) -> Result<Self> {
        Ok(Self(if path.is_empty() {
            Held::Root(Arc::clone(&root.handle))
        } else {
            Held::Own(system::open(&root.handle, path, Purpose::LookUp)?)
        }))
    }

    /// The folder that a path is in.
    ///
    /// # Errors
    /// If it isn't there, is not a folder, or a link is on the way.
    pub fn open(root: &Root, path: &BStr) -> Result<Self> {
        plain(path)?;
        Self::at(root, parent(path))
    }

    pub(crate) fn own(handle: Handle) -> Self {
        Self(Held::Own(handle))
    }

    pub(crate) fn handle(&self) -> &Handle {
        match &self.0 {
            Held::Root(root) => root,
            Held::Own(own) => own,
        }
    }

    /// What a name in it is; a link is reported as a link. The empty name is the folder itself.
    ///
    /// # Errors
    /// If nothing has that name, or it can't be determined.
    pub fn meta(&self, name: &BStr) -> Result<Meta> {
        if name.is_empty() {
            system::meta_of(self.handle())
        } else {
            system::meta_at(self.handle(), name)
        }
    }

    pub(crate) fn link_target(&self, name: &BStr) -> Result<BString> {
        system::link_target(self.handle(), name)
    }

    /// The names in it, and what each is.
    ///
    /// # Errors
    /// If it can't be listed.
    pub fn list(&self) -> Result<Vec<(BString, FileKind)>> {
        self.names(system::to_list(self.handle())?)
    }

    /// That folder, the empty path for the root itself, and the names in it with what each is:
    /// opened once for both.
    ///
    /// # Errors
    /// If it isn't there, is not a folder, can't be listed, or a link is on the way.
    pub fn listed(root: &Root, path: &BStr) -> Result<(Self, Vec<(BString, FileKind)>)> {
        let folder = system::open(&root.handle, path, Purpose::List)?;
        let to_list = folder.try_clone()?;
        let folder = Self::own(folder);
        let names = folder.names(to_list)?;
        Ok((folder, names))
    }

    /// The names in it, read through a handle of its own.
    fn names(&self, handle: Handle) -> Result<Vec<(BString, FileKind)>> {
        let found = system::names(handle)?;
        let mut names = Vec::with_capacity(found.len());
        for (name, kind) in found {
            let kind = match kind {
                // Not every disk says it along with the name.
                None => if_there(self.meta(name.as_bstr()))?.map(|meta| meta.kind),
                known => known,
            };
            names.extend(kind.map(|kind| (name, kind)));
        }
        Ok(names)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_names_make_a_path() {
        for path in ["a", "a/b", "a/b/", ""] {
            assert!(plain(path.into()).is_ok(), "{path}");
        }
        for path in [
            "/", "/a", "..", "a/../b", "./a", "a//b", "a/.", "a\0b", "//",
        ] {
            assert!(plain(path.into()).is_err(), "{path}");
        }
        assert_eq!(
            (parent("a/b/".into()), name("a/b/".into())),
            ("a".into(), "b".into())
        );
        assert_eq!(
            (parent("a".into()), name("a".into())),
            ("".into(), "a".into())
        );
    }
}
