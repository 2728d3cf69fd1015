//! What a command works with: the place, and how to answer.

use crate::cli::{Everywhere, Format};
use anyhow::{Context as _, Result, bail};
use bstr::{BStr, BString, ByteSlice, ByteVec};
use redshank_core::journal::Journal;
use redshank_core::settings::Settings;
use redshank_core::templates::Collection;
use redshank_core::tree::{Place, Unread};
use redshank_files::Kind;
use std::borrow::Cow;
use std::ffi::OsStr;
use std::io::IsTerminal;
use std::path::{Path, PathBuf};

/// The place a command works in, and where in it the user stands.
pub struct Context<'a> {
    /// Where.
    pub place: Place,
    /// The folder that the user's paths are relative to: below the top, empty or with a slash at
    /// its end.
    pub prefix: BString,
    /// How to answer.
    pub asked: &'a Everywhere,
}

impl<'a> Context<'a> {
    /// Finds the place.
    pub fn find(asked: &'a Everywhere) -> Result<Self> {
        let folder = asked.root.clone().unwrap_or_else(|| PathBuf::from("."));
        Self::at(&folder, asked)
    }

    /// The place of a named folder.
    pub fn at(folder: &Path, asked: &'a Everywhere) -> Result<Self> {
        let place = Place::find(folder)?;
        let here = folder
            .canonicalize()
            .with_context(|| folder.display().to_string())?;
        let below = here.strip_prefix(&place.top).unwrap_or(Path::new(""));
        let mut prefix = BString::from(Vec::from_path_lossy(below).into_owned());
        if !prefix.is_empty() {
            prefix.push(b'/');
        }
        Ok(Self {
            place,
            prefix,
            asked,
        })
    }

    /// The repository's own settings.
    pub fn settings(&self) -> Result<Settings> {
        Ok(Settings::read(&self.place)?)
    }

    /// The templates that count here, as the repository chose them to be.
    pub fn collection(&self) -> Result<Collection> {
        Ok(Collection::of(&self.place)?.chosen(&self.settings()?.draft)?)
    }

    /// A user's path, relative to the top. A slash at its end stays.
    pub fn resolve(&self, path: &OsStr) -> Result<BString> {
        let given = Vec::from_os_str_lossy(path);
        Ok(self.resolve_bytes(given.as_bstr())?.into_owned().into())
    }

    /// A user's folder, relative to the top: empty, or with a slash at its end.
    pub fn resolve_folder(&self, folder: &OsStr) -> Result<BString> {
        let mut resolved = self.resolve(folder)?;
        if !resolved.is_empty() && !resolved.ends_with(b"/") {
            resolved.push(b'/');
        }
        if self.place.root.kind(resolved.as_bstr()) != Some(Kind::Folder) {
            bail!(
                "{} is not a folder\n  name one that exists",
                crate::render::shown(resolved.as_bstr())
            );
        }
        Ok(resolved)
    }

    /// The same for a path that came as bytes.
    pub fn resolve_bytes<'p>(&self, given: &'p BStr) -> Result<Cow<'p, [u8]>> {
        if self.prefix.is_empty() && is_plain(given) {
            return Ok(Cow::Borrowed(given));
        }
        let outside = || {
            format!(
                "{given} lies outside {}\n  name a path inside it",
                self.place.top.display()
            )
        };
        if given.is_empty() {
            bail!("an empty path\n  `.` is the folder you are in");
        }
        let joined: BString = if given.starts_with(b"/") {
            let top = Vec::from_path_lossy(&self.place.top);
            let below = given.strip_prefix(top.as_ref()).with_context(outside)?;
            if !below.is_empty() && !below.starts_with(b"/") {
                bail!(outside());
            }
            below.into()
        } else {
            [self.prefix.as_slice(), given].concat().into()
        };
        let mut parts: Vec<&[u8]> = Vec::new();
        for part in joined.split_str("/") {
            match part {
                b"" | b"." => {}
                b".." => drop(parts.pop().with_context(outside)?),
                _ => parts.push(part),
            }
        }
        let folder = joined.ends_with(b"/") || joined.ends_with(b"/.") || joined.ends_with(b"/..");
        let mut resolved = bstr::join("/", &parts);
        if folder && !resolved.is_empty() {
            resolved.push(b'/');
        }
        Ok(Cow::Owned(resolved))
    }

    /// Takes back what a killed Redshank had begun, if this one may change anything, and says so.
    pub fn recover(&self, may_change: bool) -> Result<()> {
        let Ok(journal) = Journal::of(&self.place) else {
            return Ok(());
        };
        let Some(entry) = journal.cut_short()? else {
            return Ok(());
        };
        let change = format!("change {} ({}) was cut short", entry.number, entry.command);
        if may_change {
            // Nothing is given where another Redshank was only still at it.
            if journal.recover()?.is_some() {
                crate::eputln!("{change}; what it had done is taken back now");
            }
        } else {
            crate::eputln!("{change}; `redshank undo` takes back what it had done");
        }
        Ok(())
    }

    /// Whether the answer is for people.
    pub fn for_people(&self) -> bool {
        self.asked.format == Format::Text
    }

    /// Asks before a change, where there is somebody to ask; a script has said so by its options
    /// already.
    pub fn confirm(&self, question: &str) -> Result<bool> {
        if self.asked.yes || !self.has_somebody() {
            return Ok(true);
        }
        let theme = dialoguer::theme::SimpleTheme;
        Ok(dialoguer::Confirm::with_theme(&theme)
            .with_prompt(question)
            .default(false)
            .interact()?)
    }

    /// Whether a person can answer.
    pub fn has_somebody(&self) -> bool {
        self.for_people() && std::io::stdin().is_terminal() && std::io::stderr().is_terminal()
    }

    /// Says what could not be read, on the standard error.
    pub fn say_unread(&self, unread: &[Unread]) {
        for one in unread {
            let path = crate::render::shown(one.path.as_bstr());
            crate::eputln!(
                "not read: {}: {}",
                if path.is_empty() { "." } else { &path },
                one.reason
            );
        }
    }
}

/// Whether a path is surely as it should be already: relative, without empty parts, `.` and `..`.
/// Hidden files may be taken the long way.
fn is_plain(path: &BStr) -> bool {
    let starts_plain = |at: usize| !matches!(path.get(at), Some(b'/' | b'.'));
    starts_plain(0) && memchr::memchr_iter(b'/', path).all(|slash| starts_plain(slash + 1))
}
