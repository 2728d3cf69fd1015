//! The verdict on single paths, existing or not, in any order.

use super::{Overlay, Place, State};
use crate::rules::{Chain, Ruling};
use crate::{Error, Result};
use bstr::{BStr, BString, ByteSlice};
use redshank_git::Index;
use std::cell::RefCell;
use std::collections::HashMap;
use std::rc::Rc;

/// Answers questions about single paths.
pub struct Oracle<'a> {
    place: &'a Place,
    overlay: Overlay,
    index: Index,
    top: Rc<Folder>,
    folders: RefCell<HashMap<BString, Rc<Folder>>>,
}

/// What is known of a folder.
struct Folder {
    chain: Chain,
    /// The rule that shuts it, or a folder above, and which folder that is.
    shut: Option<(Ruling, BString)>,
}

/// The answer on one path.
pub struct Answer {
    /// The path, relative to the top.
    pub path: BString,
    /// git's verdict.
    pub state: State,
    /// The last rule that matches the path or shuts a folder above it.
    pub ruling: Option<Ruling>,
    /// The folder that the rule shuts, with a slash at its end, if it's not the path itself that it matches.
    pub shut: Option<BString>,
    /// The rules that hold where the path lies, strongest first.
    pub chain: Chain,
}

impl<'a> Oracle<'a> {
    /// Makes ready to answer. Nothing is walked.
    ///
    /// # Errors
    /// If the index can't be read.
    pub fn new(place: &'a Place, overlay: Overlay) -> Result<Self> {
        let index = match &place.repository {
            Some(repository) => repository.index()?,
            None => Index::default(),
        };
        let everywhere = place.everywhere();
        let chain = with_rules(place, &overlay, b"".into(), everywhere)?;
        let top = Rc::new(Folder { chain, shut: None });
        Ok(Self { place, overlay, index, top, folders: RefCell::default() })
    }

    /// The answer on a path relative to the top, as git's own query gives it. A path that ends in a slash stands for a
    /// folder, even where nothing exists.
    ///
    /// # Errors
    /// If an ignore file on the way can't be read.
    pub fn ask(&self, path: &BStr) -> Result<Answer> {
        let folder = path.rfind_byte(b'/').map_or(b"".as_bstr(), |slash| path[..slash].as_bstr());
        let within = self.folder(folder)?;
        let bare = path.strip_suffix(b"/").unwrap_or(path).as_bstr();
        let tracked = self.index.holds(bare) || self.index.holds_below(bare);
        let answer = |ruling: Option<Ruling>, shut| {
            let ignored = ruling.as_ref().is_some_and(Ruling::ignores);
            let state = match (tracked, ignored) {
                (true, _) => State::Tracked,
                (false, true) => State::Ignored,
                (false, false) => State::Candidate,
            };
            Answer { path: path.to_owned(), state, ruling, shut, chain: within.chain.clone() }
        };
        if let Some((ruling, shut)) = &within.shut {
            let itself = shut.strip_suffix(b"/") == Some(bare);
            return Ok(answer(Some(ruling.clone()), (!itself).then(|| shut.clone())));
        }
        let is_folder = || std::fs::symlink_metadata(self.place.path(path)).is_ok_and(|found| found.is_dir());
        Ok(answer(within.chain.ruling(path, &is_folder), None))
    }

    fn folder(&self, path: &BStr) -> Result<Rc<Folder>> {
        if path.is_empty() {
            return Ok(Rc::clone(&self.top));
        }
        if let Some(known) = self.folders.borrow().get(path) {
            return Ok(Rc::clone(known));
        }
        // From the deepest folder that is known, downwards.
        let mut known = Rc::clone(&self.top);
        let mut from = 0;
        let ends: Vec<usize> = path.find_iter("/").chain([path.len()]).collect();
        for (at, end) in ends.iter().enumerate().rev() {
            if let Some(folder) = self.folders.borrow().get(path[..*end].as_bstr()) {
                known = Rc::clone(folder);
                from = at + 1;
                break;
            }
        }
        for end in &ends[from..] {
            let here = path[..*end].as_bstr();
            let below = Rc::new(self.below(&known, here)?);
            self.folders.borrow_mut().insert(here.to_owned(), Rc::clone(&below));
            known = below;
        }
        Ok(known)
    }

    fn below(&self, above: &Folder, path: &BStr) -> Result<Folder> {
        if above.shut.is_some() {
            return Ok(Folder { chain: above.chain.clone(), shut: above.shut.clone() });
        }
        let mut slashed = path.to_owned();
        slashed.push(b'/');
        match above.chain.ruling(path, &|| true).filter(Ruling::ignores) {
            Some(ruling) => Ok(Folder { chain: above.chain.clone(), shut: Some((ruling, slashed)) }),
            None => {
                let chain = with_rules(self.place, &self.overlay, slashed.as_bstr(), above.chain.clone())?;
                Ok(Folder { chain, shut: None })
            }
        }
    }
}

fn with_rules(place: &Place, overlay: &Overlay, folder: &BStr, chain: Chain) -> Result<Chain> {
    match place.rules_of(folder, overlay) {
        Ok(Some(rules)) => Ok(chain.with(rules)),
        Ok(None) => Ok(chain),
        Err(cause) => Err(Error::Disk { path: place.path(folder).join(crate::rules::IGNORE_FILE), cause }),
    }
}
