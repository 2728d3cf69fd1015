//! What is asked of the system: one set of functions, for each family of systems once. All of them
//! take an open folder and a name in it, so that nothing can be put in the way meanwhile.

#[cfg(unix)]
#[path = "unix.rs"]
mod of_this;
#[cfg(windows)]
#[path = "windows.rs"]
mod of_this;

pub(crate) use of_this::*;

/// What something beneath a folder is opened for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Purpose {
    /// A folder, only to look things up in it.
    LookUp,
    /// A file, whatever it is, to read it.
    Read,
    /// A folder, to list it.
    List,
}
