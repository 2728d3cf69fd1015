//! A folder for a rehearsal, among the system's temporary files: only its owner can enter it, and
//! it goes with the rehearsal, however that ends. What one left behind that was killed, the next
//! one deletes.

use crate::disk::io_error_at;
use crate::{Error, Result, private_folder};
use bstr::{BStr, BString, ByteSlice};
use parking_lot::Mutex;
use redshank_files::Root;
use std::fs::File;
use std::path::PathBuf;

/// The folder that holds all rehearsals of this person.
const ALL: &str = "redshank";

/// The folders of this process that are still there.
static OPEN: Mutex<Vec<(Root, BString)>> = Mutex::new(Vec::new());

/// A folder of its own.
pub struct Scratch {
    root: Root,
    name: BString,
    /// Nobody else takes it for one that was left behind as long as this is held.
    _held: File,
}

impl Scratch {
    /// Makes one.
    ///
    /// # Errors
    /// If the disk refuses, or the folder for all of this person's is somebody else's.
    pub fn new() -> Result<Self> {
        let path = private_folder::path(ALL);
        let opened = private_folder::open(ALL).map_err(io_error_at(&path))?;
        let root = opened.ok_or_else(|| Error::NotPrivate(path.clone()))?;
        // Anyone who makes one, or deletes what was left behind, is alone meanwhile.
        let _alone = root.hold(BStr::new("")).map_err(io_error_at(&path))?;
        for (name, _) in root.list(BStr::new("")).map_err(io_error_at(&path))? {
            if let Ok(Some(_held)) = root.hold_if_free(name.as_ref()) {
                // What can't be deleted now does no harm: nobody else can enter it.
                let _ = root.remove_tree(name.as_ref());
            }
        }
        let name = (0_u64..).map(|nth| BString::from(format!("{}-{nth}", std::process::id())));
        let name = name
            .into_iter()
            .find(|name| !root.is_there(name.as_ref()))
            .unwrap_or_default();
        root.create_private_folders(name.as_ref())
            .map_err(io_error_at(&path))?;
        let held = root.hold(name.as_ref()).map_err(io_error_at(&path))?;
        OPEN.lock().push((root.clone(), name.clone()));
        Ok(Self {
            root,
            name,
            _held: held,
        })
    }

    /// The absolute path of the folder.
    pub fn path(&self) -> PathBuf {
        self.root.path().join(self.name.to_path_lossy())
    }
}

impl Drop for Scratch {
    fn drop(&mut self) {
        OPEN.lock().retain(|(_, name)| *name != self.name);
        let _ = self.root.remove_tree(self.name.as_ref());
    }
}

/// Deletes all that this process has, before it ends in the middle.
pub fn remove_all() {
    for (root, name) in OPEN.lock().drain(..) {
        let _ = root.remove_tree(name.as_ref());
    }
}
